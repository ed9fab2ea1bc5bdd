// Time of touch: conservative advancement along a fixed
// direction, B. Mirtich, "Impulse-based dynamic simulation of rigid body systems" (1996).
#include <dendraxis/equip/sweep.hpp>

#include "../ragdoll/convex.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>

#include <fmt/format.h>

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

LiveWindow::LiveWindow(float first, float last, std::vector<std::string> groups)
    : first_(first), last_(last), groups_(std::move(groups)) {
    if (!(first <= last) || !std::isfinite(first) || !std::isfinite(last))
        throw Error("window", fmt::format("ends at frame {:g} before it starts at {:g}", last, first), "",
                    "write the earlier frame first");
}

void LiveWindow::step(float frame, float fps, const SweepVolume& volume, const Motion& volume_moves,
                      std::span<const SweepTarget> targets, std::span<const Motion> target_moves) {
    const float from = std::max(0.0f, first_ - frame);
    const float to = std::min(1.0f, last_ - frame);
    if (from > to) return;
    const auto within = [&](const Motion& whole) { return Motion{whole.at(from), whole.at(to)}; };
    const Transform on_frame{volume.turn, volume.at, Vec3::Ones()};
    // Between frames its middle goes straight and it turns evenly.
    const Motion own = within({volume_moves.from * on_frame, volume_moves.to * on_frame});
    for (std::size_t t = 0; t < targets.size(); ++t) {
        const SweepTarget& target = targets[t];
        const auto is_it = [&](const WindowTouch& known) { return known.target == target.name; };
        if (!groups_.empty() && std::find(groups_.begin(), groups_.end(), target.group) == groups_.end())
            continue;
        if (std::any_of(touches_.begin(), touches_.end(), is_it)) continue;
        Touch touch;
        int bone = target.bone;
        if (target.surface != nullptr) {
            std::size_t triangle = 0;
            if (!first_touch(volume.shape, own, *target.surface, within(target_moves[t]), touch, triangle))
                continue;
            bone = target.surface->bones[target.surface->triangles[triangle][0]];
        } else if (!first_touch(volume.shape, own, target.shape, within(target_moves[t]), touch)) {
            continue;
        }
        const float share = from + touch.share * (to - from);
        const float speed = to > from ? touch.speed * fps / (to - from) : 0.0f;
        const WindowTouch made{target.name, bone, frame + share, touch.point, touch.normal, speed};
        const auto earlier = [](const WindowTouch& x, const WindowTouch& y) { return x.frame < y.frame; };
        touches_.insert(std::upper_bound(touches_.begin(), touches_.end(), made, earlier), made);
    }
}

}  // namespace dendraxis
