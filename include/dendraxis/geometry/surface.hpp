// Triangles that know their bones, and rays against them.
#pragma once

#include <dendraxis/base/transform.hpp>

#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace dendraxis {

struct Surface {
    std::vector<Vec3> positions;  ///< model space
    std::vector<std::array<std::uint32_t, 3>> triangles;
    std::vector<int> bones;  ///< of each vertex the bone that moves it most
    std::vector<int>
        props;  ///< of each triangle which of `Character::props` it is, -1: skin; empty: all skin
};

struct Ray {
    Vec3 from = Vec3::Zero();
    Vec3 direction = Vec3::UnitZ();  ///< any length but zero
};

struct RayHit {
    float distance = 0.0f;  ///< metres along the ray
    Vec3 point = Vec3::Zero();
    Vec3 normal = Vec3::UnitY();  ///< out of the triangle's front
    std::size_t triangle = 0;
    int bone = -1;  ///< of the corner that counts most at the point
    int prop = -1;  ///< which of `Character::props`; -1: the skin
};

/// What a ray meets first, from either side of a triangle. T. Moeller and B. Trumbore, "Fast, minimum storage
/// ray-triangle intersection", Journal of Graphics Tools 2 (1997). Never allocates or throws.
std::optional<RayHit> first_hit(const Surface& surface, const Ray& ray) noexcept;

}  // namespace dendraxis
