#include <dendraxis/page/outline.hpp>

#include <dendraxis/ragdoll/binding.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <set>

namespace dendraxis::page {
namespace {

using Lines = std::vector<Vec3>;

// An arc about `axis`, from `from` through so many radians.
void add_arc(Lines& lines, const Vec3& middle, const Vec3& from, const Vec3& axis, float angle) {
    const int steps =
        std::max(1, static_cast<int>(std::lround(std::abs(angle) / std::numbers::pi_v<float> * 8.0f)));
    Vec3 last = middle + from;
    for (int i = 1; i <= steps; ++i) {
        const float part = angle * static_cast<float>(i) / static_cast<float>(steps);
        const Vec3 next = middle + Eigen::AngleAxisf(part, axis) * from;
        lines.insert(lines.end(), {last, next});
        last = next;
    }
}

// Two rings, and two outlines along the straight part: a ball where it has none.
Lines capsule_lines(const Vec3& half) {
    const float radius = half.x();
    const Vec3 top(0.0f, std::max(0.0f, half.y() - radius), 0.0f);
    Lines lines;
    constexpr float k_turn = 2.0f * std::numbers::pi_v<float>;
    for (const float end : {-1.0f, 1.0f}) {
        add_arc(lines, end * top, radius * Vec3::UnitX(), Vec3::UnitY(), k_turn);
        add_arc(lines, end * top, radius * Vec3::UnitX(), Vec3::UnitZ(), end * 0.5f * k_turn);
        add_arc(lines, end * top, radius * Vec3::UnitZ(), Vec3::UnitX(), -end * 0.5f * k_turn);
    }
    for (const Vec3& side : {Vec3(Vec3::UnitX()), Vec3(Vec3::UnitZ())}) {
        for (const float end : {-1.0f, 1.0f})
            lines.insert(lines.end(), {end * radius * side - top, end * radius * side + top});
    }
    return lines;
}

Lines box_lines(const Vec3& half) {
    Lines lines;
    for (int corner = 0; corner < 8; ++corner) {
        const auto at = [&](int bits) {
            return Vec3((bits & 1) != 0 ? half.x() : -half.x(), (bits & 2) != 0 ? half.y() : -half.y(),
                        (bits & 4) != 0 ? half.z() : -half.z());
        };
        for (const int axis : {1, 2, 4}) {
            if ((corner & axis) == 0) lines.insert(lines.end(), {at(corner), at(corner | axis)});
        }
    }
    return lines;
}

Lines lines_of(const Shape& shape) {
    return shape.kind == ShapeKind::box ? box_lines(shape.half) : capsule_lines(shape.half);
}

std::vector<Affine> rest_matrices(const Skeleton& skeleton) {
    std::vector<Affine> matrices(skeleton.size());
    to_model_matrices(skeleton, rest_pose(skeleton), matrices);
    return matrices;
}

// Lines given relative to `frame`, in the frame of the bone that carries them; both in model space.
Lines carried(Lines lines, const Transform& frame, const Affine& bone) {
    const Affine into = bone.inverse() * to_affine(frame);
    for (Vec3& point : lines) point = into * point;
    return lines;
}

}  // namespace

std::vector<Outline> outlines_of(const RagdollPlan& plan, std::span<const Transform> bodies) {
    std::vector<Outline> outlines;
    for (std::size_t i = 0; i < bodies.size(); ++i) {
        Lines lines = lines_of(plan.bodies[i].shape);
        for (Vec3& point : lines) point = to_affine(bodies[i]) * point;
        outlines.push_back({OutlineKind::terrain, plan.bodies[i].name, k_no_bone, std::move(lines)});
    }
    return outlines;
}

std::vector<Outline> outlines_of(const RagdollPlan& plan, const Chart& chart) {
    const std::vector<Affine> rest = rest_matrices(chart.skeleton);
    std::vector<BodyState> bodies(plan.bodies.size());
    RagdollBinding(plan, chart).bodies_of(rest_in_model_space(chart.skeleton), {}, bodies);
    std::vector<Outline> outlines;
    for (std::size_t i = 0; i < bodies.size(); ++i) {
        const RagdollBody& body = plan.bodies[i];
        outlines.push_back({OutlineKind::body, body.name, body.bone,
                            carried(lines_of(body.shape), {bodies[i].turn, bodies[i].position, Vec3::Ones()},
                                    rest[static_cast<std::size_t>(body.bone)])});
    }
    return outlines;
}

std::vector<Outline> outlines_of(std::span<const Socket> sockets, const Chart& chart) {
    const std::vector<Affine> rest = rest_matrices(chart.skeleton);
    const std::vector<Transform> model = rest_in_model_space(chart.skeleton);
    const SocketBinding binding({sockets.begin(), sockets.end()}, chart);
    const float size = 0.06f * std::max(chart.height, 1e-3f);
    Lines axes;
    for (int axis = 0; axis < 3; ++axis)
        axes.insert(axes.end(), {Vec3(Vec3::Zero()), Vec3(size * Vec3::Unit(axis))});
    std::vector<Outline> outlines;
    for (std::size_t i = 0; i < sockets.size(); ++i)
        outlines.push_back(
            {OutlineKind::socket, sockets[i].name, sockets[i].bone,
             carried(axes, binding.frame(i, model), rest[static_cast<std::size_t>(sockets[i].bone)])});
    return outlines;
}

Outline target_outline(const std::string& name, const Vec3& position, const Chart& chart) {
    const float size = 0.04f * std::max(chart.height, 1e-3f);
    Outline outline{OutlineKind::target, name, k_no_bone, {}};
    for (int axis = 0; axis < 3; ++axis) {
        const Vec3 arm = size * Vec3::Unit(axis);
        outline.lines.insert(outline.lines.end(), {position - arm, position + arm});
    }
    return outline;
}

Outline terrain_outline(const std::string& name, const Surface& surface) {
    Outline outline{OutlineKind::terrain, name, k_no_bone, {}};
    std::set<std::pair<unsigned, unsigned>> edges;
    for (const auto& triangle : surface.triangles) {
        for (std::size_t k = 0; k < 3; ++k) edges.insert(std::minmax(triangle[k], triangle[(k + 1) % 3]));
    }
    for (const auto& [a, b] : edges)
        outline.lines.insert(outline.lines.end(), {surface.positions[a], surface.positions[b]});
    return outline;
}

std::string_view to_string(OutlineKind kind) noexcept {
    switch (kind) {
        case OutlineKind::body:
            return "body";
        case OutlineKind::socket:
            return "socket";
        case OutlineKind::target:
            return "target";
        case OutlineKind::terrain:
            return "terrain";
    }
    return "";
}

}  // namespace dendraxis::page
