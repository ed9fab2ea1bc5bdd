// Own method. Legs without knees cannot bend as the source's do. Over the floor each foot is where the
// source's is from its hip, in proportion, so that it stands where that one stands; where the source crouches
// the body stays up, so high that the lowest foot is where the source's is. In the air the body follows the
// source, but no foot goes through the floor.
#include "pass_plan.hpp"
#include "smoothing.hpp"

#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <array>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr float k_least_fault = 0.005f;  // of the leg's length: what no one sees
constexpr float k_longest_step = 0.9f;   // of the leg's length
constexpr float k_air_counts = 1e-3f;    // of a part that rests on nothing
constexpr float k_roll_seconds = 0.05f;
constexpr float k_vault_seconds = 0.035f;  // a body on stiff legs changes its way at every step

// How far the body must come up, a frame.
struct Rise {
    float standing = 0.0f;  // for the feet that stand
    float least = 0.0f;     // for no foot to be below what the source's is
    bool stands = false;
};

class StiffWalker {
 public:
    explicit StiffWalker(PassRun& run)
        : run_(run),
          target_(run.plan.pairing.target),
          feet_(track_feet(run.plan.pairing.source, run.source, run.contacts)) {}

    void run() {
        for (const StiffLeg& leg : run_.plan.stiff_legs) {
            if (leg.source_bends) step(leg);
        }
        float length = 0.0f;
        for (const StiffLeg& leg : run_.plan.stiff_legs) length = std::max(length, leg.target_length);
        std::vector<Rise> rises;
        float worst = 0.0f;
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            rises.push_back(rise(f));
            worst = std::max({worst, rises.back().least, std::abs(rises.back().standing)});
        }
        if (worst > k_least_fault * length) lift(shifts(rises));
    }

 private:
    Vec3 level(const Vec3& v) const { return v - v.dot(target_.up) * target_.up; }

    using Weights = std::array<float, k_foot_parts>;

    // What the foot of the source rests on, a frame: it goes from heel to toes as that one rolls.
    std::vector<Weights> weights(const StiffLeg& leg) const {
        const FootTrack& foot = feet_[static_cast<std::size_t>(leg.source_sole)];
        std::vector<Weights> result(run_.frames());
        for (std::size_t part = 0; part < k_foot_parts; ++part) {
            std::vector<float> on(run_.frames());
            for (std::size_t f = 0; f < run_.frames(); ++f)
                on[f] = foot.planted[f][part] ? 1.0f : k_air_counts;
            on = smoothed(on, run_.frames_in(k_roll_seconds));
            for (std::size_t f = 0; f < run_.frames(); ++f) result[f][part] = on[f];
        }
        return result;
    }

    static Vec3 rests_on(const Sole& sole, const Weights& weights, std::span<const Transform> pose) {
        Vec3 sum = Vec3::Zero();
        float all = 0.0f;
        for (std::size_t part = 0; part < k_foot_parts; ++part) {
            sum += weights[part] * position_of(sole, sole.parts[part], pose);
            all += weights[part];
        }
        return sum / all;
    }

    // From where the source's leg begins to its foot, over the target's floor and in its proportion.
    Vec3 source_step(const StiffLeg& leg, const Weights& weights, std::span<const Transform> pose) const {
        const BodyShape& shape = run_.plan.pairing.source.shape;
        const Vec3 foot = rests_on(shape.soles[static_cast<std::size_t>(leg.source_sole)], weights, pose);
        const Vec3 root = pose[static_cast<std::size_t>(leg.source_root)].translation;
        return run_.plan.leg_ratio * level(run_.plan.to_target * Vec3(foot - root));
    }

    // Turns the leg about its hip until its foot is as far from where it is at rest as the source's is.
    void step(const StiffLeg& leg) {
        const Sole& sole = target_.shape.soles[static_cast<std::size_t>(leg.target_sole)];
        const auto root = static_cast<std::size_t>(leg.target_root);
        const std::vector<Transform> rest = rest_in_model_space(run_.skeleton());
        const std::vector<Transform> its_rest = rest_in_model_space(run_.plan.pairing.source.skeleton);
        const std::vector<Weights> on = weights(leg);
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            run_.pose(f);
            const Vec3 now = rests_on(sole, on[f], run_.model) - run_.model[root].translation;
            const float longest = k_longest_step * now.norm();
            Vec3 wanted = level(rests_on(sole, on[f], rest) - rest[root].translation) +
                          source_step(leg, on[f], run_.source_pose(f)) - source_step(leg, on[f], its_rest);
            if (wanted.norm() > longest) wanted *= longest / wanted.norm();
            const float down = std::sqrt(std::max(0.0f, now.squaredNorm() - wanted.squaredNorm()));
            wanted += std::copysign(down, now.dot(target_.up)) * target_.up;
            turn_bone(f, leg.target_root, Quat::FromTwoVectors(now, wanted));
        }
    }

    // By a turn in model space.
    void turn_bone(std::size_t frame, int bone, const Quat& turn) {
        const int parent = run_.skeleton().parent(bone);
        const Quat above = parent == k_no_bone ? run_.skeleton().above().rotation
                                               : run_.model[static_cast<std::size_t>(parent)].rotation;
        const auto b = static_cast<std::size_t>(bone);
        run_.result.frame(frame)[b].rotation =
            (above.conjugate() * turn * run_.model[b].rotation).normalized();
    }

    Rise rise(std::size_t frame) {
        run_.pose(frame);
        Rise result;
        float highest = -1e30f;
        for (const StiffLeg& leg : run_.plan.stiff_legs) {
            const FootTrack& foot = feet_[static_cast<std::size_t>(leg.source_sole)];
            const Sole& sole = target_.shape.soles[static_cast<std::size_t>(leg.target_sole)];
            const float height = lowest_of(sole, run_.model, target_.up) - target_.floor;
            const float wanted = run_.plan.leg_ratio * foot.height[frame];
            result.least = std::max(result.least, std::min(wanted, 0.0f) - height);
            if (!foot.stands(frame)) continue;
            result.stands = true;
            highest = std::max(highest, wanted - height);
        }
        if (result.stands) result.standing = highest;
        return result;
    }

    // Smooth over time, from contact to contact, and never too low.
    std::vector<float> shifts(const std::vector<Rise>& rises) const {
        std::vector<float> shift(rises.size(), 0.0f);
        for (std::size_t f = 0; f < rises.size(); ++f) shift[f] = rises[f].standing;
        fill_gaps(
            shift, [&](std::size_t f) { return rises[f].stands; }, 0.0f);
        const float sigma = run_.frames_in(k_vault_seconds);
        shift = smoothed(shift, sigma);
        std::vector<float> short_by(rises.size());
        for (std::size_t f = 0; f < rises.size(); ++f)
            short_by[f] = std::max(0.0f, rises[f].least - shift[f]);
        const std::vector<float> up = rounded_up(short_by, static_cast<int>(std::lround(2.0f * sigma)));
        for (std::size_t f = 0; f < rises.size(); ++f) shift[f] += up[f];
        return shift;
    }

    void lift(const std::vector<float>& shift) {
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            run_.pose(f);
            raise_hips(run_, f, shift[f]);
        }
    }

    PassRun& run_;
    const Chart& target_;
    std::vector<FootTrack> feet_;
};

}  // namespace

void stand_on_stiff_legs(PassRun& run) {
    if (run.plan.stiff_legs.empty() || run.frames() == 0) return;
    StiffWalker(run).run();
}

}  // namespace dendraxis::detail
