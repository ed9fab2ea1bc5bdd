#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/skeleton/character.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis {

const Clip* Character::find_clip(std::string_view clip_name) const noexcept {
    const auto found =
        std::find_if(clips.begin(), clips.end(), [&](const Clip& one) { return one.name == clip_name; });
    return found == clips.end() ? nullptr : &*found;
}

const Clip& Character::clip(std::string_view clip_name) const {
    if (const Clip* found = find_clip(clip_name)) return *found;
    std::vector<std::string> names;
    for (const Clip& candidate : clips) names.push_back(candidate.name);
    const std::string subject = file.empty() ? name : file;
    const std::string problem = "there is no clip '" + std::string(clip_name) + "'";
    const ErrorCode code = ErrorCode::unknown_name;
    if (names.empty()) throw Error(code, subject, problem, "", "the file holds no clips at all");
    std::string all = names.front();
    for (std::size_t i = 1; i < names.size(); ++i) all += ", " + names[i];
    throw Error(code, subject, problem, "", did_you_mean(clip_name, names, "it holds: " + all));
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

std::vector<SkinnedMesh> props_at(const Character& character, std::string_view clip, std::size_t frame) {
    std::vector<SkinnedMesh> props = character.props;
    for (const Clip& motion : character.prop_motions) {
        if (motion.name != clip || motion.frame_count() == 0) continue;
        const auto frames = motion.frame(std::min(frame, motion.frame_count() - 1));
        for (std::size_t p = 0; p < props.size(); ++p) {
            if (props[p].inverse_bind.size() == 1) props[p].inverse_bind[0] = to_affine(frames[p]);
        }
    }
    return props;
}

std::vector<Transform> bind_pose(const Character& character) {
    const Skeleton& skeleton = character.skeleton;
    std::vector<Affine> rest(skeleton.size());
    to_model_matrices(skeleton, rest_pose(skeleton), rest);
    std::vector<Transform> model = rest_in_model_space(skeleton);
    std::vector<char> bound(skeleton.size(), 0);
    for (const SkinnedMesh& mesh : character.meshes) {
        if (mesh.bones.empty()) continue;
        // The mesh's own space, found by the first of its bones, which is taken to rest where it was bound.
        const Affine to_model = rest[static_cast<std::size_t>(mesh.bones[0])] * mesh.inverse_bind[0];
        for (std::size_t k = 0; k < mesh.bones.size(); ++k) {
            const auto bone = static_cast<std::size_t>(mesh.bones[k]);
            if (bound[bone]) continue;
            bound[bone] = 1;
            model[bone] = from_affine(to_model * mesh.inverse_bind[k].inverse());
        }
    }
    std::vector<Transform> local(skeleton.size());
    for (std::size_t i = 0; i < skeleton.size(); ++i) {
        const int parent = skeleton.bones()[i].parent;
        const Transform& above =
            parent == k_no_bone ? skeleton.above() : model[static_cast<std::size_t>(parent)];
        if (!bound[i]) model[i] = above * skeleton.bones()[i].rest;
        local[i] = inverse(above) * model[i];
    }
    return local;
}

}  // namespace dendraxis
