// A. Aristidou and J. Lasenby, "FABRIK: a fast, iterative solver for the inverse kinematics problem",
// Graphical Models 73 (2011).
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ik/reaching.hpp>

#include <array>
#include <cmath>

namespace dendraxis {
namespace {

constexpr std::size_t k_most_joints = 256;

// From `from` toward `to`, so far.
Vec3 along(const Vec3& from, const Vec3& to, float length) {
    const Vec3 direction = to - from;
    const float distance = direction.norm();
    return distance > 1e-12f ? Vec3(from + direction * (length / distance))
                             : Vec3(from + length * Vec3::UnitY());
}

void unfold(std::span<Vec3> joints, const Vec3& target, const Vec3& hint) {
    const Vec3 line = joints.back() - joints.front();
    const Vec3 asked = target - joints.front();
    for (const Vec3& joint : joints) {
        if ((joint - joints.front()).cross(line).norm() > 1e-4f * line.squaredNorm()) return;
    }
    if (asked.cross(line).norm() > 1e-3f * asked.norm() * line.norm()) return;
    Vec3 side = hint - line * (hint.dot(line) / std::max(line.squaredNorm(), 1e-12f));
    if (side.norm() < 1e-6f) side = line.unitOrthogonal();
    for (std::size_t i = 1; i + 1 < joints.size(); ++i)
        joints[i] += side.normalized() *
                     (0.05f * line.norm() *
                      std::sin(k_pi * static_cast<float>(i) / static_cast<float>(joints.size() - 1)));
}

}  // namespace

ReachingReport reach_by_positions(std::span<Vec3> joints, const Vec3& target, float tolerance,
                                  int most_iterations, const Vec3& hint) noexcept {
    ReachingReport report;
    if (joints.size() < 2 || joints.size() > k_most_joints || !target.allFinite()) return report;
    std::array<float, k_most_joints> lengths;
    float full = 0.0f;
    for (std::size_t i = 0; i + 1 < joints.size(); ++i) {
        lengths[i] = (joints[i + 1] - joints[i]).norm();
        full += lengths[i];
    }
    const Vec3 root = joints.front();
    const float asked = (target - root).norm();
    const auto pull_from_root = [&](const auto& toward) {
        joints.front() = root;
        for (std::size_t i = 0; i + 1 < joints.size(); ++i)
            joints[i + 1] = along(joints[i], toward(i + 1), lengths[i]);
    };
    if (asked >= full) {
        pull_from_root([&](std::size_t) { return target; });
        report.error = (joints.back() - target).norm();
        return report;
    }
    unfold(joints, target, hint);
    report.error = (joints.back() - target).norm();
    while (report.error > tolerance && report.iterations < most_iterations) {
        ++report.iterations;
        joints.back() = target;
        for (std::size_t i = joints.size() - 1; i-- > 0;)
            joints[i] = along(joints[i + 1], joints[i], lengths[i]);
        pull_from_root([&](std::size_t i) { return joints[i]; });
        report.error = (joints.back() - target).norm();
    }
    return report;
}

void turn_toward(const Skeleton& skeleton, std::span<const int> bones, const Vec3& tip,
                 std::span<const Vec3> joints, std::span<const Transform> model,
                 std::span<Transform> local) noexcept {
    Quat carried = Quat::Identity();  // what the bones above have been turned
    for (std::size_t i = 0; i < bones.size() && i + 1 < joints.size(); ++i) {
        const auto b = static_cast<std::size_t>(bones[i]);
        const Transform& own = model[b];
        const Vec3 next = i + 1 < bones.size() ? model[static_cast<std::size_t>(bones[i + 1])].translation
                                               : Vec3(own.translation + own.rotation * tip);
        const Vec3 direction = carried * Vec3(next - own.translation);
        const Quat turn = shortest_arc(direction, joints[i + 1] - joints[i]);
        const int parent = skeleton.parent(bones[i]);
        const Quat above = parent == k_no_bone ? skeleton.above().rotation
                                               : model[static_cast<std::size_t>(parent)].rotation;
        local[b].rotation = ((carried * above).conjugate() * turn * carried * own.rotation).normalized();
        carried = turn * carried;
    }
}

}  // namespace dendraxis
