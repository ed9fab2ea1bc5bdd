#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/ragdoll.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

// Getting up: from where the bodies lie back to the animation.
namespace dendraxis {
namespace {

float smooth(float share) {
    return share * share * (3.0f - 2.0f * share);
}
constexpr float k_steepest = 1.5f;  // of `smooth`

constexpr float k_may_hover = 0.5f;  // of the hips' thickness: a pose so near its floor stands on it
constexpr float k_nowhere = -1e30f;  // where the ground is, as long as nobody lies on it

// From one turn to another along the arc between them as they are given, which may be the long one: K.
// Shoemake, "Animating rotation with quaternion curves" (1985).
Quat on_arc(const Quat& from, const Quat& to, float share) {
    const float cosine = std::clamp(from.dot(to), -1.0f, 1.0f);
    if (std::abs(cosine) > 0.9995f) return from.slerp(share, to);
    const float angle = std::acos(cosine);
    return Quat((std::sin((1.0f - share) * angle) * from.coeffs() + std::sin(share * angle) * to.coeffs()) /
                std::sin(angle))
        .normalized();
}

// The same turn, written on the side of the other.
Quat beside(const Quat& other, const Quat& turn) {
    return other.dot(turn) < 0.0f ? Quat(-turn.coeffs()) : turn;
}

}  // namespace

bool Ragdoll::face_up(std::span<const BodyState> states) const noexcept {
    const Quat turn = states[0].turn * binding_.plan().bodies[0].turn.conjugate();
    return (turn * Vec3::UnitZ()).dot(controller_.rotation * binding_.up()) > 0.0f;
}

bool Ragdoll::lies_face_up() const noexcept {
    return face_up(states_);
}

// Where the body faces over the floor: of a lying one as it would face standing up from there.
Vec3 Ragdoll::facing_of(std::span<const BodyState> states) const noexcept {
    const Vec3 up = controller_.rotation * binding_.up();
    const Quat turn = states[0].turn * binding_.plan().bodies[0].turn.conjugate();
    Vec3 facing = turn * Vec3::UnitZ();
    if (head_ >= 0) {
        const Vec3 spine = states[static_cast<std::size_t>(head_)].position - states[0].position;
        const Vec3 along = spine - up * up.dot(spine);
        if (along.norm() > settings_.turn_to_lie * spine.norm())
            facing = face_up(states) ? Vec3(-along) : along;
    }
    facing -= up * up.dot(facing);
    return facing.norm() > 1e-4f ? Vec3(facing.normalized()) : Vec3(controller_.rotation * binding_.facing());
}

float Ragdoll::lowest_of(std::size_t body, const BodyState& state, const Vec3& up) const noexcept {
    return up.dot(state.position) -
           reach_along(binding_.plan().bodies[body].shape, state.turn.conjugate() * up);
}

float Ragdoll::lowest_of(std::span<const BodyState> states, const Vec3& up) const noexcept {
    float lowest = 1e30f;
    for (std::size_t b = 0; b < states.size(); ++b) lowest = std::min(lowest, lowest_of(b, states[b], up));
    return lowest;
}

// Whether every bone is where the blend is to have it: none goes faster than allowed, or than the animation.
// Bones that move with the hips are blended as they stand, not as they are turned in the bone above: where
// one of them undoes another's turn, both together would not go the short way. `model_` is the animation's.
bool Ragdoll::blend_to_animation() noexcept {
    const float share = smooth(std::clamp(since_ / ends_, 0.0f, 1.0f));
    bool arrived = true;
    std::size_t next = 0;
    for (std::size_t i = 0; i < shown_.size(); ++i) {
        Transform& shown = shown_[i];
        if (role_[i] == BoneRole::above_hips) {
            shown = animated_[i];
            continue;
        }
        shown.scale = kept_[i].scale + share * (animated_[i].scale - kept_[i].scale);
        if (role_[i] == BoneRole::with_hips) {
            TrunkBone& bone = trunk_[next++];
            bone.shown.rotation =
                turn_on(i, bone.shown.rotation, bone.kept.rotation, model_[i].rotation, share, arrived);
            bone.shown.translation =
                bone.kept.translation + share * (model_[i].translation - bone.kept.translation);
            const int parent = binding_.skeleton().parent(static_cast<int>(i));
            const Transform& above = parent == k_no_bone ? binding_.skeleton().above()
                                     : bone.above < 0    ? model_[static_cast<std::size_t>(parent)]
                                                         : trunk_[static_cast<std::size_t>(bone.above)].shown;
            bone.shown.scale = above.scale.cwiseProduct(shown.scale);
            shown.rotation = above.rotation.conjugate() * bone.shown.rotation;
            shown.translation = apply(inverse(above), bone.shown.translation);
        } else {
            shown.rotation =
                turn_on(i, shown.rotation, kept_[i].rotation, animated_[i].rotation, share, arrived);
            shown.translation =
                kept_[i].translation + share * (animated_[i].translation - kept_[i].translation);
        }
    }
    rise_over_ground(share);
    return arrived;
}

// The next turn of a bone that the animation has at `animated`; not `arrived` where it has to go slower.
Quat Ragdoll::turn_on(std::size_t bone, const Quat& now, const Quat& kept, const Quat& animated, float share,
                      bool& arrived) noexcept {
    const float may = std::max(settings_.fastest_recovery * dt_, angle_between(toward_[bone], animated));
    toward_[bone] = beside(toward_[bone], animated);
    const Quat wanted = on_arc(kept, toward_[bone], share);
    const float step = angle_between(now, wanted);
    if (step <= may) return wanted;
    arrived = false;
    return now.slerp(may / step, wanted);
}

// Halfway between two poses on the ground there may be legs in it: the body rises over them.
void Ragdoll::rise_over_ground(float share) noexcept {
    to_model_space(binding_.skeleton(), shown_, model_);
    binding_.bodies_of(model_, controller_, blended_);
    const Vec3 up = controller_.rotation * binding_.up();
    float rise = 0.0f;
    for (std::size_t b = 0; b < blended_.size(); ++b) {
        const float stands = std::max(0.0f, ground_ - lowest_of(b, now_animated_[b], up));
        const float may_sink = sunk_[b] + share * (stands - sunk_[b]);
        rise = std::max(rise, ground_ - lowest_of(b, blended_[b], up) - may_sink);
    }
    if (!(rise > 0.0f)) return;
    const Transform to_roots = inverse(binding_.skeleton().above());
    const Vec3 step = apply(to_roots, rise * binding_.up()) - to_roots.translation;
    for (std::size_t i = 0; i < shown_.size(); ++i) {
        if (binding_.skeleton().parent(static_cast<int>(i)) == k_no_bone) shown_[i].translation += step;
    }
}

// The character controller's place below the body that lies there, facing as it faces.
Transform Ragdoll::below_body(std::optional<float> ground) noexcept {
    const Vec3 up = controller_.rotation * binding_.up();
    const Vec3 from = facing_of(now_animated_);
    const Vec3 to = facing_of(states_);
    const Quat turn(Eigen::AngleAxisf(std::atan2(from.cross(to).dot(up), from.dot(to)), up));
    Transform put = controller_;
    put.rotation = (turn * controller_.rotation).normalized();
    const Vec3 hips = put.rotation * (controller_.rotation.conjugate() *
                                      (now_animated_[0].position - controller_.translation));
    put.translation = states_[0].position - hips;
    // A first pose in the air is put onto the ground, too.
    const float lies = ground && std::isfinite(*ground) ? *ground : lowest_of(states_, up);
    const float over = lowest_of(now_animated_, up) - up.dot(controller_.translation) - binding_.floor();
    const float thin = binding_.plan().bodies[0].shape.half.minCoeff();
    const float stands = binding_.floor() + (over > k_may_hover * thin ? over : 0.0f);
    put.translation += up * (lies - stands - up.dot(put.translation));
    ground_ = lies;
    for (std::size_t b = 0; b < states_.size(); ++b)
        sunk_[b] = std::max(0.0f, ground_ - lowest_of(b, states_[b], up));
    return put;
}

// Notes from where each bone turns to where, and returns how far the farthest has to.
float Ragdoll::start_turns() noexcept {
    to_model_space(binding_.skeleton(), kept_, model_);
    for (TrunkBone& bone : trunk_) bone.kept = bone.shown = model_[static_cast<std::size_t>(bone.bone)];
    to_model_space(binding_.skeleton(), animated_, model_);
    float farthest = 0.0f;
    std::size_t next = 0;
    for (std::size_t i = 0; i < toward_.size(); ++i) {
        const bool with_hips = role_[i] == BoneRole::with_hips;
        const Quat& kept = with_hips ? trunk_[next++].kept.rotation : kept_[i].rotation;
        toward_[i] = beside(kept, with_hips ? model_[i].rotation : animated_[i].rotation);
        farthest = std::max(farthest, angle_between(kept, toward_[i]));
    }
    return farthest;
}

Transform Ragdoll::recover(std::span<const Transform> first_pose, float seconds,
                           std::optional<float> ground) noexcept {
    std::copy(first_pose.begin(), first_pose.end(), animated_.begin());
    to_model_space(binding_.skeleton(), animated_, model_);
    binding_.bodies_of(model_, controller_, now_animated_);
    ground_ = k_nowhere;
    const Transform put = is_free(0) ? below_body(ground) : controller_;
    // The pose that it lies in, as seen from the character controller's new position.
    std::copy(animated_.begin(), animated_.end(), asked_pose_.begin());
    pose(asked_pose_);
    controller_ = put;
    for (std::size_t i = 0; i < role_.size() && is_free(0); ++i) {
        if (role_[i] == BoneRole::above_hips) asked_pose_[i] = animated_[i];
    }
    binding_.pose_of(states_, controller_, asked_pose_, model_);
    std::copy(asked_pose_.begin(), asked_pose_.end(), kept_.begin());
    std::copy(kept_.begin(), kept_.end(), shown_.begin());
    std::copy(alive_.begin(), alive_.end(), free_.begin());
    state_ = RagdollState::recovering;
    since_ = 0.0f;
    ends_ = std::max(std::isfinite(seconds) ? std::max(1e-3f, seconds) : 1e-3f,
                     k_steepest * start_turns() / std::max(1e-3f, settings_.fastest_recovery));
    seen_ = false;
    give_orders();
    return controller_;
}

}  // namespace dendraxis
