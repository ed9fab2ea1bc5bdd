#include <dendraxis/skeleton/blend.hpp>

#include <algorithm>

namespace dendraxis {

void blend_poses(std::span<Transform> onto, std::span<const Transform> with, float weight,
                 std::span<const float> mask) noexcept {
    const std::size_t count = std::min(onto.size(), with.size());
    for (std::size_t i = 0; i < count; ++i) {
        const float own = std::clamp(mask.empty() ? weight : weight * mask[i % mask.size()], 0.0f, 1.0f);
        if (own <= 0.0f) continue;
        if (own >= 1.0f) {
            onto[i] = with[i];
            continue;
        }
        onto[i].rotation = onto[i].rotation.slerp(own, with[i].rotation);
        onto[i].translation += own * (with[i].translation - onto[i].translation);
        onto[i].scale += own * (with[i].scale - onto[i].scale);
    }
}

}  // namespace dendraxis
