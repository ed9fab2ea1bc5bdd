#include <dendraxis/base/transform.hpp>

namespace dendraxis {

Transform inverse(const Transform& transform) noexcept {
    Transform result;
    for (int axis = 0; axis < 3; ++axis) {
        result.scale[axis] = transform.scale[axis] == 0.0f ? 0.0f : 1.0f / transform.scale[axis];
    }
    result.rotation = transform.rotation.conjugate();
    result.translation = -result.scale.cwiseProduct(result.rotation * transform.translation);
    return result;
}

Affine to_affine(const Transform& transform) noexcept {
    Affine matrix = Affine::Identity();
    matrix.linear() = transform.rotation.toRotationMatrix() * transform.scale.asDiagonal();
    matrix.translation() = transform.translation;
    return matrix;
}

Transform from_affine(const Affine& matrix) noexcept {
    Transform result;
    result.translation = matrix.translation();
    Eigen::Matrix3f linear = matrix.linear();
    for (int axis = 0; axis < 3; ++axis) result.scale[axis] = linear.col(axis).norm();
    if (linear.determinant() < 0.0f) result.scale.x() = -result.scale.x();
    for (int axis = 0; axis < 3; ++axis) {
        if (result.scale[axis] != 0.0f) linear.col(axis) /= result.scale[axis];
    }
    result.rotation = Quat(linear).normalized();
    if (!result.rotation.coeffs().allFinite()) result.rotation = Quat::Identity();
    return result;
}

}  // namespace dendraxis
