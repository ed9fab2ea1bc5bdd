// Own method: the offline pass of hold_feet.cpp without a look ahead.
#include "pass_plan.hpp"
#include "standing.hpp"

#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/retarget/foot_lock.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

using detail::k_hips_seconds;
using detail::LimbPlan;
using detail::PassPlan;

constexpr float k_release_seconds = 0.12f;  // in which a correction falls to about a third
constexpr float k_still_seconds = 0.2f;
constexpr float k_most_stretch = 0.997f;

using Foot = FootLockState::Foot;

// One foot in one pose.
struct Now {
    std::array<Vec3, 3> source;
    std::array<Vec3, 3> target;
    LimbJoints joints;
    float source_height = 0.0f;
    float lowest = 0.0f;
};

void find_stands(const Chart& source, float leg, const Now& now, float seconds, Foot& foot) {
    const ContactLimits limits;
    float lowest = 1e30f;
    float slowest = 1e30f;
    for (std::size_t p = 0; p < now.source.size(); ++p) {
        lowest = std::min(lowest, now.source[p].dot(source.up) - source.floor);
        slowest =
            std::min(slowest, (now.source[p] - foot.source[p]).norm() / (leg * std::max(seconds, 1e-4f)));
    }
    // A foot that rests high up stands on something up there.
    const bool rests = lowest > 0.06f * leg && slowest < 0.12f;
    foot.still_seconds = rests ? foot.still_seconds + seconds : 0.0f;
    if (!rests || foot.still_seconds < k_still_seconds) foot.level = 0.0f;
    if (rests && foot.still_seconds >= k_still_seconds && foot.level == 0.0f) foot.level = lowest;
    for (std::size_t p = 0; p < now.source.size(); ++p) {
        const float height = (now.source[p].dot(source.up) - source.floor - foot.level) / leg;
        const float speed = (now.source[p] - foot.source[p]).norm() / (leg * std::max(seconds, 1e-4f));
        const float tilt = height - (lowest - foot.level) / leg;
        foot.stands[p] =
            foot.stands[p]
                ? height < limits.leave_height && speed < limits.leave_speed && tilt < limits.leave_tilt
                : height < limits.touch_height && speed < limits.touch_speed && tilt < limits.touch_tilt;
    }
}

// How far the ankle must move for the parts that stand to move as the source's do.
Vec3 rolled(const PassPlan& plan, const Now& now, const Foot& before) {
    Vec3 step = Vec3::Zero();
    float standing = 0.0f;
    for (std::size_t p = 0; p < now.source.size(); ++p) {
        if (!before.stands[p]) continue;
        step += plan.leg_ratio * (plan.to_target * Vec3(now.source[p] - before.source[p])) -
                (now.target[p] - before.target[p]);
        standing += 1.0f;
    }
    return standing > 0.0f ? Vec3(step / standing) : Vec3(Vec3::Zero());
}

bool stands(const Foot& foot) {
    return std::any_of(foot.stands.begin(), foot.stands.end(), [](bool on) { return on; });
}

float shift_for(const LimbJoints& joints, const Vec3& correction, const Vec3& up, float reach) {
    const Vec3 direction = joints.end + correction - joints.root;
    const float down = direction.dot(up);
    const float aside = (direction - down * up).norm();
    return down + std::sqrt(std::max(0.0f, reach * reach - aside * aside));
}

// Legs without knees turn to where they stand; the body is as high as the lowest foot that stands wants it,
// and no foot goes through the floor.
void stand_stiff(const PassPlan& plan, std::span<const Now> now, float seconds, FootLockState& state,
                 std::span<Transform> model, std::span<Transform> local) {
    const Chart& to = plan.pairing.target;
    float standing = -1e30f;
    float least = 0.0f;
    for (std::size_t i = 0; i < now.size(); ++i) {
        const LimbPlan& leg = plan.stiff_legs[i];
        const Foot& foot = state.feet[i];
        const Vec3 step = foot.correction - foot.correction.dot(to.up) * to.up;
        const Quat turn = detail::turn_aside(to.skeleton, leg.target, now[i].joints, step, to.up,
                                             stands(foot) ? 1.0f : 0.0f, local);
        Quat& own = model[static_cast<std::size_t>(leg.target.bones.front())].rotation;
        own = turn * own;
        const float height = lowest_of(plan.target_sole(leg), model, to.up) - to.floor;
        const float wanted = plan.leg_ratio * now[i].source_height;
        least = std::max(least, std::min(wanted, 0.0f) - height);
        if (stands(foot)) standing = std::max(standing, wanted - height);
    }
    const float eased = state.hips_shift * std::exp(-seconds / k_release_seconds);
    state.hips_shift = std::max(least, standing > -1e30f ? standing : eased);
    state.started = true;
    detail::move_bone(to.skeleton, model, local, to.hips, state.hips_shift * to.up);
    attach(plan.attachments, to.skeleton, local);
}

