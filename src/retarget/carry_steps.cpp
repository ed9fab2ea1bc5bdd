// Own method.
#include "carry_steps.hpp"

#include <algorithm>

namespace dendraxis::detail {
namespace {

bool is_still(const Clip& clip, std::size_t frame, std::size_t bone) {
    const Transform& before = clip.frame(frame - 1)[bone];
    const Transform& now = clip.frame(frame)[bone];
    return before.rotation.coeffs() == now.rotation.coeffs() && before.translation == now.translation &&
           before.scale == now.scale;
}

// Everything that moves does so in steps.
bool steps_wholly(const Clip& clip) {
    if (clip.steps.empty()) return false;
    for (std::size_t b = 0; b < clip.bone_count; ++b) {
        for (std::size_t f = 1; f < clip.frame_count(); ++f) {
            const Transform& before = clip.frame(f - 1)[b];
            const Transform& now = clip.frame(f)[b];
            if ((!clip.holds(b, k_rotation_steps) && before.rotation.coeffs() != now.rotation.coeffs()) ||
                (!clip.holds(b, k_translation_steps) && before.translation != now.translation) ||
                (!clip.holds(b, k_scale_steps) && before.scale != now.scale))
                return false;
        }
    }
    return true;
}

}  // namespace

void carry_steps(const Pairing& pairing, std::span<const int> follows, const Clip& source, Clip& result) {
    if (source.steps.empty()) return;
    if (steps_wholly(source)) {
        result.steps.assign(result.bone_count, k_all_steps);
        return;
    }
    result.steps.assign(result.bone_count, 0);
    for (std::size_t b = 0; b < follows.size(); ++b) {
        if (follows[b] == k_no_bone) continue;
        const int above = pairing.target.skeleton.bones()[b].parent;
        const int source_above = pairing.source.skeleton.parent(follows[b]);
        // Below other bones its local pose is another.
        if ((above == k_no_bone ? k_no_bone : follows[static_cast<std::size_t>(above)]) == source_above)
            result.steps[b] = source.steps[static_cast<std::size_t>(follows[b])];
    }
}

void hold_poses(const Clip& source, Clip& result) {
    if (!steps_wholly(source)) return;
    for (std::size_t f = 1; f < std::min(source.frame_count(), result.frame_count()); ++f) {
        bool still = true;
        for (std::size_t b = 0; b < source.bone_count && still; ++b) still = is_still(source, f, b);
        if (still) std::ranges::copy(result.frame(f - 1), result.frame(f).begin());
    }
}

}  // namespace dendraxis::detail
