// The range of motion of a joint: one model for retargeting, inverse kinematics and ragdolls.
#pragma once

#include <dendraxis/base/transform.hpp>

namespace dendraxis {

/// From one angle to another, radians.
struct AngleSpan {
    float from = -3.14159265f;
    float to = 3.14159265f;
};

/// How far a joint may turn away from its rest: a twist about the bone, and a swing that moves the bone
/// within a cone of elliptic section. The swing is given by how much of it goes about the axis `about` (a
/// knee's bending) and how much about the axis square to it and the bone (sideways); the middle of both spans
/// is the cone's center, so that it need not lie around the rest. A hinge is a range whose `side` is narrow.
/// All angles within -pi to pi; `from` not above `to`.
struct Range {
    Vec3 bone = Vec3::UnitY();   ///< where the bone points at rest; unit length
    Vec3 about = Vec3::UnitX();  ///< what it bends about; unit length, square to `bone`
    AngleSpan twist;
    AngleSpan bend;
    AngleSpan side;
};

/// A turn away from rest as a range measures it, radians.
struct TurnAngles {
    float twist = 0.0f;
    float bend = 0.0f;
    float side = 0.0f;
};

TurnAngles turn_angles(const Range& range, const Quat& turn) noexcept;

/// How far, in radians, a turn away from rest (in the frame of the range's axes) goes beyond the range.
float overshoot(const Range& range, const Quat& turn) noexcept;

/// The turn brought into the range. From `soft_from` (0 to 1) of the way to a limit on it is eased, so that
/// the limit is neared without a jump in speed; 1: cut off at the limit. Never allocates or throws.
/// Source of the parts: P. Dobrowolski, "Swing-twist decomposition in Clifford algebra", arXiv:1506.05481.
Quat limited(const Range& range, const Quat& turn, float soft_from = 1.0f) noexcept;

}  // namespace dendraxis
