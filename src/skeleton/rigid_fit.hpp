// The rotation that best lays one set of points on another.
// Source: W. Kabsch, "A solution for the best rotation to relate two sets of vectors", Acta Cryst. A32
// (1976).
#pragma once

#include <dendraxis/base/transform.hpp>

#include <Eigen/SVD>

namespace dendraxis::detail {

/// Sums of pairs of vectors; their lengths are their weights.
class RigidFit {
 public:
    void add(const Vec3& from, const Vec3& to) {
        sum_ += to.cast<double>() * from.cast<double>().transpose();
        ++count_;
    }
    std::size_t count() const { return count_; }

    /// Whether the pairs determine the rotation: they do not lie on one line.
    bool is_determined() const {
        const Eigen::Vector3d strength = Eigen::JacobiSVD<Eigen::Matrix3d>(sum_).singularValues();
        return strength[1] > 1e-4 * strength[0] && strength[0] > 0.0;
    }

    Quat rotation() const {
        const Eigen::JacobiSVD<Eigen::Matrix3d> svd(sum_, Eigen::ComputeFullU | Eigen::ComputeFullV);
        Eigen::Vector3d signs(1.0, 1.0,
                              svd.matrixU().determinant() * svd.matrixV().determinant() < 0.0 ? -1.0 : 1.0);
        const Eigen::Matrix3d turn = svd.matrixU() * signs.asDiagonal() * svd.matrixV().transpose();
        return Eigen::Quaterniond(turn).cast<float>().normalized();
    }

 private:
    Eigen::Matrix3d sum_ = Eigen::Matrix3d::Zero();
    std::size_t count_ = 0;
};

}  // namespace dendraxis::detail
