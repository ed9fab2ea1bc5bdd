#include <dendraxis/equip/surface.hpp>

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

int leading_bone(const SkinnedMesh& mesh, std::size_t vertex) {
    const auto& weights = mesh.weights[vertex];
    const auto most =
        static_cast<std::size_t>(std::max_element(weights.begin(), weights.end()) - weights.begin());
    return mesh.bones[mesh.joints[vertex][most]];
}

// Adds meshes in a pose.
void add(Surface& surface, std::span<const SkinnedMesh> meshes, std::span<const Affine> matrices,
         bool are_props) {
    std::vector<Vec3> positions;
    for (std::size_t m = 0; m < meshes.size(); ++m) {
        const SkinnedMesh& mesh = meshes[m];
        const auto first = static_cast<std::uint32_t>(surface.positions.size());
        positions.resize(mesh.positions.size());
        deform(mesh, matrices, positions);
        surface.positions.insert(surface.positions.end(), positions.begin(), positions.end());
        for (std::size_t v = 0; v < positions.size(); ++v) surface.bones.push_back(leading_bone(mesh, v));
        for (const auto& corners : mesh.triangles)
            surface.triangles.push_back({first + corners[0], first + corners[1], first + corners[2]});
        if (are_props) surface.props.resize(surface.triangles.size(), static_cast<int>(m));
    }
}

std::vector<Affine> matrices_of(const Character& character, std::span<const Transform> pose) {
    std::vector<Affine> matrices(character.skeleton.size());
    const std::vector<Transform> rest = rest_pose(character.skeleton);
    to_model_matrices(character.skeleton, pose.empty() ? std::span<const Transform>(rest) : pose, matrices);
    return matrices;
}

}  // namespace

Surface surface_of(const Character& character, std::span<const Transform> pose) {
    Surface surface;
    add(surface, character.meshes, matrices_of(character, pose), false);
    return surface;
}

Surface surface_with_props(const Character& character, std::span<const Transform> pose) {
    const std::vector<Affine> matrices = matrices_of(character, pose);
    Surface surface;
    add(surface, character.meshes, matrices, false);
    surface.props.assign(surface.triangles.size(), -1);
    add(surface, character.props, matrices, true);
    return surface;
}

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