struct FootLockScratch final : Workspace::Part {
    std::vector<Transform> source;
    std::vector<Transform> target;
};

}  // namespace

FootLock::FootLock(const Pairing& pairing) : plan_(std::make_shared<PassPlan>(pairing)) {}

void FootLock::reserve(Workspace& workspace) const {
    auto& own = workspace.part<FootLockScratch>();
    own.source.resize(plan_->pairing.source.skeleton.size());
    own.target.resize(plan_->pairing.target.skeleton.size());
}

void FootLock::apply(std::span<const Transform> source, std::span<Transform> target, float seconds,
                     FootLockState& state, Workspace& workspace) const {
    const PassPlan& plan = *plan_;
    const Chart& from = plan.pairing.source;
    const Chart& to = plan.pairing.target;
    if (source.size() < from.skeleton.size() || target.size() < to.skeleton.size() || to.hips == k_no_bone)
        return;
    if (plan.is_exact) return;
    reserve(workspace);
    auto& own = workspace.part<FootLockScratch>();
    to_model_space(from.skeleton, source.first(from.skeleton.size()), own.source);
    to_model_space(to.skeleton, target.first(to.skeleton.size()), own.target);
    const std::vector<LimbPlan>& planned = plan.standing_legs();
    const std::size_t legs = std::min(planned.size(), FootLockState::k_most_feet);
    std::array<Now, FootLockState::k_most_feet> now;
    float shift_sum = 0.0f;
    float shift_weight = 0.0f;
    float highest = 1e30f;
    for (std::size_t i = 0; i < legs; ++i) {
        const LimbPlan& leg = planned[i];
        const Sole& source_sole = plan.source_sole(leg);
        const Sole& sole = plan.target_sole(leg);
        Now& pose = now[i];
        pose.joints = leg.target.joints(own.target);
        for (std::size_t p = 0; p < k_foot_parts; ++p) {
            pose.source[p] = position_of(source_sole, source_sole.parts[p], own.source);
            pose.target[p] = position_of(sole, sole.parts[p], own.target) - pose.joints.end;
        }
        pose.source_height = lowest_of(source_sole, own.source, from.up) - from.floor;
        pose.lowest = lowest_of(sole, own.target, to.up);
        Foot& foot = state.feet[i];
        Vec3 over_floor = foot.correction - foot.correction.dot(to.up) * to.up;
        if (state.started) {
            const bool stood = stands(foot);
            const Vec3 step = rolled(plan, pose, foot) - (pose.joints.end - foot.ankle);
            find_stands(from, leg.source_length, pose, seconds, foot);
            if (stood && stands(foot)) {
                over_floor += step - step.dot(to.up) * to.up;
            } else {
                over_floor *= std::exp(-seconds / k_release_seconds);
            }
        }
        const float rise = to.floor + plan.leg_ratio * pose.source_height - pose.lowest;
        foot.correction = over_floor + rise * to.up;
        foot.source = pose.source;
        foot.target = pose.target;
        foot.ankle = pose.joints.end;
        if (!stands(foot)) continue;
        const float stretch = (pose.joints.end - pose.joints.root).norm();
        shift_sum += shift_for(pose.joints, foot.correction, to.up, stretch);
        shift_weight += 1.0f;
        highest = std::min(highest, shift_for(pose.joints, foot.correction, to.up,
                                              std::max(stretch, k_most_stretch * leg.target_length)));
    }
    if (!plan.stiff_legs.empty()) {
        stand_stiff(plan, std::span(now).first(legs), seconds, state, own.target, target);
        return;
    }
    const float wanted = shift_weight > 0.0f ? std::min(shift_sum / shift_weight, highest) : state.hips_shift;
    state.hips_shift =
        state.started ? wanted + (state.hips_shift - wanted) * std::exp(-seconds / k_hips_seconds) : wanted;
    state.started = true;
    const Vec3 shift = state.hips_shift * to.up;
    detail::move_bone(to.skeleton, own.target, target, to.hips, shift);
    for (std::size_t i = 0; i < legs; ++i) {
        const LimbJoints& joints = now[i].joints;
        const LimbJoints moved{joints.root + shift, joints.middle + shift, joints.end + shift};
        const LimbTurns turns = solve_two_bone(moved, joints.end + state.feet[i].correction);
        planned[i].target.turn(to.skeleton, turns, moved.root, own.target, target);
    }
    attach(plan.attachments, to.skeleton, target);
}

}  // namespace dendraxis
