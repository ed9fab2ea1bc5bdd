// Poses: one transform a bone, relative to the parents (local) or to the character's origin (model space).
#pragma once

#include <dendraxis/skeleton/skeleton.hpp>

#include <span>
#include <vector>

namespace dendraxis {

/// Takes poses from local to model space.
/// `local` and `model` hold `frames * skeleton.size()` transforms, frame after frame; they may be the same
/// memory. Never allocates or throws; safe to call from several threads.
void to_model_space(const Skeleton& skeleton, std::span<const Transform> local,
                    std::span<Transform> model) noexcept;

/// The way back, under the same conditions, except that `model` and `local` must not overlap.
void to_local_space(const Skeleton& skeleton, std::span<const Transform> model,
                    std::span<Transform> local) noexcept;

/// As `to_model_space`, one pose, keeping the shear that uneven scales make. What skins are drawn with.
void to_model_matrices(const Skeleton& skeleton, std::span<const Transform> local,
                       std::span<Affine> model) noexcept;

/// The skeleton's own rest, local.
std::vector<Transform> rest_pose(const Skeleton& skeleton);

/// The skeleton's own rest, in model space.
std::vector<Transform> rest_in_model_space(const Skeleton& skeleton);

}  // namespace dendraxis
