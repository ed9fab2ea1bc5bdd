#include "convex.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/plan.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace dendraxis {
namespace {

constexpr float k_hinge = 8.0f / k_degrees;

detail::Placed placed_of(const Transform& frame) {
    return {frame.rotation.cast<double>().normalized().toRotationMatrix(), frame.translation.cast<double>()};
}

}  // namespace

RagdollPlan scaled(RagdollPlan plan, float by) {
    for (RagdollBody& body : plan.bodies) {
        body.shape.half *= by;
        body.at *= by;
        body.inertia *= by * by;
    }
    for (RagdollJoint& joint : plan.joints) joint.at *= by;
    return plan;
}

int RagdollPlan::find(std::string_view name) const noexcept {
    const auto found =
        std::find_if(bodies.begin(), bodies.end(), [&](const auto& b) { return b.name == name; });
    return found == bodies.end() ? -1 : static_cast<int>(found - bodies.begin());
}

int RagdollPlan::joint_of(int body) const noexcept {
    const auto found =
        std::find_if(joints.begin(), joints.end(), [&](const auto& j) { return j.body == body; });
    return found == joints.end() ? -1 : static_cast<int>(found - joints.begin());
}

bool RagdollPlan::are_linked(int a, int b) const noexcept {
    return std::any_of(joints.begin(), joints.end(), [&](const RagdollJoint& joint) {
        return (joint.body == a && joint.above == b) || (joint.body == b && joint.above == a);
    });
}

bool RagdollPlan::may_touch(int a, int b) const noexcept {
    if (are_linked(a, b)) return false;
    return std::none_of(pass_through.begin(), pass_through.end(),
                        [&](const auto& pair) { return pair == std::pair(a, b) || pair == std::pair(b, a); });
}

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

bool is_hinge(const Range& range) noexcept {
    return 0.5f * (range.side.to - range.side.from) < k_hinge;
}

float joint_overshoot(const Range& range, const Quat& turn) noexcept {
    if (!is_hinge(range)) return overshoot(range, turn);
    const TurnAngles now = turn_angles(range, turn);
    const Vec3 bone = swing_twist(turn, range.bone).swing * range.bone;
    const float side = std::asin(std::clamp(bone.dot(range.about), -1.0f, 1.0f));
    const auto beyond = [](const AngleSpan& span, float angle) {
        return std::max({0.0f, span.from - angle, angle - span.to});
    };
    return std::max({beyond(range.twist, now.twist), beyond(range.bend, now.bend), beyond(range.side, side)});
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
