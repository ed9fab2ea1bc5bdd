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

std::vector<float> closed(const std::vector<float>& values, float most, int reach) {
    const int count = static_cast<int>(values.size());
    if (count < 3 || reach < 1) return values;
    std::vector<float> wide;  // beyond its ends the series goes on as it came
    for (int f = -reach; f < count + reach; ++f) {
        const int clamped = std::clamp(f, 0, count - 1);
        const int inside = std::clamp(2 * clamped - f, 0, count - 1);
        wide.push_back(2.0f * values[static_cast<std::size_t>(clamped)] -
                       values[static_cast<std::size_t>(inside)]);
    }
    // Of each parabola that opens upward from a frame, how high its foot must be to lie over all values; then
    // the lowest of all.
    const auto envelope = [&](const std::vector<float>& from, float sign) {
        const int length = static_cast<int>(from.size());
        std::vector<float> result(from.size());
        for (int f = 0; f < length; ++f) {
            float best = -1e30f;
            for (int k = std::max(0, f - reach); k <= std::min(length - 1, f + reach); ++k) {
                const auto away = static_cast<float>(k - f);
                best = std::max(best, sign * from[static_cast<std::size_t>(k)] - 0.5f * most * away * away);
            }
            result[static_cast<std::size_t>(f)] = sign * best;
        }
        return result;
    };
    wide = envelope(envelope(wide, 1.0f), -1.0f);
    return {wide.begin() + reach, wide.begin() + reach + count};
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
