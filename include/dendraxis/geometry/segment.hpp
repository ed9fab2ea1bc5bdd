// Straight lines between two points.
#pragma once

#include <dendraxis/base/transform.hpp>

namespace dendraxis {

/// How far a point is from the line between two others, metres. Never allocates or throws.
float distance_to_segment(const Vec3& point, const Vec3& from, const Vec3& to) noexcept;

}  // namespace dendraxis
