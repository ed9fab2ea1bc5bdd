// A ragdoll's plan bound to a skeleton: from a pose to the bodies and back.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/joint_turn.hpp>
#include <dendraxis/ragdoll/plan.hpp>

namespace dendraxis {

/// A rigid body in the world: where its center of mass is, how it is turned, how it moves. Metres, radians,
/// seconds.
struct BodyState {
    Vec3 position = Vec3::Zero();
    Quat turn = Quat::Identity();
    Vec3 velocity = Vec3::Zero();
    Vec3 angular_velocity = Vec3::Zero();  ///< rotation vector a second, in the world
};

/// Where a joint is on each of its two bodies, in their own frames, and the axes that its range is measured
/// in, as each of them carries them.
struct JointAnchor {
    Vec3 on_above = Vec3::Zero();
    Vec3 on_body = Vec3::Zero();
    Quat above_axes = Quat::Identity();
    Quat body_axes = Quat::Identity();
};

/// How far a joint is turned away from rest, as its range measures it.
inline Quat turn_of(const JointAnchor& anchor, const BodyState& above, const BodyState& body) noexcept {
    return (above.turn * anchor.above_axes).conjugate() * (body.turn * anchor.body_axes);
}

/// How far apart the two ends of a joint are, metres.
inline float separation_of(const JointAnchor& anchor, const BodyState& above,
                           const BodyState& body) noexcept {
    return (above.position + above.turn * anchor.on_above - body.position - body.turn * anchor.on_body)
        .norm();
}

/// Immutable; shared by threads. `placement` is where the character's model space is in the world (its scale
/// is not applied).
class RagdollBinding {
 public:
    /// Throws `Error` as `require_sound` does.
    RagdollBinding(RagdollPlan plan, const Chart& chart);

    const RagdollPlan& plan() const noexcept { return plan_; }
    const Skeleton& skeleton() const noexcept { return skeleton_; }
    const Vec3& up() const noexcept { return up_; }          ///< in model space
    const Vec3& facing() const noexcept { return facing_; }  ///< in model space
    float floor() const noexcept { return floor_; }          ///< where it stands, along up from its origin

    /// Where the bodies are while the bones stand at `model` (model space, one a bone); `bodies` takes one a
    /// body, all at rest. Never allocates or throws.
    void bodies_of(std::span<const Transform> model, const Transform& placement,
                   std::span<BodyState> bodies) const noexcept;

    /// The pose that the bodies are in. `local` holds, before, the pose from which bones without a body keep
    /// their positions, and bones that hang from the body that theirs is linked to their lengths; after, the
    /// pose. Other bones with a body, and bones that a body lists though they do not hang from it, stand
    /// where the bodies are. `model` is working memory, one a bone. Never allocates or throws.
    void pose_of(std::span<const BodyState> bodies, const Transform& placement, std::span<Transform> local,
                 std::span<Transform> model) const noexcept;

    /// The anchors of all joints, for bodies that are let go in this pose: bones between two bodies stay as
    /// they stand in it. Never allocates or throws.
    void anchors_of(std::span<const Transform> model, std::span<JointAnchor> anchors) const noexcept;

    /// How a joint's bone is turned away from rest in a local pose, as its range measures it.
    Quat turn_in(std::span<const Transform> local, std::size_t joint) const noexcept;

 private:
    // A bone that moves with a body although it does not hang from it.
    struct Carried {
        int bone;
        int body;
        Transform on_body;  // relative to the body's bone, without its scale
    };

    RagdollPlan plan_;
    Skeleton skeleton_;
    Vec3 up_;
    Vec3 facing_;
    float floor_;
    std::vector<Transform> in_bone_;  // of each body, in its bone's frame
    std::vector<JointFrame> frames_;  // of each joint
    std::vector<int> body_of_bone_;   // of each bone its own body, or -1
    std::vector<char> is_free_;     // of each body: its bone does not hang from the body that it is linked to
    std::vector<Carried> carried_;  // in the order of bones
};

}  // namespace dendraxis
