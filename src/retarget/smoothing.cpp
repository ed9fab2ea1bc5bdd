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

std::vector<float> calmed(const std::vector<float>& values, float sigma, float unseen) {
    constexpr float k_of_fourth = 0.25f;  // noise has fourth differences of about eight times its size
    const int count = static_cast<int>(values.size());
    const int reach = static_cast<int>(std::ceil(2.0f * sigma));
    if (count < 5) return values;
    const std::vector<float> smooth = smoothed(values, sigma);
    std::vector<float> rough(values.size(), 0.0f);
    for (std::size_t f = 2; f + 2 < values.size(); ++f)
        rough[f] = std::abs(values[f - 2] - 4.0f * values[f - 1] + 6.0f * values[f] - 4.0f * values[f + 1] +
                            values[f + 2]);
    std::vector<float> result;
    std::vector<float> around;
    for (int f = 0; f < count; ++f) {
        around.assign(rough.begin() + std::max(0, f - reach), rough.begin() + std::min(count, f + reach + 1));
        const auto middle = around.begin() + static_cast<std::ptrdiff_t>(around.size() / 2);
        std::nth_element(around.begin(), middle, around.end());
        const auto i = static_cast<std::size_t>(f);
        const float noise = std::max(unseen, k_of_fourth * *middle);
        result.push_back(std::clamp(smooth[i], values[i] - noise, values[i] + noise));
    }
    return result;
}

}  // namespace dendraxis::detail
