// Letting go of what is mounted, and picking it up again.
#pragma once

#include <dendraxis/equip/prop.hpp>
#include <dendraxis/ragdoll/binding.hpp>

#include <optional>

namespace dendraxis {

/// A prop as one rigid body, given in the prop's own space: its shape at rest, mass and moments of inertia.
struct PropBody {
    Shape shape;
    Vec3 at = Vec3::Zero();  ///< the shape's middle, which counts as the center of mass
    Quat turn = Quat::Identity();
    float mass = 0.0f;            ///< kg
    Vec3 inertia = Vec3::Zero();  ///< kg m2, along the shape's axes
};

/// A box around the prop, along its main axes where that is smaller than along its own; mirrored and
/// stretched where `fit` says so. Its mass: the one given, else the prop's own, else that of the box half
/// filled with wood (600 kg/m3).
PropBody prop_body(const Prop& prop, std::optional<float> mass = {}, const PropFit& fit = {});

/// How a mounted prop moves in the world: by its frames (prop space to world) at this moment and `seconds`
/// before. Rigid motion between the two is taken as even. Never allocates or throws.
BodyState state_of(const PropBody& body, const Transform& now, const Transform& before,
                   float seconds) noexcept;

/// What any physics engine needs to go on with the prop: the moment it is let go, its position and turn are
/// where it was mounted, its velocities those of the bone, changed by an impulse (N s) at a point of the
/// world.
struct ReleasedProp {
    PropBody body;
    BodyState state;
    float scale =
        1.0f;  ///< the prop's at that moment; shape and inertia are scaled by it, the mass is as given
};

ReleasedProp let_go(const PropBody& body, const Transform& now, const Transform& before, float seconds,
                    const Vec3& impulse = Vec3::Zero(), const Vec3& point = Vec3::Zero()) noexcept;

/// Where the prop's own space is while its body is in a state. The way back from `state_of`.
Transform frame_of(const ReleasedProp& thing, const BodyState& state) noexcept;

/// What keeps a thing where it is on a bone: `bone` as it stands now times the result is where the thing is.
/// For picking up, and for what strikes a body and stays in it. `bone` must not be sheared.
Transform offset_on_bone(const Transform& thing, const Transform& bone) noexcept;

}  // namespace dendraxis
