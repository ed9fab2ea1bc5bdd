// Convex shapes as the corners of a core and a roundness: how far they are apart, how deep in each other.
#pragma once

#include <dendraxis/geometry/shape.hpp>

#include <array>

namespace dendraxis::detail {

using Vec3d = Eigen::Vector3d;

/// The corners of a shape without its roundness: a point, a line, a triangle, a box.
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

Core core_of(const Shape& shape);

struct Placed {
    Eigen::Matrix3d turn;
    Vec3d position;
};

struct Apart {
    double distance = 0.0;          // between the surfaces; 0 or less where the cores are in each other
    Vec3d normal = Vec3d::UnitY();  // from b to a
    Vec3d on_a = Vec3d::Zero();     // of its core
};

Apart distance(const Core& a, const Placed& at_a, const Core& b, const Placed& at_b);

/// How deep the cores of two shapes (points, lines and boxes along their own axes) are in each other: the way
/// out that is shortest. 0 or less: they are apart.
double core_depth(const Core& a, const Placed& at_a, const Core& b, const Placed& at_b);

}  // namespace dendraxis::detail
