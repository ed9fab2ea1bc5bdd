// Own method: the principal axes of joints and skin at rest tell whether there is depth; turns are reduced to
// their twist about the normal.
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/flat.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <Eigen/Eigenvalues>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_thin = 0.03f;  // of the largest extent
constexpr std::size_t k_fewest_joints = 4;

}  // namespace

Vec3 flat_across(const Character& character) {
    if (character.skeleton.size() < k_fewest_joints || character.meshes.empty()) return Vec3::Zero();
    std::vector<Vec3> points;
    for (const Transform& bone : rest_in_model_space(character.skeleton)) points.push_back(bone.translation);
    std::vector<Affine> matrices(character.skeleton.size());
    to_model_matrices(character.skeleton, rest_pose(character.skeleton), matrices);
    std::vector<Vec3> positions;
    for (const SkinnedMesh& mesh : character.meshes) {
        positions.resize(mesh.positions.size());
        deform(mesh, matrices, positions);
        points.insert(points.end(), positions.begin(), positions.end());
    }
    Vec3 middle = Vec3::Zero();
    for (const Vec3& point : points) middle += point / static_cast<float>(points.size());
    Eigen::Matrix3f spread = Eigen::Matrix3f::Zero();
    for (const Vec3& point : points) spread += (point - middle) * (point - middle).transpose();
    if (!spread.allFinite()) return Vec3::Zero();
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3f> axes(spread);
    const auto extent = [&](const Vec3& axis) {
        float low = 1e30f;
        float high = -1e30f;
        for (const Vec3& point : points) {
            low = std::min(low, axis.dot(point));
            high = std::max(high, axis.dot(point));
        }
        return high - low;
    };
    Vec3 normal = axes.eigenvectors().col(0);
    // What is drawn in a plane of the axes is exactly so.
    for (int axis = 0; axis < 3; ++axis) {
        if (std::abs(normal[axis]) > 0.999f) normal = Vec3::Unit(axis);
    }
    const float largest = extent(axes.eigenvectors().col(2));
    const float across = extent(axes.eigenvectors().col(1));
    return across > 0.1f * largest && extent(normal) < k_thin * largest ? normal : Vec3(Vec3::Zero());
}

PlaneKeeper::PlaneKeeper(const Chart& chart) : normal_(chart.to_upright() * chart.shape.flat_across) {
    for (int bone = 0; bone < static_cast<int>(chart.skeleton.size()); ++bone) {
        Joint joint;
        joint.frame = joint_frame(chart, bone);
        joint.normal = joint.frame.to_upright.conjugate() * normal_;
        joint.rest = chart.skeleton.bone(bone).rest.translation;
        joints_.push_back(joint);
    }
}

void PlaneKeeper::apply(std::span<Transform> poses) const noexcept {
    if (joints_.empty() || normal_.isZero()) return;
    for (std::size_t i = 0; i < poses.size(); ++i) {
        const Joint& joint = joints_[i % joints_.size()];
        const Quat turn = joint.frame.turn(poses[i].rotation);
        poses[i].rotation = joint.frame.local(swing_twist(turn, normal_).twist).normalized();
        Vec3& place = poses[i].translation;
        place -= joint.normal * joint.normal.dot(place - joint.rest);
    }
}

Vec3 plane_facing(const Chart& chart) {
    const Vec3& normal = chart.shape.flat_across;
    const float out = normal.dot(chart.facing);
    if (std::abs(out) > 0.5f) return out > 0.0f ? normal : Vec3(-normal);
    return chart.facing.cross(chart.up).normalized();
}

}  // namespace dendraxis
