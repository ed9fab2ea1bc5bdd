#include <dendraxis/geometry/capsule.hpp>

#include <algorithm>

namespace dendraxis {
namespace {

float share_along(const Vec3& half, const Vec3& offset) {
    const float square = half.squaredNorm();
    return square > 1e-12f ? std::clamp(offset.dot(half) / square, -1.0f, 1.0f) : 0.0f;
}

}  // namespace

NearestOnCapsule nearest_on(const Capsule& capsule, const Vec3& point) noexcept {
    const Vec3 offset = point - capsule.center;
    NearestOnCapsule nearest;
    nearest.along_share = share_along(capsule.along, offset);
    nearest.across_share = share_along(capsule.across, offset);
    const Vec3 away = offset - nearest.along_share * capsule.along - nearest.across_share * capsule.across;
    const float distance = away.norm();
    nearest.gap = distance - capsule.radius;
    if (distance > 1e-6f) {
        nearest.normal = away / distance;
    } else {
        // On the middle itself: out through the flat side, or any way square to the line.
        const Vec3 side = capsule.along.cross(capsule.across);
        nearest.normal = side.norm() > 1e-9f ? Vec3(side.normalized()) : capsule.along.unitOrthogonal();
    }
    return nearest;
}

Capsule placed(const Capsule& capsule, const Transform& frame) noexcept {
    return {frame.translation + frame.rotation * capsule.center, frame.rotation * capsule.along,
            frame.rotation * capsule.across, capsule.radius};
}

float lowest_of(const Capsule& capsule, const Vec3& up) noexcept {
    return capsule.center.dot(up) - std::abs(capsule.along.dot(up)) - std::abs(capsule.across.dot(up)) -
           capsule.radius;
}

}  // namespace dendraxis
