#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/ragdoll.hpp>
#include <dendraxis/skeleton/blend.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_longest = 0.25f;                   // seconds of one frame
constexpr float k_fastest_angular_velocity = 40.0f;  // rad/s
constexpr float k_still_distance = 0.01f;            // metres: as far as a resting body goes
constexpr float k_still_turn = 0.05f;                // radians

bool is_finite(const BodyState& state) {
    return state.position.allFinite() && state.turn.coeffs().allFinite() && state.velocity.allFinite() &&
           state.angular_velocity.allFinite() && state.turn.norm() > 0.5f;
}

constexpr float k_late = 3.0f;  // times the blend's own seconds: an animation that nothing keeps up with

}  // namespace

Ragdoll::Ragdoll(const RagdollBinding& binding, const RagdollSettings& settings)
    : binding_(binding), settings_(settings) {
    const RagdollPlan& plan = binding.plan();
    const std::size_t count = plan.bodies.size();
    alive_.assign(count, 0);
    for (const std::string& name : {settings.profile, settings.alive}) {
        if (name.empty() || plan.profiles.contains(name)) continue;
        throw Error(ErrorCode::unknown_name, "ragdoll", "has no profile '" + name + "'", "",
                    "add it to `profiles` in its sheet");
    }
    if (!settings.alive.empty()) {
        for (const int body : plan.profiles.at(settings.alive)) alive_[static_cast<std::size_t>(body)] = 1;
    }
    free_ = alive_;
    asked_.assign(count, 0);
    bodies_.resize(count);
    joints_.resize(plan.joints.size());
    states_.resize(count);
    now_animated_.resize(count);
    before_.resize(count);
    blended_.resize(count);
    sunk_.assign(count, 0.0f);
    still_at_.resize(count);
    anchors_.resize(plan.joints.size());
    shares_.assign(plan.joints.size(), 0.0f);
    animated_ = rest_pose(binding.skeleton());
    kept_ = animated_;
    shown_ = animated_;
    asked_pose_ = animated_;
    toward_.resize(animated_.size(), Quat::Identity());
    model_.resize(animated_.size());
    head_ = plan.find("head");
    find_roles();
}

void Ragdoll::find_roles() {
    const Skeleton& skeleton = binding_.skeleton();
    const RagdollBody& hips = binding_.plan().bodies.front();
    role_.assign(skeleton.size(), BoneRole::other);
    std::vector<int> place(skeleton.size(), -1);
    for (std::size_t b = 0; b < role_.size(); ++b) {
        const int bone = static_cast<int>(b);
        if (bone != hips.bone && skeleton.is_above(bone, hips.bone)) role_[b] = BoneRole::above_hips;
        const bool moves_with = std::find(hips.also.begin(), hips.also.end(), bone) != hips.also.end();
        if (bone != hips.bone && !(moves_with && skeleton.is_above(hips.bone, bone))) continue;
        role_[b] = BoneRole::with_hips;
        const int parent = skeleton.parent(bone);
        place[b] = static_cast<int>(trunk_.size());
        trunk_.push_back({bone, parent == k_no_bone ? -1 : place[static_cast<std::size_t>(parent)], {}, {}});
    }
}

// ------------------------------------------------------------------ every frame

void Ragdoll::animate(std::span<const Transform> local, const Transform& controller, float dt) noexcept {
    dt_ = dt > 0.0f ? std::min(dt, k_longest) : 0.0f;
    since_ += dt_;
    std::copy(local.begin(), local.end(), animated_.begin());
    if (controller_active()) controller_ = controller;
    to_model_space(binding_.skeleton(), animated_, model_);
    std::copy(now_animated_.begin(), now_animated_.end(), before_.begin());
    binding_.bodies_of(model_, controller_, now_animated_);
    for (std::size_t b = 0; b < states_.size(); ++b) {
        BodyState& state = now_animated_[b];
        if (seen_ && dt_ > 0.0f) {
            state.velocity = (state.position - before_[b].position) / dt_;
            state.angular_velocity = rotation_vector(state.turn * before_[b].turn.conjugate()) / dt_;
        }
        if (!is_free(b)) states_[b] = state;
    }
    seen_ = true;
    if (state_ == RagdollState::recovering) {
        const bool arrived = blend_to_animation();
        if ((arrived && since_ >= ends_) || since_ >= k_late * ends_) follow();
    }
    give_orders();
}

