// Own method: a weighted mean of axes. The axis of motion is the first principal axis of the turns' rotation
// vectors, twist taken off.
#include "hinge_axis.hpp"

#include <dendraxis/base/rotation.hpp>

#include <Eigen/Eigenvalues>

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr float k_clear_turn = 0.5f;    // radians: as far turned to one side, motion is clear
constexpr float k_clear_ratio = 0.15f;  // of what turns about a second axis: with more there is no one axis
constexpr float k_clear_bend = 0.35f;   // sine of a bend at rest that is clear
// What each counts for where it is clear.
constexpr float k_body = 0.6f;
constexpr float k_foot = 0.15f;
constexpr float k_bend = 1.0f;
constexpr float k_motion = 5.0f;

}  // namespace

Vec3 axis_of_motion(int joint, const JointFrame& frame, const Vec3& bone, std::span<const Clip> clips) {
    Eigen::Matrix3f spread = Eigen::Matrix3f::Zero();
    float farthest = 0.0f;
    float count = 0.0f;
    for (const Clip& clip : clips) {
        for (std::size_t f = 0; f < clip.frame_count(); ++f) {
            const Quat turn = frame.turn(clip.frame(f)[static_cast<std::size_t>(joint)].rotation);
            Vec3 swing = rotation_vector(turn);
            swing -= bone * bone.dot(swing);
            spread += swing * swing.transpose();
            farthest = std::max(farthest, swing.norm());
            count += 1.0f;
        }
    }
    if (count < 2.0f || !(farthest > 0.0f)) return Vec3::Zero();
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3f> axes(spread / count);
    const float first = std::sqrt(std::max(0.0f, axes.eigenvalues()[2]));
    const float second = std::sqrt(std::max(0.0f, axes.eigenvalues()[1]));
    if (!(first > 0.0f)) return Vec3::Zero();
    const float one_axis = std::clamp(1.0f - second / (k_clear_ratio * first), 0.0f, 1.0f);
    return std::min(1.0f, farthest / k_clear_turn) * one_axis * axes.eigenvectors().col(2);
}

Vec3 hinge_axis(const HingeEvidence& evidence, const Vec3& motion) {
    const Vec3 by_body = evidence.upper.cross(evidence.toward).stableNormalized();
    Vec3 sum = k_body * by_body;
    // What says the opposite way, or another way altogether, is not believed.
    const auto add = [&](const Vec3& axis, float weight) {
        if (axis.dot(by_body) > 0.5f * axis.norm()) sum += weight * axis.stableNormalized();
    };
    const Vec3 by_foot = evidence.foot.cross(evidence.lower);
    add(by_foot, k_foot * by_foot.norm());
    const Vec3 by_bend = evidence.upper.cross(evidence.lower);
    const float bend = std::min(1.0f, by_bend.norm() / k_clear_bend);
    add(by_bend, k_bend * bend * bend);
    const Vec3 moved = motion.dot(by_body) < 0.0f ? Vec3(-motion) : motion;
    add(moved, k_motion * moved.norm());
    return sum.stableNormalized();
}

}  // namespace dendraxis::detail
