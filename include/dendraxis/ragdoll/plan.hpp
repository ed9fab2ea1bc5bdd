// The plan of a ragdoll: which rigid bodies stand for which bones, and how they are linked. Plain data, kept
// in the rig sheet, used by any physics engine.
#pragma once

#include <dendraxis/base/range.hpp>
#include <dendraxis/geometry/shape.hpp>

#include <map>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace dendraxis {

/// One rigid body. All of it is given in the character's upright frame at rest, so that it reads the same
/// whatever the bones' own axes.
struct RagdollBody {
    std::string name;       ///< unique: `thigh.left`
    int bone = -1;          ///< the bone that carries it
    std::vector<int> also;  ///< bones that move with it as if they were one
    Shape shape;
    Vec3 at = Vec3::Zero();  ///< its middle, which is its center of mass, from the bone's head
    Quat turn = Quat::Identity();
    float mass = 0.0f;            ///< kilograms
    Vec3 inertia = Vec3::Zero();  ///< about its middle along its own x, y, z; kg m2
    bool kinematic = false;       ///< never simulated: it stays where the animation has it
};

/// What links a body to the one above it.
struct RagdollJoint {
    int body = -1;
    int above = -1;
    Vec3 at = Vec3::Zero();  ///< where they are linked, from the head of the body's bone, upright at rest
    Range range;             ///< how far the body's bone may turn, as `JointFrame` measures it
    float strength =
        -1.0f;             ///< N m that it can pull toward the animation with while held; below 0: not given
    float damping = 1.0f;  ///< how fast turning dies away, 1/s
};

struct RagdollPlan {
    std::vector<RagdollBody> bodies;  ///< parents before children; the first carries the others
    std::vector<RagdollJoint> joints;
    std::vector<std::pair<int, int>> pass_through;     ///< pairs, not linked, that do not touch each other
    std::map<std::string, std::vector<int>> profiles;  ///< by name, the bodies that are let go

    /// The body of that name; -1 where there is none.
    int find(std::string_view name) const noexcept;
    /// The joint that links a body upward; -1 where there is none.
    int joint_of(int body) const noexcept;
    bool are_linked(int a, int b) const noexcept;
    bool may_touch(int a, int b) const noexcept;  ///< neither linked nor passing through each other
};

/// The plan in another unit: all lengths times `by`; masses stay.
RagdollPlan scaled(RagdollPlan plan, float by);

inline constexpr std::size_t k_most_bodies = 256;  ///< of one plan

/// Collision layers: a ragdoll's bodies touch the ground and each other and never the character
/// controller (the shape that a game moves the character by), which touches the ground alone.
enum CollisionLayer : unsigned { k_layer_ragdoll = 1, k_layer_ground = 2, k_layer_controller = 4 };
inline constexpr unsigned k_ragdoll_touches = k_layer_ragdoll | k_layer_ground;
inline constexpr unsigned k_controller_touches = k_layer_ground;

/// Whether a range is so narrow to the sides (8 degrees) that the joint bends in one plane.
bool is_hinge(const Range& range) noexcept;

/// How far, in radians, a turn goes beyond what a ragdoll's joint allows: as `overshoot`; of a hinge each
/// angle for itself, its side given by how far the bone leaves the plane.
float joint_overshoot(const Range& range, const Quat& turn) noexcept;

}  // namespace dendraxis
