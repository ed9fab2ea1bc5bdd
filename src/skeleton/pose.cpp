#include <dendraxis/skeleton/pose.hpp>

namespace dendraxis {
namespace {

const Transform& parent_of(const Skeleton& skeleton, std::span<const Transform> model, std::size_t bone) {
    const int parent = skeleton.bones()[bone].parent;
    return parent == k_no_bone ? skeleton.above() : model[static_cast<std::size_t>(parent)];
}

}  // namespace

void to_model_space(const Skeleton& skeleton, std::span<const Transform> local,
                    std::span<Transform> model) noexcept {
    const std::size_t count = skeleton.size();
    for (std::size_t start = 0; count > 0 && start + count <= local.size(); start += count) {
        const auto pose = model.subspan(start, count);
        for (std::size_t i = 0; i < count; ++i) pose[i] = parent_of(skeleton, pose, i) * local[start + i];
    }
}

void to_local_space(const Skeleton& skeleton, std::span<const Transform> model,
                    std::span<Transform> local) noexcept {
    const std::size_t count = skeleton.size();
    for (std::size_t start = 0; count > 0 && start + count <= model.size(); start += count) {
        const auto pose = model.subspan(start, count);
        for (std::size_t i = 0; i < count; ++i) {
            local[start + i] = inverse(parent_of(skeleton, pose, i)) * pose[i];
            local[start + i].rotation.normalize();
        }
    }
}

void to_model_matrices(const Skeleton& skeleton, std::span<const Transform> local,
                       std::span<Affine> model) noexcept {
    for (std::size_t i = 0; i < skeleton.size(); ++i) {
        const int parent = skeleton.bones()[i].parent;
        const Affine above =
            parent == k_no_bone ? to_affine(skeleton.above()) : model[static_cast<std::size_t>(parent)];
        model[i] = above * to_affine(local[i]);
    }
}

std::vector<Transform> rest_pose(const Skeleton& skeleton) {
    std::vector<Transform> pose;
    pose.reserve(skeleton.size());
    for (const Bone& bone : skeleton.bones()) pose.push_back(bone.rest);
    return pose;
}

std::vector<Transform> rest_in_model_space(const Skeleton& skeleton) {
    std::vector<Transform> pose = rest_pose(skeleton);
    to_model_space(skeleton, pose, pose);
    return pose;
}

}  // namespace dendraxis
