// One height of the hips for legs that each ask for their own.
#pragma once

#include <vector>

namespace dendraxis::detail {

/// What one leg asks of the hips, one entry a frame.
struct LegWish {
    std::vector<float> rise;    ///< how far the hips should come up for it; negative is down; metres
    std::vector<float> counts;  ///< how much that weighs
    std::vector<float> most;    ///< the highest at which it still reaches
    std::vector<char> stands;
};

/// How far the hips come up in each frame: the mean of what the legs ask for, smooth within `sigma` frames,
/// never so high that a leg which stands is stretched beyond its length. All legs have as many frames.
std::vector<float> hips_shift(const std::vector<LegWish>& legs, float sigma);

}  // namespace dendraxis::detail
