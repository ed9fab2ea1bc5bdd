#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/skeleton/character.hpp>
#include <dendraxis/skeleton/pose.hpp>

namespace dendraxis {

const Clip& Character::clip(std::string_view clip_name) const {
    std::vector<std::string> names;
    for (const Clip& candidate : clips) {
        if (candidate.name == clip_name) return candidate;
        names.push_back(candidate.name);
    }
    const std::string subject = file.empty() ? name : file;
    const std::string problem = "there is no clip '" + std::string(clip_name) + "'";
    if (names.empty()) throw Error(subject, problem, "", "the file holds no clips at all");
    const std::string nearest = nearest_name(clip_name, names);
    if (!nearest.empty()) throw Error(subject, problem, "", "did you mean '" + nearest + "'?");
    std::string all = names.front();
    for (std::size_t i = 1; i < names.size(); ++i) all += ", " + names[i];
    throw Error(subject, problem, "", "it holds: " + all);
}

Extents rest_extents(const Skeleton& skeleton, std::span<const SkinnedMesh> meshes) {
    Eigen::AlignedBox3f box;
    std::vector<Affine> matrices(skeleton.size());
    to_model_matrices(skeleton, rest_pose(skeleton), matrices);
    for (const SkinnedMesh& mesh : meshes) {
        std::vector<Vec3> positions(mesh.positions.size());
        deform(mesh, matrices, positions);
        for (const Vec3& position : positions) box.extend(position);
    }
    if (box.isEmpty()) {
        for (const Affine& matrix : matrices) box.extend(Vec3(matrix.translation()));
    }
    if (box.isEmpty()) return {};
    return {box.min(), box.max()};
}

}  // namespace dendraxis
