#include "smoothing.hpp"

namespace dendraxis::detail {

std::vector<float> rounded_up(const std::vector<float>& values, int reach) {
    const int count = static_cast<int>(values.size());
    std::vector<float> widened(values.size());
    for (int f = 0; f < count; ++f) {
        float most = values[static_cast<std::size_t>(f)];
        for (int k = std::max(0, f - reach); k <= std::min(count - 1, f + reach); ++k)
            most = std::max(most, values[static_cast<std::size_t>(k)]);
        widened[static_cast<std::size_t>(f)] = most;
    }
    // A Gaussian whose weight lies within the widened part all but for a thousandth.
    return smoothed(widened, static_cast<float>(reach) / 3.0f);
}

}  // namespace dendraxis::detail
