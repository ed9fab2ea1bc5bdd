#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ik/planar.hpp>

#include <algorithm>
#include <array>
#include <cmath>

namespace dendraxis {
namespace {

float within(const AngleSpan& limits, float angle) {
    return std::clamp(angle, std::min(limits.from, limits.to), std::max(limits.from, limits.to));
}

constexpr std::size_t k_most_planar_joints = 64;
constexpr float k_longest_planar_step = 0.7f;  // radians
using Columns = std::array<Vec2, k_most_planar_joints>;

// Where the end stands, and how it moves when each joint turns: the arm from there, turned by a quarter.
Vec2 find_columns(std::span<const PlanarJoint> joints, std::span<const float> angles, Columns& columns) {
    Vec2 end = Vec2::Zero();
    float heading = 0.0f;
    for (std::size_t i = 0; i < joints.size(); ++i) {
        columns[i] = end;
        heading += angles[i];
        end += joints[i].length * Vec2(std::cos(heading), std::sin(heading));
    }
    for (std::size_t i = 0; i < joints.size(); ++i) {
        const Vec2 arm = end - columns[i];
        columns[i] = Vec2(-arm.y(), arm.x());
    }
    return end;
}

}  // namespace

PlanarAngles solve_planar(float upper_length, float lower_length, const Vec2& target,
                          BendSide side) noexcept {
    const float a = upper_length;
    const float b = lower_length;
    if (!(a > 0.0f) || !(b > 0.0f) || !target.allFinite()) return {};
    const float d = std::clamp(target.norm(), std::max(std::abs(a - b), 1e-6f * (a + b)), a + b);
    const float open = std::acos(std::clamp((a * a + d * d - b * b) / (2.0f * a * d), -1.0f, 1.0f));
    const float inner = std::acos(std::clamp((a * a + b * b - d * d) / (2.0f * a * b), -1.0f, 1.0f));
    const float toward = target.norm() > 0.0f ? std::atan2(target.y(), target.x()) : 0.0f;
    const float sign = side == BendSide::left ? 1.0f : -1.0f;
    return {wrapped(toward + sign * open), wrapped(sign * (inner - k_pi))};
}

float solve_planar(std::span<const PlanarJoint> joints, std::span<float> angles, const Vec2& target,
                   float tolerance, int most_iterations) noexcept {
    const std::size_t count = std::min({joints.size(), angles.size(), k_most_planar_joints});
    joints = joints.first(count);
    angles = angles.first(count);
    float full = 0.0f;
    for (std::size_t i = 0; i < count; ++i) {
        full += joints[i].length;
        angles[i] = within(joints[i].limits, std::isfinite(angles[i]) ? angles[i] : 0.0f);
    }
    if (count == 0 || !target.allFinite() || !(full > 0.0f)) return 0.0f;
    Columns columns;
    for (int iteration = 0; iteration < most_iterations; ++iteration) {
        const Vec2 end = find_columns(joints, angles, columns);
        const Vec2 error = target - end;
        if (error.norm() <= tolerance) break;
        Eigen::Matrix2f system =
            Eigen::Matrix2f::Identity() * (1e-5f * full * full + 0.1f * error.squaredNorm());
        for (std::size_t i = 0; i < count; ++i) {
            // A joint that its limit holds takes no part.
            const float wish = columns[i].dot(error);
            if ((angles[i] <= joints[i].limits.from && wish < 0.0f) ||
                (angles[i] >= joints[i].limits.to && wish > 0.0f))
                columns[i].setZero();
            system += columns[i] * columns[i].transpose();
        }
        const Vec2 answer = system.inverse() * error;
        float moved = 0.0f;
        for (std::size_t i = 0; i < count; ++i) {
            const float before = angles[i];
            angles[i] = within(
                joints[i].limits,
                before + std::clamp(columns[i].dot(answer), -k_longest_planar_step, k_longest_planar_step));
            moved = std::max(moved, std::abs(angles[i] - before));
        }
        if (moved > 1e-6f) continue;
        if (iteration > 0) break;
        // Exactly straight and asked to come nearer: bent a little, to where there is more room.
        for (std::size_t i = 1; i < count; ++i) {
            const AngleSpan& limits = joints[i].limits;
            angles[i] = within(limits, angles[i] + (limits.to >= -limits.from ? 0.1f : -0.1f));
        }
    }
    return (target - find_columns(joints, angles, columns)).norm();
}

void reach_in_plane(const Skeleton& skeleton, const Limb& limb, const Vec3& normal, const Vec3& target,
                    BendSide side, float end_turn, std::span<const Transform> model,
                    std::span<Transform> local) noexcept {
    if (!target.allFinite() || normal.norm() < 1e-9f) return;
    const Vec3 out = normal.normalized();
    const LimbJoints joints = joints_of(limb.bones, model);
    const Vec3 first = out.unitOrthogonal();
    const Vec3 second = out.cross(first);
    const auto flat = [&](const Vec3& v) { return Vec2(v.dot(first), v.dot(second)); };
    const Vec2 upper = flat(joints.middle - joints.root);
    const Vec2 lower = flat(joints.end - joints.middle);
    const PlanarAngles angles = solve_planar(upper.norm(), lower.norm(), flat(target - joints.root), side);
    const auto heading = [](const Vec2& v) { return std::atan2(v.y(), v.x()); };
    const float upper_turn = wrapped(angles.upper - heading(upper));
    const float lower_turn = wrapped(angles.upper + angles.lower - heading(lower));
    const auto about = [&](float angle) { return Quat(Eigen::AngleAxisf(angle, out)); };
    const Quat end = about(lower_turn + end_turn);
    turn_limb(skeleton, limb.bones, {about(upper_turn), about(lower_turn)}, &end, model, local);
}

}  // namespace dendraxis
