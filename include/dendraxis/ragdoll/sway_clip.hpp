// Secondary motion baked into clips.
#pragma once

#include <dendraxis/ragdoll/sway.hpp>
#include <dendraxis/skeleton/clip.hpp>

namespace dendraxis {

/// How a chain swung in a clip.
struct SwayFigures {
    float most_turned = 0.0f;  ///< radians: away from the animation
    int frame = 0;             ///< in which that is
    float deepest = 0.0f;      ///< model units: in the body, beyond how it is at rest
    int deepest_frame = 0;
};

struct SwayedClip {
    Clip clip;              ///< the clip's name, rate and frames; only the chains' bones are turned otherwise
    bool loops = false;     ///< it ends as it begins, so the chains do, too
    float unclosed = 0.0f;  ///< radians: how far a loop's end was from its start before it was closed
    std::vector<SwayFigures> chains;  ///< one a chain of the plan
};

/// Plays a clip and lets the chains swing, on the clip's own floor. A loop is played until the chains repeat
/// themselves; what is left then is spread over it. Any other clip starts with chains that hang still in its
/// first pose. Chains touch the floor if they are above it at rest. Same input, same bits.
SwayedClip sway_clip(const SwayBinding& binding, const Chart& chart, const Clip& clip);

/// Settings under which chains swing in model space: the earth's gravity, against the chart's up.
SwaySettings sway_settings(const Chart& chart);

}  // namespace dendraxis
