// Own method. Heels, soles and toes differ in proportion, so a foot that is tilted as the source's comes down
// too deep or not all the way. It turns towards how it stands at rest until its lowest place is where the
// source's is: a foot that points a little elsewhere is seen less than a knee or hips that make up for it.
#include "pass_plan.hpp"
#include "smoothing.hpp"
#include "standing.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr float k_unseen_gap = 0.004f;   // of the leg's length: so far off no one sees
constexpr float k_stands_tilted = 0.7f;  // radians: so far a foot that stands may be tilted
constexpr float k_kneels = 1.2f;         // radians: a foot tilted so far kneels or lies
constexpr float k_level = 0.15f;         // radians: a foot tilted no farther stands on its whole sole
constexpr float k_lands = 0.03f;         // of the leg's length: so low a foot lands or leaves
constexpr float k_swings = 0.10f;        // likewise: so high it is in the air
constexpr float k_tilt_seconds = 0.05f;
constexpr float k_drift_seconds = 0.15f;
constexpr float k_tilt_cost = 0.02f;  // lengths of the leg for a radian
constexpr int k_samples = 4;
constexpr int k_halvings = 6;

// A foot as it is, and as it stands at rest with its present heading.
struct Tilt {
    Quat now;
    Quat level;
    float angle = 0.0f;
    Quat at(float share) const { return now.slerp(share, level); }
};

// The least share with which nothing, or as little as can be, is left of `off`.
template <class Off>
float least_share(const Off& off) {
    const float first = off(0.0f);
    if (first == 0.0f) return 0.0f;
    float best = 0.0f;
    float least = std::abs(first);
    float low = 0.0f;
    for (int i = 1; i <= k_samples; ++i) {
        float high = static_cast<float>(i) / static_cast<float>(k_samples);
        const float now = off(high);
        if (now * first <= 0.0f) {
            for (int k = 0; k < k_halvings; ++k) {
                const float middle = 0.5f * (low + high);
                (off(middle) * first > 0.0f ? low : high) = middle;
            }
            return high;
        }
        if (std::abs(now) < least) {
            least = std::abs(now);
            best = high;
        }
        low = high;
    }
    return best;
}

class FootTilter {
 public:
    explicit FootTilter(PassRun& run)
        : run_(run),
          target_(run.plan.pairing.target),
          rest_(rest_in_model_space(target_.skeleton)),
          feet_(track_feet(run.plan.pairing.source, run.source, run.contacts)) {
        for (const LimbPlan& leg : run.plan.legs) {
            if (leg.target.bones[1] != leg.target.bones[2]) legs_.push_back(&leg);
        }
    }

