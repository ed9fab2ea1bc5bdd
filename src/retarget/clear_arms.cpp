// Own method. Balls along forearm and hand against the solids of trunk, head and legs: what lies deeper than
// the source's own is turned out about the shoulder, by the least turn that does it. Where the way out is
// along the arm (a hand on a thigh) the hand is moved and the elbow bends. Both are widened and smoothed over
// time, so that the arm goes around the body instead of jumping off it.
#include "clear_arms.hpp"
#include "smoothing.hpp"

#include <dendraxis/base/rotation.hpp>

namespace dendraxis::detail {
namespace {

constexpr float k_tolerance = 0.0003f;  // of the height
constexpr int k_rounds = 3;             // turn, smooth, look again
constexpr int k_tries = 6;              // of the least turn in a frame
constexpr float k_least_lever = 0.3f;   // of how far a ball is from the shoulder

}  // namespace

// How deep each ball is in the body at most; none: 0.
ArmClearer::Depths ArmClearer::depths_of(const ArmShape& arm, const Solids& solids,
                                         std::span<const Transform> model) {
    Depths depths{};
    for (std::size_t k = 0; k < k_arm_probes; ++k) {
        const Vec3 position = position_of(arm.probes[k], model);
        for (const PlacedSolid& solid : solids) {
            if (!solid.may_touch(position, arm.probes[k].radius)) continue;
            depths[k] = std::max(depths[k], arm.probes[k].radius - nearest_on(solid.capsule, position).gap);
        }
    }
    return depths;
}

void ArmClearer::place_solids(const BodyShape& shape, std::span<const Transform> model, Solids& solids) {
    solids.clear();
    for (const Solid& solid : shape.solids) {
        const Capsule& own = solid.capsule;
        const float bound = std::sqrt(own.along.squaredNorm() + own.across.squaredNorm()) + own.radius;
        solids.push_back({placed(own, model[static_cast<std::size_t>(solid.bone)]), bound});
    }
}

ArmClearer::ArmClearer(PassRun& run, float ease)
    : run_(run),
      ease_(ease),
      source_(run.plan.pairing.source),
      target_(run.plan.pairing.target),
      clear_(run.frames(), 0) {
    find_allowed();
}

float ArmClearer::clear() {
    float depth = 0.0f;
    if (run_.plan.arms.empty()) return depth;
    for (int round = 0; round < k_rounds; ++round) {
        float too_deep = 0.0f;
        const bool turned = clear_once(too_deep);
        if (round == 0) depth = too_deep;
        if (!turned) break;
    }
    return depth / static_cast<float>(std::max<std::size_t>(run_.frames() * run_.plan.arms.size(), 1));
}

const ArmShape& ArmClearer::shape(std::size_t arm) const {
    return run_.plan.target_arm(run_.plan.arms[arm]);
}

// What the source's own arms are in its body may stay.
void ArmClearer::find_allowed() {
    allowed_.resize(run_.plan.arms.size());
    Solids solids;
    for (std::size_t f = 0; f < run_.frames(); ++f) {
        const std::span<const Transform> model = run_.source_pose(f);
        place_solids(source_.shape, model, solids);
        for (std::size_t i = 0; i < allowed_.size(); ++i) {
            // What answers to an arm may be a leg, which is in no body.
            const ArmShape* own = run_.plan.source_arm(run_.plan.arms[i]);
            Depths depths{};
            if (own != nullptr) depths = depths_of(*own, solids, model);
            for (float& depth : depths) depth = run_.plan.leg_ratio * depth + k_tolerance * target_.height;
            allowed_[i].push_back(depths);
        }
    }
}

// Brings the deepest ball out, then the next, until all are.
ArmClearer::Relief ArmClearer::least_relief(std::size_t arm, std::size_t frame, const Solids& solids,
                                            float& depth) const {
    const Vec3 shoulder = head_of(run_.plan.arms[arm].target.bones[0], run_.model);
    std::array<Vec3, k_arm_probes> positions;
    for (std::size_t k = 0; k < k_arm_probes; ++k)
        positions[k] = position_of(shape(arm).probes[k], run_.model);
    Quat turned = Quat::Identity();
    Relief relief;
    for (int attempt = 0; attempt < k_tries; ++attempt) {
        float worst = 0.0f;
        Vec3 from_shoulder = Vec3::Zero();
        Vec3 outward = Vec3::Zero();
        for (std::size_t k = 0; k < k_arm_probes; ++k) {
            for (const PlacedSolid& solid : solids) {
                if (!solid.may_touch(positions[k], shape(arm).probes[k].radius)) continue;
                const NearestOnCapsule nearest = nearest_on(solid.capsule, positions[k]);
                const float too_deep = shape(arm).probes[k].radius - nearest.gap - allowed_[arm][frame][k];
                if (too_deep <= worst) continue;
                worst = too_deep;
                from_shoulder = positions[k] - shoulder;
                outward = nearest.normal;
            }
        }
        if (attempt == 0) depth += worst / run_.plan.arms[arm].target_length;
        if (worst <= 0.0f) break;
        const Vec3 axis = from_shoulder.cross(outward);
        if (axis.norm() < k_least_lever * from_shoulder.norm()) {
            relief.shift += worst * outward;
            for (Vec3& position : positions) position += worst * outward;
            continue;
        }
        const Quat turn(Eigen::AngleAxisf(std::min(worst / axis.norm(), 0.5f), axis.normalized()));
        turned = (turn * turned).normalized();
        for (Vec3& position : positions) position = shoulder + turn * (position - shoulder);
    }
    relief.turn = rotation_vector(turned);
    return relief;
}

bool ArmClearer::clear_once(float& depth) {
    const std::size_t arms = run_.plan.arms.size();
    const std::vector<Vec3> none(run_.frames(), Vec3::Zero());
    std::vector<std::vector<Vec3>> turns(arms, none);
    std::vector<std::vector<Vec3>> shifts(arms, none);
    Solids solids;
    for (std::size_t f = 0; f < run_.frames(); ++f) {
        if (clear_[f] != 0) continue;
        clear_[f] = 1;
        run_.pose(f);
        place_solids(target_.shape, run_.model, solids);
        for (std::size_t i = 0; i < arms; ++i) {
            const Relief relief = least_relief(i, f, solids, depth);
            turns[i][f] = relief.turn;
            shifts[i][f] = relief.shift;
        }
    }
    const auto any = [](const std::vector<Vec3>& values) {
        return std::any_of(values.begin(), values.end(), [](const Vec3& value) { return !value.isZero(); });
    };
    bool moved = false;
    for (std::size_t i = 0; i < arms; ++i) {
        if (any(turns[i])) turn_arm(i, turns[i]);
        if (any(shifts[i])) shift_hand(i, shifts[i]);
        moved = moved || any(turns[i]) || any(shifts[i]);
    }
    return moved;
}

// As long as each frame needs, eased in and out; zero where nothing is near.
std::vector<Vec3> ArmClearer::eased(const std::vector<Vec3>& values) const {
    std::vector<float> lengths;
    for (const Vec3& value : values) lengths.push_back(value.norm());
    const float widen = run_.frames_in(ease_);
    lengths = rounded_up(lengths, static_cast<int>(std::lround(widen)));
    std::vector<Vec3> result = smoothed(values, 0.5f * widen);
    for (std::size_t f = 0; f < result.size(); ++f)
        result[f] = result[f].norm() < 1e-9f ? Vec3(Vec3::Zero()) : Vec3(lengths[f] * result[f].normalized());
    return result;
}

void ArmClearer::turn_arm(std::size_t arm, const std::vector<Vec3>& turns) {
    const std::vector<Vec3> by = eased(turns);
    for (std::size_t f = 0; f < run_.frames(); ++f) {
        if (by[f].norm() < 1e-6f) continue;
        moved(f);
        run_.pose(f);
        const Quat turn(Eigen::AngleAxisf(by[f].norm(), by[f].normalized()));
        const LimbBones& limb = run_.plan.arms[arm].target;
        limb.turn(run_.skeleton(), {turn, turn}, limb.joints(run_.model).root, run_.model,
                  run_.result.frame(f), false);
    }
}

void ArmClearer::shift_hand(std::size_t arm, const std::vector<Vec3>& shifts) {
    const std::vector<Vec3> by = eased(shifts);
    for (std::size_t f = 0; f < run_.frames(); ++f) {
        if (by[f].norm() < 1e-6f * run_.plan.arms[arm].target_length) continue;
        moved(f);
        run_.pose(f);
        const LimbBones& limb = run_.plan.arms[arm].target;
        const LimbJoints joints = limb.joints(run_.model);
        limb.turn(run_.skeleton(), solve_two_bone(joints, joints.end + by[f]), joints.root, run_.model,
                  run_.result.frame(f));
    }
}

}  // namespace dendraxis::detail
