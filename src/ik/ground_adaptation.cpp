// Own method: critically damped springs (textbook control theory) carry each foot's rise and tilt and the
// hips' height after the ground.
#include "ground_pose.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/joint_ranges.hpp>
#include <dendraxis/ik/ground_adaptation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_speed_seconds = 0.15f;
constexpr float k_look_ahead = 0.16f;  // seconds: a foot in the air sees what it will come to
constexpr float k_in_the_air = 0.03f;  // of the leg's length, over the floor

using Eased = GroundState::Eased;

// A critically damped spring, exact for a target at rest, whatever the step.
void ease(Eased& state, float target, float seconds, float within) {
    const float pull = 4.0f / within;
    const float away = state.value - target;
    const float drift = (state.speed + pull * away) * seconds;
    const float decay = std::exp(-pull * seconds);
    state.value = target + (away + drift) * decay;
    state.speed = (state.speed - pull * drift) * decay;
}

float smooth_step(float t) {
    t = std::clamp(t, 0.0f, 1.0f);
    return t * t * (3.0f - 2.0f * t);
}

struct GroundScratch final : Workspace::Part {
    std::vector<Transform> model;
};

}  // namespace

// One call: what is found of the body and of every foot, eased, then laid on the pose.
class GroundAdaptation::Step {
 public:
    Step(detail::GroundPose& pose, float seconds, GroundState& state, const GroundOptions& options)
        : pose_(pose),
          seconds_(seconds),
          settle_(state.started ? seconds : 10.0f),
          state_(state),
          options_(options) {}

    void run() {
        find_strength();
        for (std::size_t i = 0; i < pose_.legs().size(); ++i) follow_ground(i);
        const float front = pose_.lowest_rise([](const detail::GroundLeg& leg) { return leg.front; });
        const float hind = pose_.lowest_rise([](const detail::GroundLeg& leg) { return !leg.front; });
        ease(state_.hips, pose_.hips_between(front, hind), settle_, options_.hips_seconds);
        ease(state_.pitch, pose_.pitch_of(front, hind), settle_, options_.hips_seconds);
        state_.started = true;
        pose_.lay(state_.hips.value, state_.pitch.value);
    }

 private:
    // How fast the body goes over the floor decides how much is adapted.
    void find_strength() {
        const Vec3 body = pose_.hips();
        if (state_.started && seconds_ > 0.0f) {
            const Vec3 moved = body - state_.body;
            const float now = (moved - pose_.world_up() * moved.dot(pose_.world_up())).norm() / seconds_;
            state_.speed += (1.0f - std::exp(-seconds_ / k_speed_seconds)) * (now - state_.speed);
        }
        state_.body = body;
        const float legs_a_second = state_.speed / std::max(1e-6f, pose_.size() * pose_.leg_length());
        const float span = std::max(1e-3f, options_.none_above - options_.full_below);
        strength_ = std::min(options_.strength, 1.0f) *
                    (1.0f - smooth_step((legs_a_second - options_.full_below) / span));
    }

    void follow_ground(std::size_t leg) {
        detail::GroundPose::Foot& foot = pose_.foot(leg);
        GroundState::Foot& kept = state_.feet[leg];
        const Vec3 ball = pose_.ball(leg);
        Vec3 ahead = Vec3::Zero();
        const bool in_the_air = foot.clearance > k_in_the_air * pose_.leg_length();
        if (in_the_air && state_.started && seconds_ > 0.0f)
            ahead = k_look_ahead / seconds_ * (ball - kept.position);
        kept.position = ball;
        const std::optional<GroundPoint> middle = pose_.below(ball + ahead);
        const detail::Slope slope = middle ? pose_.slope_of(*middle) : detail::Slope{};
        for (std::size_t axis = 0; axis < 2; ++axis)
            ease(kept.tilt[axis], slope[axis], settle_, options_.foot_seconds);
        ease(kept.stands, middle ? 1.0f : 0.0f, settle_, options_.foot_seconds);
        pose_.tilt_foot(leg, {kept.tilt[0].value, kept.tilt[1].value},
                        strength_ * std::clamp(kept.stands.value, 0.0f, 1.0f));
        const std::optional<float> rise = pose_.needed_rise(leg, ahead);
        if (middle) kept.rise.value += middle->rising * seconds_ / pose_.size();
        if (rise) ease(kept.rise, *rise, settle_, options_.foot_seconds);
        foot.rise = foot.stands * kept.rise.value;
    }

    detail::GroundPose& pose_;
    float seconds_;
    float settle_;
    GroundState& state_;
    const GroundOptions& options_;
    float strength_ = 0.0f;
};

GroundAdaptation::GroundAdaptation(const Chart& chart) : chart_(chart) {
    require_hips(chart);
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    const std::vector<JointRange> ranges = ranges_in_force(chart);
    float front = -1e30f;
    float back = 1e30f;
    for (const Limb& limb : limbs_of(chart)) {
        const Sole* sole = chart.shape.sole_of(limb.name);
        if (sole == nullptr || legs_.size() == GroundState::k_most_feet) continue;
        const LimbJoints joints = joints_of(limb.bones, rest);
        const float length = (joints.middle - joints.root).norm() + (joints.end - joints.middle).norm();
        detail::GroundLeg& leg = legs_.emplace_back();
        leg.limb = limb;
        leg.sole = static_cast<std::size_t>(sole - chart.shape.soles.data());
        leg.frame = joint_frame(chart, limb.bones[2]);
        const auto range = std::find_if(ranges.begin(), ranges.end(),
                                        [&](const JointRange& r) { return r.bone == limb.bones[2]; });
        leg.ranged = range != ranges.end();
        if (leg.ranged) leg.range = range->range;
        front = std::max(front, joints.root.dot(chart.facing));
        back = std::min(back, joints.root.dot(chart.facing));
        leg_length_ += length;
    }
    if (legs_.empty())
        throw Error(chart.file.empty() ? chart.character : chart.file, "has no legs to stand on", "",
                    "see what `dendraxis chart` says of its legs");
    leg_length_ /= static_cast<float>(legs_.size());
    if (front - back > 0.4f * leg_length_) {
        wheelbase_ = front - back;
        for (detail::GroundLeg& leg : legs_) {
            const float at = head_of(leg.limb.bones[0], rest).dot(chart.facing);
            leg.front = at > 0.5f * (front + back);
        }
    }
}

void GroundAdaptation::reserve(Workspace& workspace) const {
    workspace.part<GroundScratch>().model.resize(chart_.skeleton.size());
}

void GroundAdaptation::apply(std::span<Transform> pose, const Transform& placement, const Ground& ground,
                             float seconds, GroundState& state, Workspace& workspace,
                             const GroundOptions& options) const {
    if (options.strength <= 0.0f || !ground || pose.size() < chart_.skeleton.size()) {
        state = {};
        return;
    }
    reserve(workspace);
    seconds = std::isfinite(seconds) ? std::clamp(seconds, 0.0f, 0.5f) : 0.0f;
    detail::GroundPose ground_pose(*this, pose.first(chart_.skeleton.size()),
                                   workspace.part<GroundScratch>().model, placement, ground, options);
    Step(ground_pose, seconds, state, options).run();
}

}  // namespace dendraxis
