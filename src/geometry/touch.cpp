// Time of touch: conservative advancement along a fixed
// direction, B. Mirtich, "Impulse-based dynamic simulation of rigid body systems" (1996).
#include <dendraxis/geometry/touch.hpp>

#include "convex.hpp"

#include <dendraxis/base/rotation.hpp>

#include <algorithm>
#include <array>
#include <cmath>

namespace dendraxis {
namespace {

using detail::Apart;
using detail::Core;
using detail::core_of;
using detail::distance;
using detail::Placed;
using detail::Vec3d;

constexpr double k_touching = 2e-5;  // metres
constexpr int k_most_advances = 1000;

Placed placed(const Motion& motion, double share) {
    const Transform at = motion.at(static_cast<float>(share));
    return {at.rotation.cast<double>().normalized().toRotationMatrix(), at.translation.cast<double>()};
}

double angle_of(const Motion& motion) {
    return static_cast<double>(angle_between(motion.from.rotation, motion.to.rotation));
}

bool cores_touch(const Core& core_a, const Motion& a_moves, const Core& core_b, const Motion& b_moves,
                 Touch& touch) noexcept {
    const Vec3d direction = ((a_moves.to.translation - a_moves.from.translation) -
                             (b_moves.to.translation - b_moves.from.translation))
                                .cast<double>();
    const double turning = angle_of(a_moves) * core_a.reach + angle_of(b_moves) * core_b.reach;
    double share = 0.0;
    for (int i = 0; i < k_most_advances; ++i) {
        const Placed at_a = placed(a_moves, share);
        const Apart apart = distance(core_a, at_a, core_b, placed(b_moves, share));
        const double closing = turning - direction.dot(apart.normal);
        if (apart.distance <= k_touching) {
            touch.share = static_cast<float>(share);
            touch.normal = apart.normal.cast<float>();
            touch.point = (apart.on_a - (core_a.radius + 0.5 * apart.distance) * apart.normal).cast<float>();
            const Vec3 arm_a = touch.point - a_moves.at(touch.share).translation;
            const Vec3 arm_b = touch.point - b_moves.at(touch.share).translation;
            const Vec3 angular_velocity_a =
                rotation_vector(a_moves.to.rotation * a_moves.from.rotation.conjugate());
            const Vec3 angular_velocity_b =
                rotation_vector(b_moves.to.rotation * b_moves.from.rotation.conjugate());
            const Vec3 speed =
                direction.cast<float>() + angular_velocity_a.cross(arm_a) - angular_velocity_b.cross(arm_b);
            touch.speed = std::max(0.0f, -speed.dot(touch.normal));
            return true;
        }
        if (closing <= 0.0) return false;
        // Half the tolerance less, so that rounding never lets them pass through each other.
        share += (apart.distance - 0.5 * k_touching) / closing;
        if (share > 1.0) return false;
    }
    return false;
}

// Sorts out the triangles that a shape cannot come near in a step: those outside the box around its way, told
// in the mesh's frame. Where the mesh turns, that way is no straight line and all are kept.
class NearTriangles {
 public:
    NearTriangles(const Core& core, const Motion& moves, const Motion& mesh_moves)
        : all_(angle_of(mesh_moves) > 1e-6) {
        const Vec3d from = in_mesh(mesh_moves.from, moves.from);
        const Vec3d to = in_mesh(mesh_moves.to, moves.to);
        const Vec3d reach = Vec3d::Constant(core.reach + core.radius + 10.0 * k_touching);
        low_ = from.cwiseMin(to) - reach;
        high_ = from.cwiseMax(to) + reach;
    }

    bool may_meet(const Core& triangle) const {
        if (all_) return true;
        Vec3d low = triangle.corners[0];
        Vec3d high = low;
        for (std::size_t c = 1; c < triangle.count; ++c) {
            low = low.cwiseMin(triangle.corners[c]);
            high = high.cwiseMax(triangle.corners[c]);
        }
        return (low.array() <= high_.array()).all() && (high.array() >= low_.array()).all();
    }

 private:
    static Vec3d in_mesh(const Transform& mesh, const Transform& shape) {
        return (mesh.rotation.conjugate() * (shape.translation - mesh.translation)).cast<double>();
    }

    bool all_;
    Vec3d low_;
    Vec3d high_;
};

}  // namespace

Transform Motion::at(float share) const noexcept {
    Transform frame;
    frame.translation = from.translation + share * (to.translation - from.translation);
    frame.rotation = from.rotation.slerp(share, to.rotation);
    return frame;
}

bool first_touch(const Shape& a, const Motion& a_moves, const Shape& b, const Motion& b_moves,
                 Touch& touch) noexcept {
    return cores_touch(core_of(a), a_moves, core_of(b), b_moves, touch);
}

bool first_touch(const Shape& a, const Motion& a_moves, const Surface& mesh, const Motion& mesh_moves,
                 Touch& touch, std::size_t& triangle) noexcept {
    const Core core = core_of(a);
    const NearTriangles near(core, a_moves, mesh_moves);
    bool found = false;
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
        const auto& corners = mesh.triangles[t];
        Core three;
        for (const std::uint32_t corner : corners) three.add(mesh.positions[corner].cast<double>());
        Touch one;
        if (!near.may_meet(three) || !cores_touch(core, a_moves, three, mesh_moves, one)) continue;
        if (found && one.share >= touch.share) continue;
        found = true;
        touch = one;
        triangle = t;
    }
    return found;
}

}  // namespace dendraxis
