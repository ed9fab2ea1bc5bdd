#include <dendraxis/base/range.hpp>
#include <dendraxis/base/rotation.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_least_half = 0.5f / k_degrees;  // a span without width would divide by zero

float half(const AngleSpan& span) {
    return std::max(k_least_half, 0.5f * (span.to - span.from));
}

float middle(const AngleSpan& span) {
    return 0.5f * (span.from + span.to);
}

// How far out a swing is: 1 on the cone's edge.
float gauge(const Range& range, const TurnAngles& parts) {
    const float bend = (parts.bend - middle(range.bend)) / half(range.bend);
    const float side = (parts.side - middle(range.side)) / half(range.side);
    return std::sqrt(bend * bend + side * side);
}

float eased(float value, float soft_from) {
    if (soft_from >= 1.0f) return std::min(value, 1.0f);
    if (value <= soft_from) return value;
    const float room = 1.0f - soft_from;
    return soft_from + room * (1.0f - std::exp(-(value - soft_from) / room));
}

}  // namespace

TurnAngles turn_angles(const Range& range, const Quat& turn) noexcept {
    const SwingTwist split = swing_twist(turn, range.bone);
    const Vec3 swing = rotation_vector(split.swing);
    return {rotation_vector(split.twist).dot(range.bone), swing.dot(range.about),
            swing.dot(range.bone.cross(range.about))};
}

float overshoot(const Range& range, const Quat& turn) noexcept {
    const TurnAngles parts = turn_angles(range, turn);
    const float twisted = std::max({0.0f, range.twist.from - parts.twist, parts.twist - range.twist.to});
    const float out = gauge(range, parts);
    const float swung = out <= 1.0f ? 0.0f
                                    : (1.0f - 1.0f / out) * std::hypot(parts.bend - middle(range.bend),
                                                                       parts.side - middle(range.side));
    return std::max(twisted, swung);
}

Quat limited(const Range& range, const Quat& turn, float soft_from) noexcept {
    const TurnAngles parts = turn_angles(range, turn);
    const float off_middle = (parts.twist - middle(range.twist)) / half(range.twist);
    const float twist = middle(range.twist) +
                        std::copysign(eased(std::abs(off_middle), soft_from), off_middle) * half(range.twist);
    const float out = gauge(range, parts);
    if (out <= soft_from && std::abs(off_middle) <= soft_from) return turn;
    const float kept = out > 0.0f ? eased(out, soft_from) / out : 1.0f;
    const float bend = middle(range.bend) + kept * (parts.bend - middle(range.bend));
    const float side = middle(range.side) + kept * (parts.side - middle(range.side));
    const Vec3 swing = bend * range.about + side * range.bone.cross(range.about);
    const float angle = swing.norm();
    const Quat swung = angle > 1e-9f ? Quat(Eigen::AngleAxisf(angle, swing / angle)) : Quat::Identity();
    return (swung * Quat(Eigen::AngleAxisf(twist, range.bone))).normalized();
}

}  // namespace dendraxis
