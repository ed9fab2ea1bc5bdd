#include "lanes.hpp"

#include <dendraxis/base/rotation.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {

using detail::arc_over_sine;

namespace {

constexpr float k_quarter_turn = 1.57079633f;  // half of half a turn

}  // namespace

SwingTwist swing_twist(const Quat& rotation, const Vec3& axis) noexcept {
    const float along = rotation.vec().dot(axis);
    Quat twist(rotation.w(), axis.x() * along, axis.y() * along, axis.z() * along);
    const float length = twist.norm();
    twist = length > 1e-7f ? Quat(twist.coeffs() / length) : Quat::Identity();
    return {rotation * twist.conjugate(), twist};
}

Quat shortest_arc(const Vec3& from, const Vec3& to) noexcept {
    // In double: a chain of these is applied bone after bone and must not drift.
    const Eigen::Vector3d a = from.cast<double>();
    const Eigen::Vector3d b = to.cast<double>();
    if (a.norm() < 1e-12 || b.norm() < 1e-12) return Quat::Identity();
    const Eigen::Vector3d one = a.normalized();
    const Eigen::Vector3d other = b.normalized();
    // By half the angle; opposite directions are joined about any axis square to them. (Eigen's own function
    // asks a singular value decomposition for that axis, which takes seconds to compile.)
    const double cosine = one.dot(other);
    Eigen::Quaterniond turn(0.0, 0.0, 0.0, 0.0);
    if (cosine < -1.0 + 1e-12) {
        turn.vec() = one.unitOrthogonal();
    } else {
        const double twice = std::sqrt(2.0 * (1.0 + cosine));
        turn.w() = 0.5 * twice;
        turn.vec() = one.cross(other) / twice;
    }
    return turn.cast<float>().normalized();
}

float angle_between(const Quat& a, const Quat& b) noexcept {
    const Quat difference = a.conjugate() * b;
    return 2.0f * std::atan2(difference.vec().norm(), std::abs(difference.w()));
}

Vec3 rotation_vector(const Quat& rotation) noexcept {
    const float sign = rotation.w() < 0.0f ? -1.0f : 1.0f;
    const Vec3 half = sign * rotation.vec();
    const float length = half.norm();
    if (length < 1e-12f) return 2.0f * half;
    // Half the angle by its sine or its cosine, whichever is small.
    const float w = std::min(1.0f, sign * rotation.w());
    const float sine = std::min(1.0f, length);
    const float angle =
        sine < w ? sine * arc_over_sine<1>(sine * sine) : k_quarter_turn - w * arc_over_sine<1>(w * w);
    return half * (2.0f * angle / length);
}

Quat best_turn_about(const Vec3& axis, std::span<const Vec3> from, std::span<const Vec3> to) noexcept {
    // The angle that maximizes the sum of dot products: tan(angle) = sum of sines over sum of cosines.
    double sine = 0.0;
    double cosine = 0.0;
    for (std::size_t i = 0; i < from.size() && i < to.size(); ++i) {
        const Vec3 a = from[i] - axis * axis.dot(from[i]);
        const Vec3 b = to[i] - axis * axis.dot(to[i]);
        sine += axis.dot(a.cross(b));
        cosine += a.dot(b);
    }
    if (std::hypot(sine, cosine) < 1e-12) return Quat::Identity();
    return Quat(Eigen::AngleAxisf(static_cast<float>(std::atan2(sine, cosine)), axis));
}

}  // namespace dendraxis
