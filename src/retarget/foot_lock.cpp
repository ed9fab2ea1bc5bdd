// Own method: the offline pass of hold_feet.cpp without a look ahead.
#include "foot_steps.hpp"
#include "pass_plan.hpp"
#include "smoothing.hpp"
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
constexpr float k_down_seconds = 0.03f;   // how long the hips take to follow a leg that is too short
constexpr float k_near_from = 0.03f;      // of the leg's length over the floor: from here
constexpr float k_near_fades = 0.07f;     // within this much a foot is left to the hips
constexpr float k_high = 0.06f;           // of the leg's length: higher is not the floor
constexpr float k_landing = 0.3f;         // of a foot's height that the hips need not be down for yet
constexpr float k_counts_seconds = 0.1f;  // a shorter contact says nothing about the next
constexpr float k_speed_seconds = 0.033f;
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

// In lengths of the leg a second, seen from the floor: the slower of the ways from the pose before and over a
// thirtieth of a second. The first knows at once that a foot has landed; the second does not mind noise.
float speed_of(const Vec3& now, const Foot& foot, std::size_t part, const Vec3& floor_velocity, float leg) {
    float slowest = foot.past_count > 0 ? 1e30f : 0.0f;
    for (std::size_t i = 0; i < foot.past_count; ++i) {
        const FootLockState::Past& past = foot.past[i];
        const bool asked = i == 0 || i + 1 == foot.past_count || past.ago >= k_speed_seconds;
        if (!asked) continue;
        const Vec3 moved = now - past.parts[part] - past.ago * floor_velocity;
        slowest = std::min(slowest, moved.norm() / (leg * std::max(past.ago, 1e-4f)));
        if (past.ago >= k_speed_seconds) break;
    }
    return slowest;
}

// Puts the pose in front of the past ones.
void remember(const Now& now, Foot& foot) {
    std::move_backward(foot.past.begin(), foot.past.end() - 1, foot.past.end());
    foot.past.front() = {now.source, 0.0f};
    foot.past_count = std::min(foot.past_count + 1, foot.past.size());
}

// A pose without a past is taken as one that rests.
void find_stands(const PassPlan& plan, float leg, const Now& now, const Vec3& floor_velocity, float seconds,
                 Foot& foot) {
    const Vec3& up = plan.pairing.source.up;
    std::array<float, k_foot_parts> over_floor{};
    std::array<float, k_foot_parts> speed{};
    for (FootLockState::Past& past : foot.past) past.ago += seconds;
    for (std::size_t p = 0; p < k_foot_parts; ++p) {
        over_floor[p] = now.source[p].dot(up) - plan.source_floor;
        speed[p] = speed_of(now.source[p], foot, p, floor_velocity, leg);
    }
    const float lowest = *std::min_element(over_floor.begin(), over_floor.end());
    const float slowest = *std::min_element(speed.begin(), speed.end());
    // A foot that rests high up stands on something up there.
    const bool rests = lowest > k_high * leg && slowest < 0.12f;
    foot.still_seconds = rests ? foot.still_seconds + seconds : 0.0f;
    if (!rests || foot.still_seconds < k_still_seconds) foot.level = 0.0f;
    if (rests && foot.still_seconds >= k_still_seconds && foot.level == 0.0f) foot.level = lowest;
    for (float& height : over_floor) height = (height - foot.level) / leg;
    foot.stands = parts_that_stand(over_floor, speed, foot.stands);
}

bool stands(const Foot& foot) {
    return std::any_of(foot.stands.begin(), foot.stands.end(), [](bool on) { return on; });
}

// Turns from the model's facing to where the foot points over the floor.
Quat along_foot(const Chart& target, const Now& now) {
    const auto level = [&](const Vec3& v) { return Vec3(v - v.dot(target.up) * target.up); };
    const Vec3 ahead = level(now.target[k_ball] - now.target[k_heel]);
    if (ahead.norm() < 1e-6f) return Quat::Identity();
    return Quat::FromTwoVectors(level(target.facing), ahead);
}

// How far the foot must come up. One in the air goes with the hips, but not through the floor.
float rise_of(const PassPlan& plan, const LimbPlan& leg, const Now& now, const Foot& foot, float hips_shift) {
    const float floor = plan.pairing.target.floor - now.lowest;
    const float exact = floor + plan.leg_ratio * now.source_height;
    const float free = std::max(hips_shift, floor + plan.leg_ratio * std::min(0.0f, now.source_height));
    const float over = (now.source_height - foot.level) / leg.source_length;
    return exact + detail::smoother_step((over - k_near_from) / k_near_fades) * (free - exact);
}

void begin_contact(const Vec3& over_floor, Foot& foot) {
    foot.start = over_floor;
    foot.strayed = Vec3::Zero();
    foot.stood_seconds = 0.0f;
}

