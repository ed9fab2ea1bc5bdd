// Own method: feet rise and tilt with the ground below them, the hips go with the foot that needs it most,
// two-bone limbs do the rest.
#include "ground_pose.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr int k_ankle_rounds = 12;
constexpr float k_beyond = 1e-4f;    // radians out of a range that do not count
constexpr float k_least = 0.01f;     // what a radian of lift costs in radians beyond the range
constexpr float k_most_lift = 0.9f;  // radians, of a foot

float saturated(float value, float most) {
    return most > 0.0f ? most * std::tanh(value / most) : 0.0f;
}

}  // namespace

GroundPose::GroundPose(const GroundAdaptation& adaptation, std::span<Transform> pose,
                       std::span<Transform> model, const Transform& placement, const Ground& ground,
                       const GroundOptions& options)
    : self_(adaptation),
      chart_(adaptation.chart_),
      pose_(pose),
      model_(model),
      placement_(placement),
      ground_(ground),
      options_(options),
      up_(chart_.up),
      left_(up_.cross(chart_.facing)),
      world_up_(placement.rotation * up_),
      size_(placement.scale.x()),
      floor_height_(apply(placement, chart_.floor * up_).dot(world_up_)) {
    to_model_space(chart_.skeleton, pose_, model_);
    for (std::size_t i = 0; i < legs().size(); ++i) {
        const GroundLeg& leg = legs()[i];
        Foot& foot = feet_[i];
        const auto bone = static_cast<std::size_t>(leg.limb.bones[2]);
        foot.joints = joints_of(leg.limb.bones, model_);
        foot.clearance = lowest_of(chart_.shape.soles[leg.sole], model_, up_) - chart_.floor;
        foot.clip_turn = model_[bone].rotation;
        if (leg.ranged) foot.own_beyond = overshoot(leg.range, leg.frame.turn(pose_[bone].rotation));
    }
}

Vec3 GroundPose::hips() const {
    return apply(placement_, head_of(chart_.hips, model_));
}

Vec3 GroundPose::ball(std::size_t leg) const {
    const Sole& sole = chart_.shape.soles[legs()[leg].sole];
    return apply(placement_, position_of(sole, sole.parts[k_ball], model_));
}

std::optional<GroundPoint> GroundPose::below(const Vec3& position) const {
    std::optional<GroundPoint> found =
        ground_(position + world_up_ * (floor_height_ - position.dot(world_up_)));
    const float reach = options_.most_step * leg_length() * size_;
    if (found && (!std::isfinite(found->height) || std::abs(found->height - floor_height_) > reach ||
                  !found->normal.allFinite() || found->normal.dot(world_up_) < 0.1f))
        found.reset();
    return found;
}

Slope GroundPose::slope_of(const GroundPoint& ground) const {
    const Vec3 normal = placement_.rotation.conjugate() * ground.normal;
    return {saturated(std::atan(-normal.dot(chart_.facing) / normal.dot(up_)), options_.most_tilt),
            saturated(std::atan(-normal.dot(left_) / normal.dot(up_)), options_.most_tilt)};
}

void GroundPose::tilt_foot(std::size_t leg, const Slope& slope, float stands) {
    feet_[leg].stands = stands;
    // Rising forward turns the toes up: about the left axis, backward.
    const Vec3 axis = stands * (slope[1] * chart_.facing - slope[0] * left_);
    feet_[leg].tilt =
        axis.norm() > 1e-7f ? Quat(Eigen::AngleAxisf(axis.norm(), axis.normalized())) : Quat::Identity();
}

std::optional<float> GroundPose::needed_rise(std::size_t leg, const Vec3& ahead) const {
    const Sole& sole = chart_.shape.soles[legs()[leg].sole];
    const Foot& foot = feet_[leg];
    std::optional<float> rise;
    for (const SolePoint& part : sole.parts) {
        const Vec3 position = position_of(sole, part, model_);
        const Vec3 tilted = foot.joints.end + foot.tilt * (position - foot.joints.end);
        const auto look = [&](const Vec3& at) {
            const std::optional<GroundPoint> found = below(at);
            if (!found) return;
            const float needed = (found->height - floor_height_) / size_ + (position - tilted).dot(up_);
            rise = rise ? std::max(*rise, needed) : needed;
        };
        const Vec3 now = apply(placement_, tilted);
        look(now);
        if (!ahead.isZero()) look(now + ahead);
    }
    return rise;
}

float GroundPose::hips_between(float front, float hind) const {
    return self_.wheelbase_ > 0.0f ? 0.5f * (front + hind) : hind;
}

float GroundPose::pitch_of(float front, float hind) const {
    return self_.wheelbase_ > 0.0f ? std::atan((front - hind) / self_.wheelbase_) : 0.0f;
}

bool GroundPose::differs(float hips, float pitch) const {
    bool any = std::abs(hips) > 1e-6f || std::abs(pitch) > 1e-6f;
    for (std::size_t i = 0; i < legs().size(); ++i)
        any = any || std::abs(feet_[i].rise) > 1e-6f || feet_[i].tilt.vec().norm() > 1e-6f;
    return any;
}

