#include <dendraxis/geometry/surface.hpp>

#include <cmath>

namespace dendraxis {

std::optional<RayHit> first_hit(const Surface& surface, const Ray& ray) noexcept {
    const Vec3 direction = ray.direction.stableNormalized();
    std::optional<RayHit> hit;
    for (std::size_t t = 0; t < surface.triangles.size(); ++t) {
        const auto& corners = surface.triangles[t];
        const Vec3& a = surface.positions[corners[0]];
        const Vec3 ab = surface.positions[corners[1]] - a;
        const Vec3 ac = surface.positions[corners[2]] - a;
        const Vec3 across = direction.cross(ac);
        const float area = ab.dot(across);
        if (std::abs(area) < 1e-12f) continue;
        const Vec3 from = ray.from - a;
        const float b = from.dot(across) / area;
        const Vec3 square = from.cross(ab);
        const float c = direction.dot(square) / area;
        if (b < 0.0f || c < 0.0f || b + c > 1.0f) continue;
        const float distance = ac.dot(square) / area;
        if (distance < 0.0f || (hit && distance >= hit->distance)) continue;
        const std::size_t corner = b > c && b > 1.0f - b - c ? 1 : c > 1.0f - b - c ? 2 : 0;
        hit =
            RayHit{distance, ray.from + distance * direction, ab.cross(ac).normalized(),
                   t,        surface.bones[corners[corner]],  surface.props.empty() ? -1 : surface.props[t]};
    }
    return hit;
}

}  // namespace dendraxis
