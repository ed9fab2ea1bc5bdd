// Taking rotations apart and finding the rotation that does a given thing.
#pragma once

#include <dendraxis/base/transform.hpp>

#include <cmath>
#include <span>

namespace dendraxis {

inline constexpr float k_pi = 3.14159265f;
inline constexpr float k_degrees = 57.29577951308232f;  ///< degrees in a radian

/// The same angle, in radians, from minus a half turn to a half turn.
inline float wrapped(float angle) noexcept {
    return std::remainder(angle, 2.0f * k_pi);
}

/// A rotation as a twist about an axis followed by a swing that moves the axis: `swing * twist`.
struct SwingTwist {
    Quat swing;
    Quat twist;
};

/// Takes `rotation` apart about the unit vector `axis`. Where the axis is turned by exactly half a turn the
/// twist is not determined and is taken as none.
/// Source: P. Dobrowolski, "Swing-twist decomposition in Clifford algebra", arXiv:1506.05481 (2015).
SwingTwist swing_twist(const Quat& rotation, const Vec3& axis) noexcept;

/// The smallest rotation that brings the direction of `from` to the direction of `to` (any lengths).
/// The identity where either has no length.
Quat shortest_arc(const Vec3& from, const Vec3& to) noexcept;

/// The angle in radians, 0 to pi, between two orientations.
float angle_between(const Quat& a, const Quat& b) noexcept;

/// The rotation vector (axis times angle, radians, at most pi long) of a unit quaternion.
Vec3 rotation_vector(const Quat& rotation) noexcept;

/// The turn about the unit vector `axis` that best brings the points `from` to the points `to` (pairs by
/// position; least squares of what is perpendicular to the axis). The identity where nothing determines it.
Quat best_turn_about(const Vec3& axis, std::span<const Vec3> from, std::span<const Vec3> to) noexcept;

}  // namespace dendraxis
