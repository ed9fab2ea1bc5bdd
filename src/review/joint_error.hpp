// Source and target of one build: every joint is the source's, larger and turned as a whole.
#pragma once

#include <dendraxis/review/review.hpp>

namespace dendraxis::detail {

/// `joint_error_pct` of a clip. `source_model` and `model` hold all frames of both clips in model space.
Measure joint_error(const Pairing& pairing, const Clip& source, std::span<const Transform> source_model,
                    std::span<const Transform> model);

}  // namespace dendraxis::detail
