// Distance: E. G. Gilbert, D. W. Johnson and S. S. Keerthi, "A fast procedure for computing the distance
// between complex objects in three-dimensional space", IEEE Journal of Robotics and Automation 4 (1988), on
// the corners of shapes that are then as thick as their radius. Time: conservative advancement along a fixed
// direction, B. Mirtich, "Impulse-based dynamic simulation of rigid body systems" (1996).
#include <dendraxis/equip/sweep.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace dendraxis {
namespace {

using Vec3d = Eigen::Vector3d;

constexpr double k_touching = 2e-5;  // metres
constexpr int k_most_advances = 1000;
constexpr int k_most_rounds = 40;

// The corners of a shape without its roundness.
struct Core {
    std::array<Vec3d, 8> corners;
    std::size_t count = 0;
    double radius = 0.0;  // of the roundness
    double reach = 0.0;   // of the corners from the middle

    void add(const Vec3d& corner) {
        corners[count++] = corner;
        reach = std::max(reach, corner.norm());
    }
};

Core core_of(const Shape& shape) {
    Core core;
    const Vec3d half = shape.half.cast<double>();
    if (shape.kind == ShapeKind::sphere) {
        core.add(Vec3d::Zero());
        core.radius = half.x();
    } else if (shape.kind == ShapeKind::capsule) {
        const double end = std::max(0.0, half.y() - half.x());
        core.add(Vec3d(0, end, 0));
        if (end > 0.0) core.add(Vec3d(0, -end, 0));
        core.radius = half.x();
    } else {
        for (int i = 0; i < 8; ++i)
            core.add(
                {i & 1 ? half.x() : -half.x(), i & 2 ? half.y() : -half.y(), i & 4 ? half.z() : -half.z()});
    }
    return core;
}

struct Placed {
    Eigen::Matrix3d turn;
    Vec3d position;
};

Placed placed(const Motion& motion, double share) {
    const Transform at = motion.at(static_cast<float>(share));
    return {at.rotation.cast<double>().normalized().toRotationMatrix(), at.translation.cast<double>()};
}

Vec3d support(const Core& core, const Placed& at, const Vec3d& direction) {
    const Vec3d own = at.turn.transpose() * direction;
    std::size_t best = 0;
    for (std::size_t i = 1; i < core.count; ++i) {
        if (core.corners[i].dot(own) > core.corners[best].dot(own)) best = i;
    }
    return at.turn * core.corners[best] + at.position;
}

// A corner of the difference of the two shapes, with where it comes from.
struct Corner {
    Vec3d gap = Vec3d::Zero();
    Vec3d on_a = Vec3d::Zero();
};

struct Simplex {
    std::array<Corner, 4> corners;
    std::array<double, 4> shares{};
    std::size_t count = 0;
};

// The point nearest to the origin on the hull of these corners, by trying all their subsets; keeps those that
// it lies on.
Vec3d nearest_on(Simplex& simplex) {
    double least = 1e300;
    Simplex best;
    Vec3d nearest = Vec3d::Zero();
    for (unsigned subset = 1; subset < 1U << simplex.count; ++subset) {
        Simplex some;
        for (std::size_t i = 0; i < simplex.count; ++i) {
            if (subset >> i & 1U) some.corners[some.count++] = simplex.corners[i];
        }
        // Shares of the corners at the nearest point of the flat through them.
        Eigen::Matrix3d span = Eigen::Matrix3d::Zero();
        Eigen::Matrix3d square = Eigen::Matrix3d::Identity();  // stays so where there is no edge
        const auto edges = static_cast<Eigen::Index>(some.count) - 1;
        for (Eigen::Index i = 0; i < edges; ++i)
            span.col(i) = some.corners[static_cast<std::size_t>(i) + 1].gap - some.corners[0].gap;
        square.topLeftCorner(edges, edges) = (span.transpose() * span).topLeftCorner(edges, edges);
        if (std::abs(square.determinant()) < 1e-30) continue;
        const Vec3d shares = square.inverse() * (span.transpose() * -some.corners[0].gap);
        some.shares = {1.0 - shares.sum(), shares.x(), shares.y(), shares.z()};
        if (*std::min_element(some.shares.begin(),
                              some.shares.begin() + static_cast<std::ptrdiff_t>(some.count)) < 0.0)
            continue;
        const Vec3d point = some.corners[0].gap + span * shares;
        if (point.squaredNorm() < least) least = point.squaredNorm(), best = some, nearest = point;
    }
    simplex = best;
    return nearest;
}

struct Apart {
    double distance = 0.0;          // between the surfaces; 0 or less where the cores are in each other
    Vec3d normal = Vec3d::UnitY();  // from b to a
    Vec3d on_a = Vec3d::Zero();     // of its core
};

Apart distance(const Core& a, const Placed& at_a, const Core& b, const Placed& at_b) {
    Vec3d gap = at_a.position - at_b.position;
    if (gap.squaredNorm() < 1e-12) gap = Vec3d::UnitY();
    Simplex simplex;
    for (int round = 0; round < k_most_rounds; ++round) {
        const Vec3d on_a = support(a, at_a, -gap);
        const Vec3d corner = on_a - support(b, at_b, gap);
        const bool done =
            simplex.count > 0 && gap.squaredNorm() - gap.dot(corner) <= 1e-10 * gap.squaredNorm();
        if (done || simplex.count == 4) break;
        simplex.corners[simplex.count++] = {corner, on_a};
        gap = nearest_on(simplex);
        if (gap.squaredNorm() < 1e-14) break;
    }
    Apart apart;
    const double length = gap.norm();
    if (length > 1e-7) apart.normal = gap / length;
    apart.distance = (length > 1e-7 ? length : 0.0) - a.radius - b.radius;
    if (length <= 1e-7) apart.distance = std::min(apart.distance, 0.0);
    for (std::size_t i = 0; i < simplex.count; ++i) apart.on_a += simplex.shares[i] * simplex.corners[i].on_a;
    return apart;
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
