// Where and when a character's feet stand on something.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/pairing_settings.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <array>
#include <span>
#include <string>
#include <vector>

namespace dendraxis {

/// One foot through a clip. All vectors have one entry a frame.
struct FootTrack {
    std::string leg;
    std::vector<std::array<Vec3, k_foot_parts>> parts;    ///< model space
    std::vector<std::array<bool, k_foot_parts>> planted;  ///< which parts stand
    std::vector<float> height;                            ///< of the lowest point over the floor
    std::vector<float> level;  ///< of what it stands on: 0 the floor, more on a ledge

    std::size_t size() const noexcept { return parts.size(); }
    bool stands(std::size_t frame) const noexcept;
};

/// Frames from `first` to `last`, both included.
struct FrameSpan {
    std::size_t first = 0;
    std::size_t last = 0;
};

/// The runs of frames for which `is` holds, at least `shortest` frames long.
template <class Predicate>
std::vector<FrameSpan> spans_where(std::size_t frames, const Predicate& is, std::size_t shortest = 1) {
    std::vector<FrameSpan> spans;
    for (std::size_t f = 0; f < frames; ++f) {
        if (!is(f)) continue;
        const std::size_t first = f;
        while (f + 1 < frames && is(f + 1)) ++f;
        if (f - first + 1 >= shortest) spans.push_back({first, f});
    }
    return spans;
}

/// Limits for what counts as standing, as shares of the leg's length (and of it a second).
struct ContactLimits {
    float touch_height = 0.020f;
    float leave_height = 0.030f;
    float touch_speed = 0.25f;
    float leave_speed = 0.45f;
    float touch_tilt = 0.008f;  ///< over the lowest part of the foot
    float leave_tilt = 0.012f;
};

/// Which parts of a foot stand, of those that `stood` before: a part stands from when it is low and slow
/// until it is high or fast, or another part carries the foot (one that is lower, or as low and steadier).
/// Heights are over what the foot stands on, in lengths of the leg; speeds seen from there, of it a second.
std::array<bool, k_foot_parts> parts_that_stand(const std::array<float, k_foot_parts>& height,
                                                const std::array<float, k_foot_parts>& speed,
                                                const std::array<bool, k_foot_parts>& stood,
                                                const ContactLimits& limits = {}) noexcept;

/// The height of what the character treads on: its chart's floor, or a little below it if its soles are there
/// at rest (less than 0.05 of the leg's length).
float trodden_floor(const Chart& chart);

/// Follows the feet of `chart` through `clip` (poses of its skeleton): `parts_that_stand`, frame by frame. A
/// foot that is still for a while stands at any height (a ledge, a rung). Where the floor
/// runs under a character that walks on the spot, speeds are seen from the floor. Speeds are measured over a
/// thirtieth of a second. For legs that `set` names in this clip, it alone decides. Allocates; safe to call
/// from several threads.
std::vector<FootTrack> track_feet(const Chart& chart, const Clip& clip, std::span<const ContactSpan> set = {},
                                  const ContactLimits& limits = {});

/// How the floor moves under a character that walks on the spot, model units a second; zero if it rests.
Vec3 moving_floor(const Chart& chart, const Clip& clip);

}  // namespace dendraxis
