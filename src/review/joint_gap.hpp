// Bones that have left what they hang on in the body.
#pragma once

#include "body_measures.hpp"

namespace dendraxis::detail {

/// `joint_gap_pct` of a clip.
Measure joint_gap(const TwoClips& clips);

}  // namespace dendraxis::detail
