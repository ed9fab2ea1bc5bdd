// Own method: the height of the lowest sole is taken in every frame; where feet rest, many frames agree on
// it.
#include <dendraxis/chart/floor.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

// All of the leg's length.
constexpr float k_band = 0.04f;    // heights within it agree
constexpr float k_lifted = 0.04f;  // a foot so far over the floor is off it
constexpr float k_apart = 0.10f;   // a floor less far from the one at rest is that one
constexpr float k_share = 0.35f;   // of the frames have to agree
constexpr std::size_t k_most_frames = 400;

struct Level {
    float height = 0.0f;
    bool agreed = false;   // enough frames
    bool stepped = false;  // a foot rests on it in some frames and is off it in others
};

struct Heights {
    std::vector<float> lowest;                // a frame
    std::vector<std::vector<float>> of_sole;  // a sole, a frame
};

Heights heights_in(const Chart& chart, const Clip& clip) {
    Heights heights;
    heights.of_sole.resize(chart.shape.soles.size());
    std::vector<Transform> model(chart.skeleton.size());
    const std::size_t step = std::max<std::size_t>(1, clip.frame_count() / k_most_frames);
    for (std::size_t f = 0; f < clip.frame_count(); f += step) {
        to_model_space(chart.skeleton, clip.frame(f), model);
        float low = 1e30f;
        for (std::size_t s = 0; s < heights.of_sole.size(); ++s) {
            heights.of_sole[s].push_back(lowest_of(chart.shape.soles[s], model, chart.up));
            low = std::min(low, heights.of_sole[s].back());
        }
        heights.lowest.push_back(low);
    }
    return heights;
}

Level level_in(const Chart& chart, const Clip& clip) {
    Level level;
    const float leg = leg_length(chart);
    if (chart.shape.soles.empty() || clip.bone_count != chart.skeleton.size() || leg <= 0.0f) return level;
    const Heights heights = heights_in(chart, clip);
    std::vector<float> sorted = heights.lowest;
    std::sort(sorted.begin(), sorted.end());
    // The band that holds the most frames; of equal ones the lowest.
    std::size_t most = 0;
    for (std::size_t first = 0, last = 0; first < sorted.size(); ++first) {
        while (last < sorted.size() && sorted[last] - sorted[first] <= k_band * leg) ++last;
        if (last - first <= most) continue;
        most = last - first;
        level.height = sorted[first + most / 2];
    }
    level.agreed = static_cast<float>(most) >= k_share * static_cast<float>(sorted.size()) && most > 0;
    for (const std::vector<float>& sole : heights.of_sole) {
        const auto off = std::count_if(sole.begin(), sole.end(),
                                       [&](float h) { return h > level.height + k_lifted * leg; });
        const auto on = std::count_if(sole.begin(), sole.end(),
                                      [&](float h) { return std::abs(h - level.height) < k_band * leg; });
        level.stepped = level.stepped || (off * 20 > static_cast<long>(sole.size()) &&
                                          on * 10 > static_cast<long>(sole.size()));
    }
    return level;
}

}  // namespace

std::optional<float> resting_floor(const Chart& chart, const Clip& clip) {
    const Level level = level_in(chart, clip);
    return level.agreed && level.stepped ? std::optional(level.height) : std::nullopt;
}

Clip on_floor(const Chart& chart, Clip clip) {
    if (is_on_floor(chart, clip)) return clip;
    const float down = floor_of(chart, clip.name) - chart.floor;
    const Transform& above = chart.skeleton.above();
    Transform by;
    by.translation = -down * chart.up;
    const Transform moved = inverse(above) * by * above;
    for (std::size_t i = 0; i < clip.transforms.size(); ++i) {
        if (chart.skeleton.bones()[i % clip.bone_count].parent == k_no_bone)
            clip.transforms[i] = moved * clip.transforms[i];
    }
    return clip;
}

bool is_on_floor(const Chart& chart, const Clip& clip) {
    return floor_of(chart, clip.name) == chart.floor || clip.bone_count != chart.skeleton.size();
}

void find_floors(Chart& chart, std::span<const Clip> clips) {
    const float apart = k_apart * leg_length(chart);
    std::vector<float> stepped;
    std::vector<float> agreed;
    std::vector<std::pair<std::string, float>> told;
    for (const Clip& clip : clips) {
        const Level level = level_in(chart, clip);
        if (!level.agreed) continue;
        agreed.push_back(level.height);
        if (!level.stepped) continue;
        stepped.push_back(level.height);
        told.emplace_back(clip.name, level.height);
    }
    // Steps tell best; without any, what all clips agree on.
    std::vector<float>& heights = stepped.empty() ? agreed : stepped;
    if (heights.empty() || apart <= 0.0f) return;
    std::sort(heights.begin(), heights.end());
    const bool one = heights.back() - heights.front() < apart;
    if (stepped.empty() && !one) return;
    const float shared = heights[heights.size() / 2];
    if (std::abs(shared - chart.rest_floor) > apart) {
        chart.floor = shared;
        chart.findings.push_back(
            {Severity::note, "chart.floor-moves", chart.character,
             fmt::format("it rests {:.2f} m {} where it stands in its clips; the clips' floor is taken",
                         std::abs(shared - chart.rest_floor), shared > chart.rest_floor ? "below" : "above"),
             ""});
    }
    for (const auto& [name, height] : told) {
        if (std::abs(height - chart.floor) > apart) chart.clip_floors[name] = height;
    }
}

}  // namespace dendraxis