    // Returns the mean turn, in radians.
    float run() {
        if (legs_.empty()) return 0.0f;
        find_drift();
        std::vector<std::vector<float>> shares(legs_.size());
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            pose_feet(f);
            for (std::size_t i = 0; i < legs_.size(); ++i) shares[i].push_back(share(*legs_[i], f));
        }
        const int reach = static_cast<int>(std::lround(run_.frames_in(k_tilt_seconds)));
        for (std::vector<float>& share : shares) share = rounded_up(share, reach);
        float turned = 0.0f;
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            pose_feet(f);
            for (std::size_t i = 0; i < legs_.size(); ++i)
                turned += turn(run_.plan.target_sole(*legs_[i]), f, std::min(1.0f, shares[i][f]));
        }
        run_.attach_all();
        return turned / static_cast<float>(run_.frames() * legs_.size());
    }

 private:
    // Feet and toes of the frame in `run_.model`, and nothing else.
    void pose_feet(std::size_t frame) {
        run_.model.resize(run_.skeleton().size());
        const auto local = run_.result.frame(frame);
        for (const LimbPlan* leg : legs_) {
            const Sole& sole = run_.plan.target_sole(*leg);
            for (const int bone : {sole.foot, sole.toes})
                run_.model[static_cast<std::size_t>(bone)] = standing(run_.skeleton(), local, bone);
        }
    }

    const FootTrack& track(const LimbPlan& leg) const {
        return feet_[static_cast<std::size_t>(leg.source_shape)];
    }

    // How high the foot of the pose in `run_.model` is over where the source's is.
    float too_high(const LimbPlan& leg, std::size_t frame) const {
        return lowest_of(run_.plan.target_sole(leg), run_.model, target_.up) - target_.floor -
               run_.plan.leg_ratio * track(leg).height[frame];
    }

    // In the pose in `run_.model`.
    Tilt tilt_of(const Sole& sole) const {
        const auto foot = static_cast<std::size_t>(sole.foot);
        const Quat now = run_.model[foot].rotation;
        const Quat turned = now * rest_[foot].rotation.conjugate();
        const Quat level = swing_twist(turned, target_.up).twist * rest_[foot].rotation;
        return {now, level, angle_between(now, level)};
    }

    // How far feet that stand on their whole soles are too high: hips and legs see to that.
    void find_drift() {
        std::vector<float> sums(run_.frames(), 0.0f);
        std::vector<float> weights(run_.frames(), 0.0f);
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            pose_feet(f);
            for (const LimbPlan* leg : legs_) {
                if (!track(*leg).stands(f)) continue;
                const float tilted = tilt_of(run_.plan.target_sole(*leg)).angle / k_level;
                const float weight = std::exp(-tilted * tilted) + 1e-4f;
                sums[f] += weight * too_high(*leg, f);
                weights[f] += weight;
            }
        }
        sums = smoothed(sums, run_.frames_in(k_drift_seconds));
        weights = smoothed(weights, run_.frames_in(k_drift_seconds));
        drift_.assign(run_.frames(), 0.0f);
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            if (weights[f] > 0.0f) drift_[f] = sums[f] / weights[f];
        }
        fill_gaps(drift_, [&](std::size_t f) { return weights[f] > 0.0f; });
    }

    // Turns the foot in the pose in `run_.model`; toes keep their own direction.
    void pose_foot(const Sole& sole, const Quat& turn) {
        Transform& foot = run_.model[static_cast<std::size_t>(sole.foot)];
        foot.rotation = turn * foot.rotation;
        if (sole.toes == sole.foot) return;
        Transform& toes = run_.model[static_cast<std::size_t>(sole.toes)];
        toes.translation = foot.translation + turn * (toes.translation - foot.translation);
    }

    // How far on its way to level the foot goes in a frame whose pose is in `run_.model`.
    float share(const LimbPlan& leg, std::size_t frame) {
        const Sole& sole = run_.plan.target_sole(leg);
        const FootTrack& foot = track(leg);
        const Tilt tilt = tilt_of(sole);
        const float stands =
            1.0f - smoother_step((tilt.angle - k_stands_tilted) / (k_kneels - k_stands_tilted));
        if (stands == 0.0f || tilt.angle < 1e-3f) return 0.0f;
        const float over = (foot.height[frame] - foot.level[frame]) / leg.source_length;
        const float lands = 1.0f - smoother_step((over - k_lands) / (k_swings - k_lands));
        const float unseen = k_unseen_gap * leg.target_length;
        const float height = std::max(0.0f, run_.plan.leg_ratio * foot.height[frame]);
        // In the air too high is no fault, and too low is only what goes through the floor.
        const auto off = [&](float share) {
            const Quat turn = tilt.at(share) * tilt.now.conjugate();
            pose_foot(sole, turn);
            const float high = too_high(leg, frame) - drift_[frame];
            pose_foot(sole, turn.conjugate());
            const float beyond = high - std::clamp(high, -unseen, unseen);
            return std::min(beyond + height, 0.0f) + lands * std::max(beyond, -height);
        };
        return stands * least_share(off);
    }

    // Turns the foot of a frame whose pose is in `run_.model`. Returns how far, in radians.
    float turn(const Sole& sole, std::size_t frame, float share) {
        if (share == 0.0f) return 0.0f;
        const Tilt tilt = tilt_of(sole);
        const Quat toes = run_.model[static_cast<std::size_t>(sole.toes)].rotation;
        turn_to(frame, sole.foot, tilt.at(share));
        if (sole.toes != sole.foot) turn_to(frame, sole.toes, toes);
        return share * tilt.angle;
    }

    void turn_to(std::size_t frame, int bone, const Quat& rotation) {
        const auto local = run_.result.frame(frame);
        const Transform above = standing_above(run_.skeleton(), local, bone);
        local[static_cast<std::size_t>(bone)].rotation = (above.rotation.conjugate() * rotation).normalized();
    }

    PassRun& run_;
    const Chart& target_;
    std::vector<Transform> rest_;
    std::vector<FootTrack> feet_;
    std::vector<const LimbPlan*> legs_;  // that end in a foot
    std::vector<float> drift_;           // a frame, along up
};

}  // namespace

float tilt_feet(PassRun& run) {
    if (run.plan.legs.empty() || run.frames() == 0) return 0.0f;
    return k_tilt_cost * FootTilter(run).run();
}

}  // namespace dendraxis::detail
