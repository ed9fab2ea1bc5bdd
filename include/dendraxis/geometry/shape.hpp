// Rigid convex shapes: what they hold, how hard they are to turn, how far apart two of them are.
#pragma once

#include <dendraxis/base/transform.hpp>

#include <string_view>

namespace dendraxis {

enum class ShapeKind { capsule, box, sphere };

/// A rigid shape about its own middle. A capsule lies along its own y.
struct Shape {
    ShapeKind kind = ShapeKind::capsule;
    Vec3 half = Vec3::Zero();  ///< half of what it measures along its own x, y, z, caps included; metres
};

std::string_view to_string(ShapeKind kind) noexcept;

/// Cubic metres.
float volume_of(const Shape& shape) noexcept;

/// Principal moments of the solid shape, kg m2.
Vec3 inertia_of(const Shape& shape, float mass) noexcept;

/// How far outside a point is, the point given along the shape's own axes from its middle: 0 at the middle, 1
/// on the surface.
float gauge(const Shape& shape, const Vec3& point) noexcept;

/// How far a shape reaches from its middle along a direction of length 1, both in its own axes.
float reach_along(const Shape& shape, const Vec3& direction) noexcept;

/// Where a shape stands.
struct PlacedShape {
    Shape shape;
    Transform frame;  ///< its scale is not applied
};

/// How deep two shapes are in each other, as far as the shortest way out; negative: the room between them.
/// Boxes have sharp edges.
float overlap(const PlacedShape& a, const PlacedShape& b) noexcept;

}  // namespace dendraxis