void Ragdoll::give_orders() noexcept {
    const RagdollPlan& plan = binding_.plan();
    const bool any = std::any_of(free_.begin(), free_.end(), [](char f) { return f != 0; });
    bool anchored = false;
    for (std::size_t b = 0; b < bodies_.size(); ++b) {
        BodyOrder& order = bodies_[b];
        const bool goes_free = free_[b] != 0 && !plan.bodies[b].kinematic;
        order.placed = goes_free && (moved_ || order.motion != BodyMotion::free);
        order.motion = !any ? BodyMotion::absent : goes_free ? BodyMotion::free : BodyMotion::kinematic;
        order.state = states_[b];
    }
    for (std::size_t j = 0; j < joints_.size(); ++j) {
        JointOrder& order = joints_[j];
        const auto body = static_cast<std::size_t>(plan.joints[j].body);
        const auto above = static_cast<std::size_t>(plan.joints[j].above);
        const bool active = any && (is_free(body) || is_free(above));
        order.placed = active && !order.active;
        order.active = active;
        if (order.placed && !anchored) {
            binding_.anchors_of(model_, anchors_);
            anchored = true;
        }
        if (order.placed) order.anchor = anchors_[j];
        order.pull =
            state_ == RagdollState::held ? shares_[j] * std::max(0.0f, plan.joints[j].strength) : 0.0f;
        if (active) order.target = binding_.turn_in(animated_, j);
    }
    moved_ = false;
}

void Ragdoll::copy_bones_of(std::size_t body, std::span<const Transform> from,
                            std::span<Transform> to) const noexcept {
    const RagdollBody& one = binding_.plan().bodies[body];
    to[static_cast<std::size_t>(one.bone)] = from[static_cast<std::size_t>(one.bone)];
    for (const int also : one.also) to[static_cast<std::size_t>(also)] = from[static_cast<std::size_t>(also)];
}

void Ragdoll::set_states(std::span<const BodyState> states) noexcept {
    bool moved = false;
    for (std::size_t b = 0; b < states_.size(); ++b) {
        if (!is_free(b) || !is_finite(states[b])) continue;
        states_[b] = states[b];
        moved = moved || (states[b].position - still_at_[b].position).norm() > k_still_distance ||
                angle_between(states[b].turn, still_at_[b].turn) > k_still_turn;
    }
    still_for_ = moved ? 0.0f : still_for_ + dt_;
    if (moved) std::copy(states_.begin(), states_.end(), still_at_.begin());
    for (BodyOrder& order : bodies_) order.placed = false;
    for (JointOrder& order : joints_) order.placed = false;
}

void Ragdoll::pose(std::span<Transform> local) noexcept {
    const bool any = std::any_of(bodies_.begin(), bodies_.end(),
                                 [](const BodyOrder& order) { return order.motion == BodyMotion::free; });
    std::copy(animated_.begin(), animated_.end(), local.begin());
    if (any) {
        // What is not free goes on as animated; what is keeps the lengths that it was let go with.
        if (is_free(0)) std::copy(kept_.begin(), kept_.end(), local.begin());
        for (std::size_t b = 0; b < bodies_.size(); ++b) {
            if (is_free(b)) copy_bones_of(b, kept_, local);
        }
        binding_.pose_of(states_, controller_, local, model_);
    }
    if (state_ == RagdollState::recovering) std::copy(shown_.begin(), shown_.end(), local.begin());
}

// ------------------------------------------------------------------ triggers

void Ragdoll::release(std::span<const char> mask, float seconds) noexcept {
    if (state_ == RagdollState::recovering) follow();
    // Bones of bodies that fall already keep what they were let go with.
    std::copy(animated_.begin(), animated_.end(), asked_pose_.begin());
    for (std::size_t b = 0; b < free_.size(); ++b) {
        if (is_free(b)) copy_bones_of(b, kept_, asked_pose_);
        free_[b] = static_cast<char>(free_[b] | mask[b]);
    }
    if (!is_free(0)) std::copy(asked_pose_.begin(), asked_pose_.end(), kept_.begin());
    to_model_space(binding_.skeleton(), animated_, model_);
    state_ = RagdollState::limp;
    since_ = 0.0f;
    ends_ = std::isfinite(seconds) ? std::max(0.0f, seconds) : 0.0f;
    still_for_ = 0.0f;
    give_orders();
}

void Ragdoll::let_go(std::string_view profile, float seconds) noexcept {
    const auto& profiles = binding_.plan().profiles;
    const auto found = std::find_if(profiles.begin(), profiles.end(), [&](const auto& entry) {
        return entry.first == (profile.empty() ? std::string_view(settings_.profile) : profile);
    });
    std::fill(asked_.begin(), asked_.end(), found == profiles.end() ? 1 : 0);
    if (found != profiles.end()) {
        // One profile takes the place of another: what it does not name is driven again.
        std::fill(free_.begin(), free_.end(), 0);
        for (const int body : found->second) asked_[static_cast<std::size_t>(body)] = 1;
    }
    release(asked_, seconds);
}

