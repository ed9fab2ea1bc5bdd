// When two moving shapes touch, however fast they move.
#pragma once

#include <dendraxis/geometry/shape.hpp>
#include <dendraxis/geometry/surface.hpp>

#include <cstddef>

namespace dendraxis {

/// A rigid frame at the start and the end of one step; evenly moved and turned between.
struct Motion {
    Transform from;
    Transform to;
    Transform at(float share) const noexcept;
};

/// The first moment in a step at which two shapes touch.
struct Touch {
    float share = 0.0f;           ///< of the step, 0 to 1
    Vec3 point = Vec3::Zero();    ///< between the two surfaces
    Vec3 normal = Vec3::UnitY();  ///< out of the target
    float speed = 0.0f;           ///< metres a step at which the surfaces come together there
};

/// Whether, and when first, two moving shapes touch within a step: conservative advancement (B. Mirtich,
/// "Impulse-based dynamic simulation", 1996). Nothing is missed at any speed, and nothing nearer than 0.02 mm
/// counts as apart. Shapes that touch at the start touch at share 0. Never allocates or throws.
bool first_touch(const Shape& a, const Motion& a_moves, const Shape& b, const Motion& b_moves,
                 Touch& touch) noexcept;

/// The same against a mesh, given in the frame that moves; `triangle` is the one that is touched first.
bool first_touch(const Shape& a, const Motion& a_moves, const Surface& mesh, const Motion& mesh_moves,
                 Touch& touch, std::size_t& triangle) noexcept;

}  // namespace dendraxis
