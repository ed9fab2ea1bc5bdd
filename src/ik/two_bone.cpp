#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ik/two_bone.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

using Vec3d = Eigen::Vector3d;
using Quatd = Eigen::Quaterniond;

// The angle at `a`'s end of a triangle between sides `a` and `c`, opposite of `b`.
double angle_opposite(double b, double a, double c) {
    return std::acos(std::clamp((a * a + c * c - b * b) / (2.0 * a * c), -1.0, 1.0));
}

Vec3d bend_axis(const Vec3d& upper, const Vec3d& way, const Vec3& hint) {
    const Vec3d axis = way.cross(upper);
    if (axis.norm() > 1e-4 * upper.norm()) return axis.normalized();
    const Vec3d side = way.cross(hint.cast<double>());
    if (side.norm() > 1e-6 * std::max(1e-9, static_cast<double>(hint.norm()))) return side.normalized();
    return way.unitOrthogonal();
}

double eased(double wanted, double full, double soft_from) {
    const double start = soft_from * full;
    if (wanted <= start || soft_from >= 1.0) return std::min(wanted, full);
    const double room = full - start;
    return start + room * (1.0 - std::exp(-(wanted - start) / room));
}

}  // namespace

float soft_reach(float wanted, float full, float soft_from) noexcept {
    return static_cast<float>(eased(wanted, full, soft_from));
}

LimbTurns solve_two_bone(const LimbJoints& limb, const Vec3& target, const TwoBoneOptions& options) noexcept {
    const Vec3d upper = (limb.middle - limb.root).cast<double>();
    const Vec3d lower = (limb.end - limb.middle).cast<double>();
    const Vec3d reach = (limb.end - limb.root).cast<double>();
    const Vec3d wanted = (target - limb.root).cast<double>();
    const double a = upper.norm();
    const double b = lower.norm();
    const double now = reach.norm();
    const double full = a + b;
    if (a < 1e-9 || b < 1e-9 || now < 1e-9 || wanted.norm() < 1e-9 || !wanted.allFinite()) return {};
    const double soft_from = std::min(1.0, std::max(static_cast<double>(options.soft_from), now / full));
    const double distance =
        std::clamp(eased(wanted.norm(), full, soft_from), std::abs(a - b) + 1e-4 * full, full);
    const Vec3d way = reach / now;
    const Quatd aim = Quatd::FromTwoVectors(way, wanted.normalized());
    // About this axis the upper bone turns away from the line to the end.
    const Vec3d axis = bend_axis(upper, way, options.hint);
    const double open_now = angle_opposite(b, a, now);
    const double open_then = angle_opposite(b, a, distance);
    const double elbow_now = angle_opposite(now, a, b);
    const double elbow_then = angle_opposite(distance, a, b);
    const Quatd upper_turn(Eigen::AngleAxisd(open_then - open_now, axis));
    const Quatd lower_turn(Eigen::AngleAxisd((open_then - open_now) + (elbow_then - elbow_now), axis));
    return {(aim * upper_turn).cast<float>().normalized(), (aim * lower_turn).cast<float>().normalized()};
}

}  // namespace dendraxis
