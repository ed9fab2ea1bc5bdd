// Round solids that stand for parts of a body, and how far a point is from one.
#pragma once

#include <dendraxis/base/transform.hpp>

namespace dendraxis {

/// All points within `radius` of a line from `center - along` to `center + along`; where `across` is not
/// zero, of the rectangle that `along` and `across` span (a torso is wider than it is deep). Metres; `along`
/// and `across` are square to each other.
struct Capsule {
    Vec3 center = Vec3::Zero();
    Vec3 along = Vec3::Zero();
    Vec3 across = Vec3::Zero();
    float radius = 0.0f;
};

/// The point on a capsule that is nearest to a point.
struct NearestOnCapsule {
    float gap = 0.0f;             ///< metres from the surface; negative inside
    Vec3 normal = Vec3::UnitY();  ///< from the capsule's middle to the point; unit length
    float along_share = 0.0f;     ///< -1 to 1: where on the middle
    float across_share = 0.0f;    ///< -1 to 1
};

/// Never allocates or throws.
NearestOnCapsule nearest_on(const Capsule& capsule, const Vec3& point) noexcept;

/// The capsule, given in the frame of something that stands at `frame` (its scale is not applied).
Capsule placed(const Capsule& capsule, const Transform& frame) noexcept;

/// How high its lowest place is, along `up` from the origin.
float lowest_of(const Capsule& capsule, const Vec3& up) noexcept;

}  // namespace dendraxis
