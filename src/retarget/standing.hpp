// Where one bone stands while the local pose around it changes.
#pragma once

#include <dendraxis/skeleton/skeleton.hpp>

#include <span>

namespace dendraxis::detail {

/// A joint slides if its position changes by more than this share of the character\'s height.
inline constexpr float k_slides = 1e-5f;

/// In model space.
inline Transform standing(const Skeleton& skeleton, std::span<const Transform> local, int bone) {
    Transform at = local[static_cast<std::size_t>(bone)];
    for (int above = skeleton.parent(bone); above != k_no_bone; above = skeleton.parent(above))
        at = local[static_cast<std::size_t>(above)] * at;
    return skeleton.above() * at;
}

/// What a bone hangs from, in model space.
inline Transform standing_above(const Skeleton& skeleton, std::span<const Transform> local, int bone) {
    const int parent = skeleton.parent(bone);
    return parent == k_no_bone ? skeleton.above() : standing(skeleton, local, parent);
}

/// Moves a bone of a local pose by `by` in model space; `model` is that pose in model space, before.
inline void move_bone(const Skeleton& skeleton, std::span<const Transform> model, std::span<Transform> local,
                      int bone, const Vec3& by) {
    const int parent = skeleton.parent(bone);
    const Transform& above = parent == k_no_bone ? skeleton.above() : model[static_cast<std::size_t>(parent)];
    local[static_cast<std::size_t>(bone)].translation +=
        inverse(above).scale.cwiseProduct(above.rotation.conjugate() * by);
}

}  // namespace dendraxis::detail
