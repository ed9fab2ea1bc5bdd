#include <dendraxis/chart/unit.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_least_usual = 0.2f;  // metres
constexpr float k_most_usual = 4.5f;
constexpr float k_person_height = 1.7f;

struct Unit {
    LengthUnit unit;
    float doubt;  // how much rarer it is than the metre, as a factor of size
};
constexpr std::array<Unit, 6> k_units{{{{"metre", 1.0f}, 1.0f},
                                       {{"decimetre", 0.1f}, 2.0f},
                                       {{"foot", 0.3048f}, 2.0f},
                                       {{"centimetre", 0.01f}, 1.2f},
                                       {{"inch", 0.0254f}, 2.0f},
                                       {{"millimetre", 0.001f}, 1.5f}}};

}  // namespace

bool is_usual_height(float metres) noexcept {
    return metres >= k_least_usual && metres <= k_most_usual;
}

std::vector<LengthUnit> likely_units(float height) {
    std::vector<std::pair<float, LengthUnit>> doubts;
    for (const auto& [unit, doubt] : k_units)
        doubts.emplace_back(std::abs(std::log(height * unit.metres / k_person_height)) + std::log(doubt),
                            unit);
    std::stable_sort(doubts.begin(), doubts.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<LengthUnit> units;
    for (const auto& [doubt, unit] : doubts) units.push_back(unit);
    return units;
}

float metres_in_unit(const Chart& chart) {
    if (!(chart.height > 0.0f)) return 1.0f;
    if (chart.height_metres > 0.0f) return chart.height_metres / chart.height;
    return is_usual_height(chart.height) ? 1.0f : likely_units(chart.height).front().metres;
}

Chart scaled(Chart chart, float by) {
    Transform above = chart.skeleton.above();
    above.translation *= by;
    above.scale *= by;
    const std::span<const Bone> bones = chart.skeleton.bones();
    chart.skeleton = Skeleton({bones.begin(), bones.end()}, above);
    for (float* length : {&chart.height, &chart.floor, &chart.rest_floor}) *length *= by;
    for (auto& [clip, floor] : chart.clip_floors) floor *= by;
    const auto scale_point = [&](SolePoint& point) {
        point.on_foot *= by;
        point.on_toes *= by;
    };
    for (Sole& sole : chart.shape.soles) {
        for (SolePoint& point : sole.parts) scale_point(point);
        for (SolePoint& point : sole.points) scale_point(point);
    }
    for (Solid& solid : chart.shape.solids) {
        Capsule& capsule = solid.capsule;
        for (Vec3* part : {&capsule.center, &capsule.along, &capsule.across}) *part *= by;
        capsule.radius *= by;
    }
    for (BoneMark& mark : chart.shape.marks) mark.position *= by;
    for (ArmShape& arm : chart.shape.arms) {
        for (Probe& probe : arm.probes) {
            probe.offset *= by;
            probe.radius *= by;
        }
    }
    return chart;
}

Findings odd_size(const Chart& chart) {
    if (!(chart.height > 0.0f) || chart.height_metres > 0.0f || is_usual_height(chart.height)) return {};
    const LengthUnit unit = likely_units(chart.height).front();
    return {{Severity::note, "chart.odd-size", chart.character,
             fmt::format("it stands {:.3g} units tall: metres, weights, falls and swings go by {:.3g} m, its "
                         "unit a {}",
                         chart.height, chart.height * unit.metres, unit.name),
             "if that is wrong, tell its height with --height-metres, or in its sheet under "
             "character/height_metres"}};
}

}  // namespace dendraxis
