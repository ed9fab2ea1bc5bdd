// Positions, rotations and the transform that every bone has.
#pragma once

#include <Eigen/Geometry>

namespace dendraxis {

using Vec3 = Eigen::Vector3f;
using Quat = Eigen::Quaternionf;
using Affine = Eigen::Affine3f;

/// Where one thing stands relative to another: scale first, then rotation, then translation.
/// Metres; a unit quaternion. 48 bytes, 16-byte aligned, so that whole poses can be read in vector lanes.
struct alignas(16) Transform {
    Quat rotation = Quat::Identity();
    Vec3 translation = Vec3::Zero();
    Vec3 scale = Vec3::Ones();
};

static_assert(sizeof(Transform) == 48);

/// The point `point`, given relative to `transform`, in the frame that `transform` is relative to.
inline Vec3 apply(const Transform& transform, const Vec3& point) noexcept {
    return transform.translation + transform.rotation * transform.scale.cwiseProduct(point);
}

/// `parent` then `child`: takes what is given relative to the child to what the parent is relative to.
/// Exact while the scales are uniform; an uneven scale above a turned child would shear, and the shear is
/// left out (use `to_affine` where it must be kept).
inline Transform operator*(const Transform& parent, const Transform& child) noexcept {
    Transform result;
    result.rotation = parent.rotation * child.rotation;
    result.translation = apply(parent, child.translation);
    result.scale = parent.scale.cwiseProduct(child.scale);
    return result;
}

/// The transform that undoes `transform`; exact under the same condition. A scale of zero stays zero.
Transform inverse(const Transform& transform) noexcept;

/// The same transform as a matrix.
Affine to_affine(const Transform& transform) noexcept;

/// The scale, rotation and translation of a matrix. A mirrored matrix gets a negative x scale; shear is
/// dropped.
Transform from_affine(const Affine& matrix) noexcept;

}  // namespace dendraxis
