// Own method. Balls along forearm and hand against the solids of trunk, head and legs: what lies deeper than
// the source's own is turned out about the shoulder. Where the way out is along the arm (a hand on a thigh)
// the hand is moved and the elbow bends. There are several ways out: a circle of swings, and the turn
// from ball to ball. Of those each frame takes one such that all stay small and change little from frame to
// frame (A. J. Viterbi, 1967), so that the arm passes the body on one side. That is widened and smoothed over
// time.
#include "clear_arms.hpp"
#include "smoothing.hpp"

#include <dendraxis/base/rotation.hpp>

#include <limits>

namespace dendraxis::detail {
namespace {

constexpr int k_rounds = 3;               // turn, smooth, look again
constexpr int k_tries = 6;                // from ball to ball in a frame
constexpr float k_least_lever = 0.3f;     // of how far a ball is from the shoulder
constexpr int k_swings = 12;              // directions
constexpr float k_swing_step = 0.1f;      // radians
constexpr float k_farthest_swing = 1.6f;  // radians
constexpr int k_halvings = 4;             // of the last step
constexpr float k_steady_seconds = 0.2f;  // in which a relief of some size may change by as much

}  // namespace

ArmClearer::ArmClearer(PassRun& run, ArmDepths& depths, WaysOut ways, float ease)
    : run_(run), depths_(depths), ways_(ways), ease_(ease), clear_(run.frames(), 0) {}

bool ArmClearer::clear() {
    if (run_.plan.arms.empty() || !clear_once()) return false;
    for (int round = 1; round < k_rounds && clear_once(); ++round) continue;
    return true;
}

// Brings the deepest ball out, then the next, until all are. Zero if none is in the body.
ArmClearer::Relief ArmClearer::from_ball_to_ball(std::size_t arm, std::size_t frame) const {
    const Vec3 shoulder = head_of(run_.plan.arms[arm].target.bones[0], run_.model);
    std::array<Vec3, k_arm_probes> balls = depths_.balls(arm, run_.model);
    Quat turned = Quat::Identity();
    Relief relief;
    for (int attempt = 0; attempt < k_tries; ++attempt) {
        const auto [depth, probe, outward] = depths_.deepest(arm, frame, balls);
        if (depth <= 0.0f) break;
        const Vec3 from_shoulder = balls[probe] - shoulder;
        const Vec3 axis = from_shoulder.cross(outward);
        if (axis.norm() < k_least_lever * from_shoulder.norm()) {
            relief.shift += depth * outward;
            for (Vec3& ball : balls) ball += depth * outward;
            continue;
        }
        const Quat turn(Eigen::AngleAxisf(std::min(depth / axis.norm(), 0.5f), axis.normalized()));
        turned = (turn * turned).normalized();
        for (Vec3& ball : balls) ball = shoulder + turn * (ball - shoulder);
    }
    relief.turn = rotation_vector(turned);
    return relief;
}

// Swings of the arm about its shoulder, a circle of directions, each as far as it must go.
void ArmClearer::add_swings(std::size_t arm, std::size_t frame, Choices& choices) const {
    const Vec3 shoulder = head_of(run_.plan.arms[arm].target.bones[0], run_.model);
    const std::array<Vec3, k_arm_probes> balls = depths_.balls(arm, run_.model);
    const auto [depth, probe, outward] = depths_.deepest(arm, frame, balls);
    const Vec3 along = (balls[probe] - shoulder).normalized();
    // The first swing is straight out.
    Vec3 out = along.cross(outward);
    out = out.norm() > 1e-3f ? out.normalized() : along.unitOrthogonal();
    const auto is_clear = [&](const Vec3& axis, float angle) {
        const Quat turn(Eigen::AngleAxisf(angle, axis));
        std::array<Vec3, k_arm_probes> turned;
        for (std::size_t k = 0; k < k_arm_probes; ++k) turned[k] = shoulder + turn * (balls[k] - shoulder);
        return depths_.deepest(arm, frame, turned).depth <= 0.0f;
    };
    for (int direction = 0; direction < k_swings; ++direction) {
        const float around = 2.0f * k_pi * static_cast<float>(direction) / static_cast<float>(k_swings);
        const Vec3 axis = Eigen::AngleAxisf(around, along) * out;
        float angle = k_swing_step;
        while (angle < k_farthest_swing && !is_clear(axis, angle)) angle += k_swing_step;
        if (angle >= k_farthest_swing) continue;
        float too_small = angle - k_swing_step;
        for (int i = 0; i < k_halvings; ++i) {
            const float middle = 0.5f * (too_small + angle);
            (is_clear(axis, middle) ? angle : too_small) = middle;
        }
        choices.push_back({angle * axis, Vec3::Zero()});
    }
}

// Picks one choice for each frame, so that squared sizes and squared changes add up to the least.
std::vector<ArmClearer::Relief> ArmClearer::steadiest(std::size_t arm,
                                                      const std::vector<Choices>& choices) const {
    const float steadiness = std::pow(run_.frames_in(k_steady_seconds), 2.0f);
    const float per_length = 1.0f / run_.plan.arms[arm].target_length;
    const auto distance = [&](const Relief& a, const Relief& b) {
        return (a.turn - b.turn).squaredNorm() + (per_length * (a.shift - b.shift)).squaredNorm();
    };
    std::vector<std::vector<float>> costs(choices.size());
    std::vector<std::vector<std::size_t>> before(choices.size());
    for (std::size_t f = 0; f < choices.size(); ++f) {
        for (const Relief& relief : choices[f]) {
            float least = f == 0 ? 0.0f : std::numeric_limits<float>::max();
            std::size_t from = 0;
            for (std::size_t k = 0; f > 0 && k < choices[f - 1].size(); ++k) {
                const float cost = costs[f - 1][k] + steadiness * distance(relief, choices[f - 1][k]);
                if (cost < least) {
                    least = cost;
                    from = k;
                }
            }
            costs[f].push_back(least + distance(relief, Relief{}));
            before[f].push_back(from);
        }
    }
    std::vector<Relief> path(choices.size());
    if (choices.empty()) return path;
    const std::vector<float>& last = costs.back();
    auto k = static_cast<std::size_t>(std::min_element(last.begin(), last.end()) - last.begin());
    for (std::size_t f = choices.size(); f-- > 0;) {
        path[f] = choices[f][k];
        k = before[f][k];
    }
    return path;
}

// Finds, by arm and frame, what brings the arm out; a relief of zero if the arm is in no body.
std::vector<std::vector<ArmClearer::Choices>> ArmClearer::find_reliefs() {
    const std::size_t arms = run_.plan.arms.size();
    std::vector<std::vector<Choices>> choices(arms, std::vector<Choices>(run_.frames(), {Relief{}}));
    for (std::size_t f = 0; f < run_.frames(); ++f) {
        if (clear_[f] != 0) continue;
        clear_[f] = 1;
        run_.pose(f);
        depths_.place(run_.model);
        for (std::size_t i = 0; i < arms; ++i) {
            const Relief relief = from_ball_to_ball(i, f);
            if (relief.turn.isZero() && relief.shift.isZero()) continue;
            choices[i][f] = {relief};
            if (ways_ == WaysOut::any) add_swings(i, f, choices[i][f]);
        }
    }
    return choices;
}

bool ArmClearer::clear_once() {
    const std::vector<std::vector<Choices>> choices = find_reliefs();
    const auto any = [](const std::vector<Vec3>& values) {
        return std::any_of(values.begin(), values.end(), [](const Vec3& value) { return !value.isZero(); });
    };
    bool moved = false;
    for (std::size_t i = 0; i < choices.size(); ++i) {
        std::vector<Vec3> turns;
        std::vector<Vec3> shifts;
        for (const Relief& relief : steadiest(i, choices[i])) {
            turns.push_back(relief.turn);
            shifts.push_back(relief.shift);
        }
        if (any(turns)) turn_arm(i, turns);
        if (any(shifts)) shift_hand(i, shifts);
        moved = moved || any(turns) || any(shifts);
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
