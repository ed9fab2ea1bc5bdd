// Clips: poses over time.
#pragma once

#include <dendraxis/skeleton/skeleton.hpp>

#include <cstdint>
#include <span>
#include <string>
#include <vector>

namespace dendraxis {

/// What of a bone changes at once in a clip and holds between, as bits of `Clip::steps`.
enum StepBits : std::uint8_t {
    k_rotation_steps = 1,
    k_translation_steps = 2,
    k_scale_steps = 4,
    k_all_steps = 7
};

/// Local poses at an even rate, frame after frame: frame `f` of bone `b` is `transforms[f * bone_count + b]`.
struct Clip {
    std::string name;
    float fps = 30.0f;  ///< frames a second
    std::size_t bone_count = 0;
    std::vector<Transform> transforms;
    float start = 0.0f;                    ///< when its first frame plays, in seconds of its file's own time
    std::vector<std::uint8_t> steps = {};  ///< `StepBits`, one entry a bone; empty: everything moves evenly

    std::size_t frame_count() const noexcept { return bone_count == 0 ? 0 : transforms.size() / bone_count; }
    float seconds() const noexcept;
    std::span<const Transform> frame(std::size_t index) const;
    std::span<Transform> frame(std::size_t index);
    bool holds(std::size_t bone, StepBits property) const noexcept {
        return !steps.empty() && (steps[bone] & property) != 0;
    }
};

/// What a clip shows before its start and after its end: its first and last frame, or the clip repeated.
/// A looping clip ends as it begins: its last frame is where its first one plays again.
enum class Playback { once, loop };

/// The pose `seconds` after the first frame, written to `pose`, one transform a bone. Rotations go the short
/// way around; what steps holds its frame. Never allocates or throws; safe to call from several threads.
void sample(const Clip& clip, float seconds, std::span<Transform> pose,
            Playback playback = Playback::once) noexcept;

/// The clip at another rate: it starts when it did and is as long, to the nearest frame.
Clip resampled(const Clip& clip, float fps);

}  // namespace dendraxis
