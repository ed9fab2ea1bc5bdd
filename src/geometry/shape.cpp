#include <dendraxis/geometry/shape.hpp>

#include "convex.hpp"

#include <dendraxis/base/rotation.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

detail::Placed placed_of(const Transform& frame) {
    return {frame.rotation.cast<double>().normalized().toRotationMatrix(), frame.translation.cast<double>()};
}

}  // namespace

std::string_view to_string(ShapeKind kind) noexcept {
    switch (kind) {
        case ShapeKind::capsule:
            return "capsule";
        case ShapeKind::box:
            return "box";
        case ShapeKind::sphere:
            return "sphere";
    }
    return "";
}

float volume_of(const Shape& shape) noexcept {
    const Vec3& half = shape.half;
    if (shape.kind == ShapeKind::box) return 8.0f * half.prod();
    const float ball = 4.0f / 3.0f * k_pi * half.x() * half.x() * half.x();
    if (shape.kind == ShapeKind::sphere) return ball;
    return ball + 2.0f * k_pi * half.x() * half.x() * std::max(0.0f, half.y() - half.x());
}

Vec3 inertia_of(const Shape& shape, float mass) noexcept {
    const Vec3& half = shape.half;
    if (shape.kind == ShapeKind::box) {
        const Vec3 squares = half.cwiseProduct(half) * (mass / 3.0f);
        return {squares.y() + squares.z(), squares.x() + squares.z(), squares.x() + squares.y()};
    }
    const float r = half.x();
    if (shape.kind == ShapeKind::sphere) return Vec3::Constant(0.4f * mass * r * r);
    // A cylinder of length 2 h and a half ball at either end.
    const float h = std::max(0.0f, half.y() - r);
    const float ball_share = (4.0f * r) / (4.0f * r + 6.0f * h);
    const float ball = mass * ball_share;
    const float rod = mass - ball;
    const float around = 0.4f * ball * r * r + 0.5f * rod * r * r;
    const float over = ball * (0.4f * r * r + 0.75f * r * h + h * h) + rod * (0.25f * r * r + h * h / 3.0f);
    return {over, around, over};
}

float reach_along(const Shape& shape, const Vec3& direction) noexcept {
    const Vec3 along = direction.cwiseAbs();
    switch (shape.kind) {
        case ShapeKind::box:
            return along.dot(shape.half);
        case ShapeKind::capsule:
            return shape.half.x() + along.y() * std::max(0.0f, shape.half.y() - shape.half.x());
        case ShapeKind::sphere:
            break;
    }
    return shape.half.x();
}

float gauge(const Shape& shape, const Vec3& point) noexcept {
    if (shape.kind == ShapeKind::box) return point.cwiseAbs().cwiseQuotient(shape.half).maxCoeff();
    if (shape.kind == ShapeKind::sphere) return point.norm() / shape.half.x();
    // The size s at which the surface goes through the point: line and radius are s times as long then.
    const float r = shape.half.x();
    const float line = std::max(0.0f, shape.half.y() - r);
    const float off = std::hypot(point.x(), point.z());
    const float y = std::abs(point.y());
    if (y * r <= line * off) return off / r;
    const float square = off * off + y * y;
    const float root = std::sqrt(std::max(0.0f, y * y * line * line - (line * line - r * r) * square));
    return square / std::max(1e-12f, y * line + root);
}

float overlap(const PlacedShape& a, const PlacedShape& b) noexcept {
    const detail::Core core_a = detail::core_of(a.shape);
    const detail::Core core_b = detail::core_of(b.shape);
    const detail::Placed at_a = placed_of(a.frame);
    const detail::Placed at_b = placed_of(b.frame);
    const double depth = detail::core_depth(core_a, at_a, core_b, at_b);
    if (depth > 0.0) return static_cast<float>(depth + core_a.radius + core_b.radius);
    return static_cast<float>(-detail::distance(core_a, at_a, core_b, at_b).distance);
}

}  // namespace dendraxis
