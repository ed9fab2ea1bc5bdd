// One pose over another.
#pragma once

#include <dendraxis/skeleton/skeleton.hpp>

#include <span>

namespace dendraxis {

/// Brings `onto` toward `with` by `weight` (0 to 1), bone by bone by `mask` where there is one (one value a
/// bone, 0 to 1). Rotations go the short way. Any number of whole poses where there is no mask; with a mask
/// its length is that of a pose. Never allocates or throws; safe to call from several threads.
void blend_poses(std::span<Transform> onto, std::span<const Transform> with, float weight,
                 std::span<const float> mask = {}) noexcept;

}  // namespace dendraxis
