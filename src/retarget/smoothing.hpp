// Values over time, one a frame: smoothed, widened, bridged.
#pragma once

#include <dendraxis/base/transform.hpp>
#include <dendraxis/chart/contacts.hpp>

#include <algorithm>
#include <cmath>
#include <optional>
#include <span>
#include <vector>

namespace dendraxis::detail {

/// What stands beyond the ends of a series when it is smoothed.
enum class Beyond {
    last,     ///< the last value goes on
    mirrored  ///< it goes on as it came, so that a straight line stays one
};

/// A Gaussian average with a standard deviation of `sigma` frames.
template <class Value>
std::vector<Value> smoothed(const std::vector<Value>& values, float sigma, Beyond beyond = Beyond::last) {
    const int count = static_cast<int>(values.size());
    const int reach = static_cast<int>(std::ceil(3.0f * sigma));
    if (count < 2 || reach < 1) return values;
    std::vector<float> weights;
    float sum = 0.0f;
    for (int k = -reach; k <= reach; ++k) {
        const float x = static_cast<float>(k) / sigma;
        weights.push_back(std::exp(-0.5f * x * x));
        sum += weights.back();
    }
    const auto at = [&](int f) -> Value {
        const auto clamped = static_cast<std::size_t>(std::clamp(f, 0, count - 1));
        if (beyond == Beyond::last || static_cast<int>(clamped) == f) return values[clamped];
        const int inside = std::clamp(2 * static_cast<int>(clamped) - f, 0, count - 1);
        return Value(2.0f * values[clamped] - values[static_cast<std::size_t>(inside)]);
    };
    std::vector<Value> result;
    result.reserve(values.size());
    for (int f = 0; f < count; ++f) {
        Value total = at(f) * weights[static_cast<std::size_t>(reach)];
        for (int k = 1; k <= reach; ++k) {
            const float weight = weights[static_cast<std::size_t>(reach) + static_cast<std::size_t>(k)];
            total += (at(f - k) + at(f + k)) * weight;
        }
        result.push_back(Value(total / sum));
    }
    return result;
}

/// 0 to 1 with no speed and no acceleration at either end.
inline float smoother_step(float t) {
    t = std::clamp(t, 0.0f, 1.0f);
    return t * t * t * (t * (6.0f * t - 15.0f) + 10.0f);
}

/// Passes from the value before each gap of unknown values to the one after it; at either end of the series
/// from and to `beyond`, or, if that is not given, the value at the gap's other end. Without any known value
/// nothing is changed.
template <class IsKnown>
void fill_gaps(std::vector<float>& values, const IsKnown& is_known, std::optional<float> beyond = {}) {
    for (const FrameSpan& gap : spans_where(values.size(), [&](std::size_t f) { return !is_known(f); })) {
        const bool starts = gap.first == 0;
        const bool ends = gap.last + 1 == values.size();
        if (starts && ends) return;
        const float after = ends ? beyond.value_or(values[gap.first - 1]) : values[gap.last + 1];
        const float before = starts ? beyond.value_or(after) : values[gap.first - 1];
        const auto count = static_cast<float>(gap.last - gap.first + 2);
        for (std::size_t f = gap.first; f <= gap.last; ++f)
            values[f] =
                before + smoother_step(static_cast<float>(f - gap.first + 1) / count) * (after - before);
    }
}

/// The largest value within `reach` frames, then smoothed over as many: never below `values` by more than the
/// smoothing of a plateau, never rising or falling at once.
std::vector<float> rounded_up(const std::vector<float>& values, int reach);

/// The least values that are nowhere below `values` and whose second difference is at most `most`, as far as
/// `reach` frames tell: closing by a parabola (van den Boomgaard et al., Quadratic structuring functions in
/// mathematical morphology, 1996). Valleys are rounded, and what is smooth stays as it is.
std::vector<float> closed(const std::vector<float>& values, float most, int reach);

/// Without the noise of a capture: smoothed with `sigma` frames, but away from `values` by no more than the
/// noise around, which the median of fourth differences tells, or than `unseen`. What is smooth stays as it
/// is, and so do single kinks that are larger.
std::vector<float> calmed(const std::vector<float>& values, float sigma, float unseen = 0.0f);

}  // namespace dendraxis::detail
