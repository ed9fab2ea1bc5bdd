// Limbs that move in a plane: flat puppets, cut-out figures, cranes. Angles are seen with the plane's second
// axis to the left of its first, as in a drawing.
#pragma once

#include <dendraxis/ik/limb.hpp>

#include <span>

namespace dendraxis {

using Vec2 = Eigen::Vector2f;

/// To which side of the line from the root to the end the middle joint goes, looking along it.
enum class BendSide { left, right };

struct PlanarAngles {
    float upper = 0.0f;  ///< radians, from the plane's first axis to the upper bone
    float lower = 0.0f;  ///< from the upper bone on to the lower one
};

/// Two bones of these lengths brought to `target`, seen from their root. Where it is out of reach they point
/// at it. Source: the law of cosines (Euclid, Elements II.12-13).
PlanarAngles solve_planar(float upper_length, float lower_length, const Vec2& target, BendSide side) noexcept;

struct PlanarJoint {
    float length = 0.0f;
    AngleSpan limits;  ///< of the angle from the bone before (the first: from the plane's first axis)
};

/// Any number of bones: `angles`, one a joint and each from the bone before, are changed until the end is
/// within `tolerance` of `target` or cannot come nearer. Limits are always kept. Returns the distance that is
/// left. Never allocates or throws. Source: damped least squares (Wampler 1986), two rows.
float solve_planar(std::span<const PlanarJoint> joints, std::span<float> angles, const Vec2& target,
                   float tolerance, int most_iterations = 60) noexcept;

/// The two-bone solution in a skeleton: the limb turns about `normal` (model space) alone, its end comes as
/// near to `target` as the plane through its root allows, and the end bone is turned by `end_turn` radians on
/// from how it hangs on the lower one. `model` is the pose in model space, before.
void reach_in_plane(const Skeleton& skeleton, const Limb& limb, const Vec3& normal, const Vec3& target,
                    BendSide side, float end_turn, std::span<const Transform> model,
                    std::span<Transform> local) noexcept;

}  // namespace dendraxis
