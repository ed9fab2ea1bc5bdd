// Distance: E. G. Gilbert, D. W. Johnson and S. S. Keerthi, "A fast procedure for computing the distance
// between complex objects in three-dimensional space", IEEE Journal of Robotics and Automation 4 (1988), on
// the corners of shapes that are then as thick as their radius. Depth: separating axes, S. Gottschalk,
// M. C. Lin and D. Manocha, "OBBTree", SIGGRAPH (1996).
#include "convex.hpp"

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr int k_most_rounds = 40;

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

// How far a core reaches from its middle along a direction.
double reach_along(const Core& core, const Placed& at, const Vec3d& direction) {
    return direction.dot(support(core, at, direction) - at.position);
}

}  // namespace

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

double core_depth(const Core& a, const Placed& at_a, const Core& b, const Placed& at_b) {
    double least = 1e300;
    const auto try_axis = [&](const Vec3d& axis) {
        const double length = axis.norm();
        if (length < 1e-6) return;
        const Vec3d way = axis / length;
        const double apart = std::abs(way.dot(at_a.position - at_b.position));
        least = std::min(least, reach_along(a, at_a, way) + reach_along(b, at_b, way) - apart);
    };
    for (Eigen::Index i = 0; i < 3; ++i) {
        try_axis(at_a.turn.col(i));
        try_axis(at_b.turn.col(i));
        for (Eigen::Index k = 0; k < 3; ++k) try_axis(at_a.turn.col(i).cross(at_b.turn.col(k)));
    }
    return least;
}

}  // namespace dendraxis::detail