void Ragdoll::let_go_below(int body, float seconds) noexcept {
    if (body < 0 || static_cast<std::size_t>(body) >= free_.size()) return;
    const RagdollPlan& plan = binding_.plan();
    for (std::size_t b = 0; b < asked_.size(); ++b) {
        asked_[b] = 0;
        int at = static_cast<int>(b);
        for (std::size_t guard = 0; at >= 0 && guard <= asked_.size(); ++guard) {
            if (at == body) asked_[b] = 1;
            const int joint = plan.joint_of(at);
            at = joint < 0 ? -1 : plan.joints[static_cast<std::size_t>(joint)].above;
        }
    }
    release(asked_, seconds);
}

bool Ragdoll::land(float speed, float seconds) noexcept {
    if (!(speed > settings_.landing_speed) || is_free(0)) return false;
    let_go({}, seconds);
    return true;
}

HitOutcome Ragdoll::hit(int body, const Vec3& impulse, const Vec3& point, bool part_alone,
                        float seconds) noexcept {
    HitOutcome outcome;
    if (body < 0 || static_cast<std::size_t>(body) >= states_.size()) return outcome;
    const auto index = static_cast<std::size_t>(body);
    if (!impulse.allFinite() || !point.allFinite()) {
        outcome.clamped = true;
        return outcome;
    }
    const double strength = impulse.cast<double>().norm();
    if (!is_free(index) && strength > static_cast<double>(settings_.hit_impulse)) {
        if (part_alone)
            let_go_below(body, seconds);
        else
            let_go({}, seconds);
        outcome.let_go = true;
    }
    if (!is_free(index) || strength == 0.0) return outcome;
    const RagdollBody& struck = binding_.plan().bodies[index];
    const double most = static_cast<double>(settings_.most_speed_up * struck.mass);
    outcome.clamped = strength > most;
    const Vec3 given = (impulse.cast<double>() * (std::min(strength, most) / strength)).cast<float>();
    BodyState& state = states_[index];
    state.velocity += given / struck.mass;
    // No farther from the middle than the body reaches: a point beside it would spin it without end.
    Vec3 arm = point - state.position;
    const float reach = struck.shape.half.maxCoeff();
    if (arm.norm() > reach) arm *= reach / arm.norm();
    const Vec3 turning = state.turn.conjugate() * arm.cross(given);
    const Vec3 angular_velocity = state.angular_velocity + state.turn * turning.cwiseQuotient(struck.inertia);
    state.angular_velocity = angular_velocity.norm() > k_fastest_angular_velocity
                                 ? Vec3(k_fastest_angular_velocity * angular_velocity.normalized())
                                 : angular_velocity;
    bodies_[index].placed = true;
    bodies_[index].state = state;
    return outcome;
}

void Ragdoll::hold(std::span<const float> share) noexcept {
    if (share.empty()) return;
    for (std::size_t j = 0; j < shares_.size(); ++j) {
        const float own = share.size() == 1 ? share[0] : j < share.size() ? share[j] : 0.0f;
        shares_[j] = std::isfinite(own) ? std::clamp(own, 0.0f, 10.0f) : 0.0f;
    }
    if (std::none_of(free_.begin(), free_.end(), [](char f) { return f != 0; })) let_go();
    state_ = RagdollState::held;
    give_orders();
}

void Ragdoll::teleport(const Transform& from, const Transform& to) noexcept {
    const Quat turn = (to.rotation * from.rotation.conjugate()).normalized();
    const auto move = [&](Vec3& position, Quat& own) {
        position = to.translation + turn * (position - from.translation);
        own = (turn * own).normalized();
    };
    for (std::vector<BodyState>* states : {&states_, &now_animated_, &before_, &still_at_}) {
        for (BodyState& state : *states) {
            move(state.position, state.turn);
            state.velocity = turn * state.velocity;
            state.angular_velocity = turn * state.angular_velocity;
        }
    }
    move(controller_.translation, controller_.rotation);
    moved_ = true;
    give_orders();
    moved_ = true;  // `animate` gives orders anew before the engine has seen these
}

void Ragdoll::follow() noexcept {
    std::copy(alive_.begin(), alive_.end(), free_.begin());
    state_ = RagdollState::following;
    since_ = ends_ = 0.0f;
    give_orders();
}

}  // namespace dendraxis
