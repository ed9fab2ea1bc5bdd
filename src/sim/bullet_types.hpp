// Between the engine's types and ours.
#pragma once

#include <dendraxis/base/transform.hpp>

#include <LinearMath/btTransform.h>

namespace dendraxis::sim {

inline Vec3 from_bullet(const btVector3& v) {
    return {v.x(), v.y(), v.z()};
}

inline Quat from_bullet(const btQuaternion& q) {
    return {q.w(), q.x(), q.y(), q.z()};
}

inline Eigen::Matrix3f from_bullet(const btMatrix3x3& m) {
    Eigen::Matrix3f result;
    for (int row = 0; row < 3; ++row) result.row(row) = from_bullet(m[row]);
    return result;
}

inline btVector3 to_bullet(const Vec3& v) {
    return {v.x(), v.y(), v.z()};
}

inline btQuaternion to_bullet(const Quat& q) {
    return {q.x(), q.y(), q.z(), q.w()};
}

}  // namespace dendraxis::sim
