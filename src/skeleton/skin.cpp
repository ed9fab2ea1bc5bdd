#include <dendraxis/skeleton/skin.hpp>

namespace dendraxis {

void deform(const SkinnedMesh& mesh, std::span<const Affine> bone_matrices,
            std::span<Vec3> positions) noexcept {
    for (std::size_t v = 0; v < mesh.positions.size(); ++v) {
        Vec3 sum = Vec3::Zero();
        for (std::size_t k = 0; k < 4; ++k) {
            const float weight = mesh.weights[v][k];
            if (weight == 0.0f) continue;
            const std::size_t joint = mesh.joints[v][k];
            const Affine& bone = bone_matrices[static_cast<std::size_t>(mesh.bones[joint])];
            sum += weight * (bone * (mesh.inverse_bind[joint] * mesh.positions[v]));
        }
        positions[v] = sum;
    }
}

}  // namespace dendraxis