// A contact that is over says how far the next one will stray.
void end_contact(const Chart& target, const Now& now, Foot& foot) {
    if (foot.stood_seconds < k_counts_seconds) return;
    foot.lead = -(along_foot(target, now).conjugate() * foot.strayed) / foot.stood_seconds;
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

Now now_of(const PassPlan& plan, const LimbPlan& leg, std::span<const Transform> source,
           std::span<const Transform> target) {
    const Sole& source_sole = plan.source_sole(leg);
    const Sole& sole = plan.target_sole(leg);
    Now now;
    now.joints = leg.target.joints(target);
    for (std::size_t p = 0; p < k_foot_parts; ++p) {
        now.source[p] = position_of(source_sole, source_sole.parts[p], source);
        now.target[p] = position_of(sole, sole.parts[p], target) - now.joints.end;
    }
    now.source_height = lowest_of(source_sole, source, plan.pairing.source.up) - plan.source_floor;
    now.lowest = lowest_of(sole, target, plan.pairing.target.up);
    return now;
}

// Where there is no pose before and no foot near the floor, they stand on something up there.
void start_high(std::span<const LimbPlan> legs, std::span<const Now> now, FootLockState& state) {
    for (std::size_t i = 0; i < now.size(); ++i) {
        if (now[i].source_height <= k_high * legs[i].source_length) return;
    }
    for (std::size_t i = 0; i < now.size(); ++i) state.feet[i].still_seconds = k_still_seconds;
}

// Finds out whether the foot stands, and how far it must move.
void follow(const PassPlan& plan, const LimbPlan& leg, const Now& now, float seconds,
            const FootLockState& state, Foot& foot) {
    const Chart& to = plan.pairing.target;
    const auto level = [&](const Vec3& v) { return Vec3(v - v.dot(to.up) * to.up); };
    Vec3 over_floor = level(foot.correction);
    const bool stood = stands(foot);
    detail::FootStep step{foot.past.front().parts,        now.source, foot.target, now.target, foot.stands,
                          seconds * state.floor_velocity, seconds};
    find_stands(plan, leg.source_length, now, state.floor_velocity, seconds, foot);
    for (std::size_t p = 0; p < k_foot_parts; ++p) step.rests[p] = step.rests[p] || foot.stands[p];
    if (state.started && (stood || stands(foot))) {
        if (!stood) begin_contact(over_floor, foot);
        over_floor += detail::rolled(plan, leg, step) - level(now.joints.end - foot.ankle);
        foot.strayed += seconds * (over_floor - foot.start);
        foot.stood_seconds += seconds;
        if (!stands(foot)) end_contact(to, now, foot);
    } else if (state.started) {
        const Vec3 next = along_foot(to, now) * foot.lead;
        over_floor = next + (over_floor - next) * std::exp(-seconds / k_release_seconds);
    }
    foot.correction = over_floor + rise_of(plan, leg, now, foot, state.hips_shift) * to.up;
    remember(now, foot);
    foot.target = now.target;
    foot.ankle = now.joints.end;
}

// How far the hips go up so that legs that stand are bent as the transfer has them, on average, and none is
// too short; a foot that is about to land tells them in time.
float hips_shift(const PassPlan& plan, std::span<const Now> now, float seconds, const FootLockState& state) {
    const Vec3& up = plan.pairing.target.up;
    float sum = 0.0f;
    float weight = 0.0f;
    float highest = 1e30f;
    for (std::size_t i = 0; i < now.size(); ++i) {
        const Foot& foot = state.feet[i];
        const LimbJoints& joints = now[i].joints;
        const float stretch = (joints.end - joints.root).norm();
        const float over = k_landing * std::max(0.0f, plan.leg_ratio * now[i].source_height);
        const float longest = std::max(stretch, k_most_stretch * plan.legs[i].target_length);
        highest = std::min(highest, over + shift_for(joints, foot.correction, up, longest));
        if (!stands(foot)) continue;
        sum += shift_for(joints, foot.correction, up, stretch);
        weight += 1.0f;
    }
    const float wanted = std::min(weight > 0.0f ? sum / weight : state.hips_shift, highest);
    if (!state.started) return wanted;
    const float ease = wanted < state.hips_shift ? k_down_seconds : k_hips_seconds;
    return wanted + (state.hips_shift - wanted) * std::exp(-seconds / ease);
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
    std::array<Now, FootLockState::k_most_feet> all;
    const std::span<Now> now(all.data(), std::min(planned.size(), all.size()));
    for (std::size_t i = 0; i < now.size(); ++i) now[i] = now_of(plan, planned[i], own.source, own.target);
    if (!state.started) start_high(planned, now, state);
    for (std::size_t i = 0; i < now.size(); ++i)
        follow(plan, planned[i], now[i], seconds, state, state.feet[i]);
    if (!plan.stiff_legs.empty()) {
        stand_stiff(plan, now, seconds, state, own.target, target);
        return;
    }
    state.hips_shift = hips_shift(plan, now, seconds, state);
    state.started = true;
    const Vec3 shift = state.hips_shift * to.up;
    detail::move_bone(to.skeleton, own.target, target, to.hips, shift);
    for (std::size_t i = 0; i < now.size(); ++i) {
        const LimbJoints& joints = now[i].joints;
        const LimbJoints moved{joints.root + shift, joints.middle + shift, joints.end + shift};
        const LimbTurns turns = solve_two_bone(moved, joints.end + state.feet[i].correction);
        planned[i].target.turn(to.skeleton, turns, moved.root, own.target, target);
    }
    attach(plan.attachments, to.skeleton, target);
}

}  // namespace dendraxis
