// Clips that repeat themselves.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <optional>

namespace dendraxis {

/// How a clip goes on from its end.
struct Loop {
    Transform step;          ///< what the character has gone by from one round to the next, in model space
    std::size_t period = 0;  ///< frames of a round: the clip's, less one if its last pose is its first again

    /// Whether the last pose is the first one again.
    bool closes(const Clip& clip) const noexcept { return period + 1 == clip.frame_count(); }
};

/// The loop that a clip is, if it is one: its last pose is its first one, moved over the floor and turned
/// about up (within half a hundredth of the height and 3 degrees), or comes one frame before that, as fast as
/// the clip moves at its ends.
std::optional<Loop> find_loop(const Chart& chart, const Clip& clip);

/// How far the body is at a clip's end from how it is at its start, less what it goes by over the floor: the
/// joint that is farthest off.
struct LoopGap {
    float distance = 0.0f;  ///< model units
    int bone = k_no_bone;
};
LoopGap loop_gap(const Chart& chart, const Clip& clip);

/// The clip with so many frames of the rounds before and after it.
Clip unrolled(const Chart& chart, const Clip& clip, const Loop& loop, std::size_t before, std::size_t after);

/// Makes the turns of these bones a loop: what is left between `end`, the local pose one round after the
/// clip's first, and `wanted`, what it should be there (the first again), is spread over its frames.
void close_loop(Clip& clip, const Loop& loop, std::span<const Transform> end,
                std::span<const Transform> wanted, std::span<const int> bones);

}  // namespace dendraxis
