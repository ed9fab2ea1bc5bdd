#include <dendraxis/skeleton/skin_surface.hpp>

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

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

}  // namespace dendraxis
