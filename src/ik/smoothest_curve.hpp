// The smoothest curve near values over time.
#pragma once

#include <span>
#include <vector>

namespace dendraxis::detail {

/// One value a frame, and what is asked of the curve there.
struct CurvePoint {
    float value = 0.0f;
    float weight = 0.0f;    ///< how much a distance from `value` counts, squared; 0: nothing is asked
    float lowest = -1e30f;  ///< the curve stays above it
};

/// Minimizes the sum of squared second differences, times `stiffness`, and of weighted squared distances.
/// Frames of no weight follow from their neighbors. All weights 0: zeros, or a line above all `lowest`.
std::vector<float> smoothest_curve(std::span<const CurvePoint> points, double stiffness);

}  // namespace dendraxis::detail
