// Own method. Legs of other proportions ask for other heights all the time: so that the body does not bob as
// they take turns to stand, each counts by how it differs from its own mean.
#include "hips_shift.hpp"

#include "smoothing.hpp"

namespace dendraxis::detail {
namespace {

constexpr float k_known = 0.02f;  // what all legs weigh in a frame that they say something about

struct Usual {
    std::vector<float> of_leg;  // what it asks for, as a mean
    float of_all = 0.0f;        // likewise, but at which every leg usually reaches
};

Usual usual_rise(const std::vector<LegWish>& legs) {
    Usual usual;
    float all_sum = 0.0f;
    float all_weight = 0.0f;
    float highest = 1e30f;
    for (const LegWish& leg : legs) {
        float sum = 0.0f;
        float most = 0.0f;
        float weight = 0.0f;
        for (std::size_t f = 0; f < leg.rise.size(); ++f) {
            sum += leg.counts[f] * leg.rise[f];
            most += leg.counts[f] * leg.most[f];
            weight += leg.counts[f];
        }
        usual.of_leg.push_back(weight > 0.0f ? sum / weight : 0.0f);
        if (weight > 0.0f) highest = std::min(highest, most / weight);
        all_sum += sum;
        all_weight += weight;
    }
    if (all_weight > 0.0f) usual.of_all = std::min(all_sum / all_weight, highest);
    return usual;
}

void lower_for_reach(std::vector<float>& shift, const std::vector<LegWish>& legs, float sigma) {
    std::vector<float> too_high(shift.size(), 0.0f);
    for (const LegWish& leg : legs) {
        for (std::size_t f = 0; f < shift.size(); ++f) {
            if (leg.stands[f]) too_high[f] = std::max(too_high[f], shift[f] - leg.most[f]);
        }
    }
    const std::vector<float> down = rounded_up(too_high, static_cast<int>(std::lround(2.0f * sigma)));
    for (std::size_t f = 0; f < shift.size(); ++f) shift[f] -= down[f];
}

}  // namespace

std::vector<float> hips_shift(const std::vector<LegWish>& legs, float sigma) {
    const std::size_t frames = legs.empty() ? 0 : legs.front().rise.size();
    const Usual usual = usual_rise(legs);
    std::vector<float> shift(frames, 0.0f);
    std::vector<float> known(frames, 0.0f);
    for (std::size_t f = 0; f < frames; ++f) {
        float sum = 0.0f;
        for (std::size_t i = 0; i < legs.size(); ++i) {
            sum += legs[i].counts[f] * (usual.of_all + legs[i].rise[f] - usual.of_leg[i]);
            known[f] += legs[i].counts[f];
        }
        if (known[f] > k_known) shift[f] = sum / known[f];
    }
    // While nothing stands, the shift passes from one landing's to the next.
    fill_gaps(shift, [&](std::size_t f) { return known[f] > k_known; });
    shift = smoothed(shift, sigma);
    lower_for_reach(shift, legs, sigma);
    return shift;
}

}  // namespace dendraxis::detail
