// Own method: critically damped springs (textbook control theory) carry each foot's rise and tilt and the
// hub's height after the ground; two-bone limbs do the rest.
#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ik/ground_adaptation.hpp>
#include <dendraxis/ik/joint_ranges.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_speed_seconds = 0.15f;
constexpr float k_look_ahead = 0.16f;  // seconds: a foot in the air sees what it will come to
constexpr float k_in_the_air = 0.03f;  // of the leg's length, over the floor
constexpr float k_most_stretch = 0.995f;

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

float softly_within(float value, float most) {
    return most > 0.0f ? most * std::tanh(value / most) : 0.0f;
}

}  // namespace

// One call: what is found of every foot.
struct GroundAdaptation::Step {
    struct Foot {
        LimbJoints joints;
        float clearance = 0.0f;  // of the clip, over its floor
        Quat tilt = Quat::Identity();
        float rise = 0.0f;
        float stands = 0.0f;
    };
    std::array<Foot, GroundState::k_most_feet> feet;
};

GroundAdaptation::GroundAdaptation(const Chart& chart) : chart_(chart) {
    const std::string where = chart.file.empty() ? chart.character : chart.file;
    if (chart.hub == k_no_bone)
        throw Error(where, "has no hub, the bone that carries the body", "",
                    "see what `dendraxis chart` says of it");
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    const std::vector<JointRange> ranges = ranges_in_force(chart);
    float front = -1e30f;
    float back = 1e30f;
    for (const Limb& limb : limbs_of(chart)) {
        const auto sole = std::find_if(chart.shape.soles.begin(), chart.shape.soles.end(),
                                       [&](const Sole& s) { return s.leg == limb.name; });
        if (sole == chart.shape.soles.end() || legs_.size() == GroundState::k_most_feet) continue;
        const LimbJoints joints = joints_of(limb.bones, rest);
        const float length = (joints.middle - joints.root).norm() + (joints.end - joints.middle).norm();
        Leg& leg = legs_.emplace_back();
        leg.limb = limb;
        leg.sole = static_cast<std::size_t>(sole - chart.shape.soles.begin());
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
        throw Error(where, "has no legs to stand on", "", "see what `dendraxis chart` says of its legs");
    leg_length_ /= static_cast<float>(legs_.size());
    if (front - back > 0.4f * leg_length_) {
        wheelbase_ = front - back;
        for (Leg& leg : legs_) {
            const float at = head_of(leg.limb.bones[0], rest).dot(chart.facing);
            leg.front = at > 0.5f * (front + back);
        }
    }
}

// What the ground asks of an ankle beyond its range (and beyond the clip's own) is taken back: the heel
// lifts. The foot then stands on what is lowest of it.
void GroundAdaptation::keep_ankle_in_range(const Leg& leg, float own_beyond, const Vec3& normal,
                                           LimbGoal goal, std::span<const Transform> model,
                                           std::span<Transform> pose) const {
    const auto foot = static_cast<std::size_t>(leg.limb.bones[2]);
    const Sole& sole = chart_.shape.soles[leg.sole];
    const auto lowest = [&](const Quat& orientation) {
        float least = 1e30f;
        for (const SolePoint& part : sole.parts)
            least = std::min(least, normal.dot(orientation * part.on_foot));
        return least;
    };
    for (int round = 0; leg.ranged && round < 8; ++round) {
        const Quat turn = leg.frame.turn(pose[foot].rotation);
        const float beyond = overshoot(leg.range, turn) - own_beyond;
        if (beyond <= 1e-4f) return;
        const Quat inside = limited(leg.range, turn);
        const float whole = beyond + own_beyond;
        const Quat kept = leg.frame.local(turn.slerp(beyond / whole, inside));
        const Quat shin = goal.orientation * pose[foot].rotation.conjugate();
        const Quat orientation = (shin * kept).normalized();
        goal.target += (lowest(goal.orientation) - lowest(orientation)) / normal.dot(chart_.up) * chart_.up;
        goal.orientation = orientation;
        reach(chart_.skeleton, leg.limb, goal, model, pose);
    }
}

void GroundAdaptation::apply(std::span<Transform> pose, const Transform& placement, const Ground& ground,
                             float seconds, GroundState& state, Workspace& workspace,
                             const GroundOptions& options) const {
    if (options.strength <= 0.0f || !ground || pose.size() < chart_.skeleton.size()) {
        state = {};
        return;
    }
    pose = pose.first(chart_.skeleton.size());
    seconds = std::isfinite(seconds) ? std::clamp(seconds, 0.0f, 0.5f) : 0.0f;
    workspace.model.resize(chart_.skeleton.size());
    const std::span<Transform> model = workspace.model;
    to_model_space(chart_.skeleton, pose, model);
    const Vec3 up = chart_.up;
    const Vec3 world_up = placement.rotation * up;
    const Vec3 left = up.cross(chart_.facing);
    const float size = placement.scale.x();
    const float floor_height = dendraxis::apply(placement, chart_.floor * up).dot(world_up);
    const float settle = state.started ? seconds : 10.0f;

    // How fast the body goes over the floor decides how much is adapted.
    const Vec3 body = dendraxis::apply(placement, head_of(chart_.hub, model));
    if (state.started && seconds > 0.0f) {
        const Vec3 moved = body - state.body;
        const float now = (moved - world_up * moved.dot(world_up)).norm() / seconds;
        state.speed += (1.0f - std::exp(-seconds / k_speed_seconds)) * (now - state.speed);
    }
    state.body = body;
    const float legs_a_second = state.speed / std::max(1e-6f, size * leg_length_);
    const float strength = std::min(options.strength, 1.0f) *
                           (1.0f - smooth_step((legs_a_second - options.full_below) /
                                               std::max(1e-3f, options.none_above - options.full_below)));

    Step step;
    for (std::size_t i = 0; i < legs_.size(); ++i) {
        const Sole& sole = chart_.shape.soles[legs_[i].sole];
        Step::Foot& foot = step.feet[i];
        GroundState::Foot& kept = state.feet[i];
        foot.joints = joints_of(legs_[i].limb.bones, model);
        foot.clearance = lowest_of(sole, model, up) - chart_.floor;
        const Vec3 ball = dendraxis::apply(placement, place_of(sole, sole.parts[k_ball], model));
        const Vec3 velocity =
            state.started && seconds > 0.0f ? Vec3((ball - kept.place) / seconds) : Vec3(Vec3::Zero());
        kept.place = ball;
        const float reach = options.most_step * leg_length_ * size;
        const auto below = [&](const Vec3& place) -> std::optional<GroundPoint> {
            // Asked from the floor's height: the clip's own height over it does not count.
            Vec3 on_floor = place + world_up * (floor_height - place.dot(world_up));
            std::optional<GroundPoint> found = ground(on_floor);
            if (found && (!std::isfinite(found->height) || std::abs(found->height - floor_height) > reach ||
                          !found->normal.allFinite() || found->normal.dot(world_up) < 0.1f))
                found.reset();
            return found;
        };
        const bool in_the_air = foot.clearance > k_in_the_air * leg_length_;
        const Vec3 ahead = in_the_air ? Vec3(k_look_ahead * velocity) : Vec3(Vec3::Zero());
        const std::optional<GroundPoint> middle = below(ball + ahead);
        float slope_forward = 0.0f;
        float slope_left = 0.0f;
        if (middle) {
            const Vec3 normal = placement.rotation.conjugate() * middle->normal;
            slope_forward = -normal.dot(chart_.facing) / normal.dot(up);
            slope_left = -normal.dot(left) / normal.dot(up);
        }
        ease(kept.tilt[0], softly_within(std::atan(slope_forward), options.most_tilt), settle,
             options.foot_seconds);
        ease(kept.tilt[1], softly_within(std::atan(slope_left), options.most_tilt), settle,
             options.foot_seconds);
        ease(kept.stands, middle ? 1.0f : 0.0f, settle, options.foot_seconds);
        foot.stands = strength * std::clamp(kept.stands.value, 0.0f, 1.0f);
        const Vec3 tilted(kept.tilt[0].value, kept.tilt[1].value, 0.0f);
        const Vec3 axis = foot.stands * (tilted.y() * chart_.facing - tilted.x() * left);
        // Rising forward turns the toes up: about the left axis, backward.
        foot.tilt =
            axis.norm() > 1e-7f ? Quat(Eigen::AngleAxisf(axis.norm(), axis.normalized())) : Quat::Identity();
        float rise = 0.0f;
        bool found = false;
        for (const SolePoint& part : sole.parts) {
            const Vec3 place = place_of(sole, part, model);
            const Vec3 turned = foot.joints.end + foot.tilt * (place - foot.joints.end);
            for (const Vec3& look : {Vec3(Vec3::Zero()), ahead}) {
                const std::optional<GroundPoint> at = below(dendraxis::apply(placement, turned) + look);
                if (!at) continue;
                const float ground_rise = (at->height - floor_height) / size;
                const float needed = ground_rise + place.dot(up) - turned.dot(up);
                rise = found ? std::max(rise, needed) : needed;
                found = true;
                if (!in_the_air) break;
            }
        }
        if (middle) kept.rise.value += middle->rising * seconds / size;
        if (found) ease(kept.rise, rise, settle, options.foot_seconds);
        foot.rise = foot.stands * kept.rise.value;
    }

    // The hub goes with the lowest foot; a lifted one has room to spare.
    const auto lowest_rise = [&](bool front, bool all) {
        float lowest = 1e30f;
        float least_spare = 1e30f;
        for (std::size_t i = 0; i < legs_.size(); ++i) {
            const Step::Foot& foot = step.feet[i];
            if ((!all && legs_[i].front != front) || foot.stands < 0.01f) continue;
            const float spare = foot.stands * std::clamp(2.0f * foot.clearance, 0.0f, 0.5f * leg_length_);
            lowest = std::min(lowest, foot.rise + spare);
            least_spare = std::min(least_spare, spare);
        }
        return lowest < 1e29f ? lowest - least_spare : 0.0f;
    };
    float hub = 0.0f;
    float pitch = 0.0f;
    if (wheelbase_ > 0.0f) {
        const float front = lowest_rise(true, false);
        const float hind = lowest_rise(false, false);
        hub = 0.5f * (front + hind);
        pitch = std::atan((front - hind) / wheelbase_);
    } else {
        hub = lowest_rise(false, true);
    }
    ease(state.hub, hub, settle, options.hub_seconds);
    ease(state.pitch, pitch, settle, options.hub_seconds);
    state.started = true;

    const Quat turn(Eigen::AngleAxisf(-state.pitch.value, left));
    Vec3 pivot = head_of(chart_.hub, model);
    if (wheelbase_ > 0.0f) {
        // Between the hips of all legs, so that front and hind go as far up and down.
        pivot.setZero();
        for (std::size_t i = 0; i < legs_.size(); ++i)
            pivot += step.feet[i].joints.root / static_cast<float>(legs_.size());
    }
    const auto carried = [&](const Vec3& place) {
        return Vec3(pivot + turn * (place - pivot) + state.hub.value * up);
    };
    const bool moves = std::abs(state.hub.value) > 1e-6f || std::abs(state.pitch.value) > 1e-6f;
    bool any = moves;
    for (std::size_t i = 0; i < legs_.size(); ++i) {
        const Step::Foot& foot = step.feet[i];
        any = any || std::abs(foot.rise) > 1e-6f || foot.tilt.vec().norm() > 1e-6f;
    }
    if (!any) return;
    const auto hub_bone = static_cast<std::size_t>(chart_.hub);
    const int hub_parent = chart_.skeleton.parent(chart_.hub);
    const Transform above =
        hub_parent == k_no_bone ? chart_.skeleton.above() : model[static_cast<std::size_t>(hub_parent)];
    if (moves) {
        pose[hub_bone].rotation = (above.rotation.conjugate() * turn * model[hub_bone].rotation).normalized();
        pose[hub_bone].translation = dendraxis::apply(inverse(above), carried(model[hub_bone].translation));
    }
    std::array<Quat, GroundState::k_most_feet> clip_turns;
    std::array<float, GroundState::k_most_feet> own_beyond{};
    for (std::size_t i = 0; i < legs_.size(); ++i) {
        const auto foot = static_cast<std::size_t>(legs_[i].limb.bones[2]);
        clip_turns[i] = model[foot].rotation;
        own_beyond[i] = overshoot(legs_[i].range, legs_[i].frame.turn(pose[foot].rotation));
    }
    to_model_space(chart_.skeleton, pose, model);
    for (std::size_t i = 0; i < legs_.size(); ++i) {
        const Step::Foot& foot = step.feet[i];
        // A foot without ground goes where the body takes it.
        const Vec3 free = carried(foot.joints.end);
        const Vec3 on_ground = foot.joints.end + foot.rise * up;
        LimbGoal goal;
        goal.target = free + foot.stands * (on_ground - free);
        goal.turn_end = true;
        goal.orientation = (foot.tilt * Quat::Identity().slerp(1.0f - foot.stands, turn)) * clip_turns[i];
        reach(chart_.skeleton, legs_[i].limb, goal, model, pose);
        keep_ankle_in_range(legs_[i], own_beyond[i], foot.tilt * up, goal, model, pose);
    }
}

}  // namespace dendraxis