Vec3 GroundPose::middle_of_roots(bool front) const {
    Vec3 sum = Vec3::Zero();
    float count = 0.0f;
    for (std::size_t i = 0; i < legs().size(); ++i) {
        if (legs()[i].front != front) continue;
        sum += feet_[i].joints.root;
        count += 1.0f;
    }
    return sum / std::max(1.0f, count);
}

void GroundPose::lay(float hips, float pitch) {
    if (!differs(hips, pitch)) return;
    hips_ = hips;
    pivot_ = head_of(chart_.hips, model_);
    if (self_.wheelbase_ > 0.0f) {
        // Between the hips of all legs, so that front and hind go as far up and down.
        const Vec3 front = middle_of_roots(true);
        const Vec3 hind = middle_of_roots(false);
        const Vec3 across = up_.cross(front - hind);
        pivot_ = 0.5f * (front + hind);
        if (across.norm() > 1e-6f) turn_ = Quat(Eigen::AngleAxisf(-pitch, across.normalized()));
    }
    const auto bone = static_cast<std::size_t>(chart_.hips);
    const int parent = chart_.skeleton.parent(chart_.hips);
    const Transform above =
        parent == k_no_bone ? chart_.skeleton.above() : model_[static_cast<std::size_t>(parent)];
    pose_[bone].rotation = (above.rotation.conjugate() * turn_ * model_[bone].rotation).normalized();
    pose_[bone].translation = apply(inverse(above), carried(model_[bone].translation));
    to_model_space(chart_.skeleton, pose_, model_);
    for (std::size_t i = 0; i < legs().size(); ++i) {
        const Foot& foot = feet_[i];
        // A foot without ground goes where the body takes it.
        const Vec3 free = carried(foot.joints.end);
        const Vec3 on_ground = foot.joints.end + foot.rise * up_;
        LimbGoal goal;
        goal.target = free + foot.stands * (on_ground - free);
        goal.turn_end = true;
        goal.orientation = foot.tilt * Quat::Identity().slerp(1.0f - foot.stands, turn_) * foot.clip_turn;
        reach(chart_.skeleton, legs()[i].limb, goal, model_, pose_);
        keep_ankle_in_range(legs()[i], foot, goal);
    }
}

// What the ground asks of an ankle beyond its range (and beyond the clip's own) is taken back by as little as
// does it: the heel lifts. The foot then stands on what is lowest of it.
void GroundPose::keep_ankle_in_range(const GroundLeg& leg, const Foot& foot, const LimbGoal& goal) {
    const auto bone = static_cast<std::size_t>(leg.limb.bones[2]);
    const Sole& sole = chart_.shape.soles[leg.sole];
    const Vec3 normal = foot.tilt * up_;
    const auto lowest = [&](const Quat& orientation) {
        float least = 1e30f;
        for (const SolePoint& part : sole.parts)
            least = std::min(least, normal.dot(orientation * part.on_foot));
        return least;
    };
    const auto beyond = [&] {
        return overshoot(leg.range, leg.frame.turn(pose_[bone].rotation)) - foot.own_beyond;
    };
    if (!leg.ranged || beyond() <= k_beyond) return;
    const Quat shin = goal.orientation * pose_[bone].rotation.conjugate();
    const Quat kept = leg.frame.local(limited(leg.range, leg.frame.turn(pose_[bone].rotation)));
    const Vec3 back = rotation_vector(shin * kept * goal.orientation.conjugate());
    const auto lift = [&](float angle) {
        LimbGoal lifted = goal;
        lifted.orientation = Quat(Eigen::AngleAxisf(angle, back.normalized())) * goal.orientation;
        lifted.target += (lowest(goal.orientation) - lowest(lifted.orientation)) / normal.dot(up_) * up_;
        reach(chart_.skeleton, leg.limb, lifted, model_, pose_);
        return beyond();
    };
    // Golden section search (J. Kiefer, 1953); where nothing brings it within, what comes nearest.
    constexpr float k_golden = 0.618034f;
    const auto cost = [&](float angle) { return std::max(lift(angle), k_beyond) + k_least * angle; };
    float from = 0.0f;
    float to = std::min(4.0f * back.norm(), k_most_lift);
    std::array<float, 2> at{to - k_golden * to, k_golden * to};
    std::array<float, 2> costs{cost(at[0]), cost(at[1])};
    for (int round = 0; round < k_ankle_rounds; ++round) {
        const std::size_t worse = costs[0] < costs[1] ? 1 : 0;
        (worse == 1 ? to : from) = at[worse];
        at[worse] = at[1 - worse];
        costs[worse] = costs[1 - worse];
        at[1 - worse] = worse == 1 ? to - k_golden * (to - from) : from + k_golden * (to - from);
        costs[1 - worse] = cost(at[1 - worse]);
    }
    lift(costs[0] < costs[1] ? at[0] : at[1]);
}

}  // namespace dendraxis::detail
