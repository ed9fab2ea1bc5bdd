#include "chart_finder.hpp"

#include "completeness.hpp"
#include "facing.hpp"
#include "find_stance.hpp"

#include <dendraxis/chart/floor.hpp>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

namespace dendraxis::detail {
namespace {

constexpr float k_least_body = 4.0f;  // a lower score is no body
constexpr float k_clear_body = 7.0f;  // a lower one may be a hand

void list_helpers(const Body& body, Chart& chart) {
    std::vector<char> charted(body.count(), 0);
    for (const Chain& chain : chart.chains) {
        for (const int bone : chain.bones) charted[static_cast<std::size_t>(bone)] = 1;
    }
    for (int bone = 0; bone < static_cast<int>(body.count()); ++bone) {
        const auto i = static_cast<std::size_t>(bone);
        if (charted[i] || bone == chart.hips || bone == chart.root) continue;
        HelperKind kind = body.kind[i];
        if (kind == HelperKind::unknown && body.names[i].kind == NameKind::twist) kind = HelperKind::twist;
        if (kind == HelperKind::unknown && body.names[i].kind == NameKind::end) kind = HelperKind::end;
        chart.helpers.push_back({bone, kind});
    }
}

Chart blank(const Character& character) {
    Chart chart;
    chart.character = character.name;
    chart.file = character.file;
    chart.skeleton = character.skeleton;
    return chart;
}

void report_bodies(const Skeleton& skeleton, const std::vector<int>& tops, Chart& chart) {
    if (tops.empty()) return;
    std::vector<std::string> others;
    for (std::size_t i = 1; i < tops.size(); ++i) others.push_back("'" + skeleton.bone(tops[i]).label + "'");
    chart.findings.push_back(
        {Severity::warning, "chart.several-bodies", chart.character,
         fmt::format("the file holds {} bodies; this chart is of the one at '{}', without what hangs on {}",
                     tops.size(), skeleton.bone(tops.front()).label, fmt::join(others, ", ")),
         "save each body in a file of its own"});
}

}  // namespace

// Reads the body by its shape first; names count as far as they agree with that.
ChartFinder::ChartFinder(const Character& character, const Weights& weights)
    : ChartFinder(character, study_bones(character), weights) {}

ChartFinder::ChartFinder(const Character& character, Body all, const Weights& weights)
    : character_(character), bodies_(find_bodies(all, weights)), body_(one_body(std::move(all), bodies_)) {
    hang_bones(body_);
    find_branches(body_);
    readings_ = read_body(body_, weights, 0.0f);
    if (readings_.empty()) return;
    trust_ = trust_in_names(body_, readings_.front());
    readings_ = read_body(body_, weights, trust_);
}

bool ChartFinder::is_body() const {
    if (readings_.empty()) return false;
    const Reading& reading = readings_.front();
    return reading.score > k_least_body && (reading.arms != -1 || !reading.legs.empty()) &&
           reading.hind != k_no_bone;
}

bool ChartFinder::is_of_other_body(int bone) const {
    return std::any_of(bodies_.begin(), bodies_.end(), [&](int top) {
        return top != bodies_.front() && (bone == top || character_.skeleton.is_above(top, bone));
    });
}

Chart ChartFinder::best() {
    Chart chart = blank(character_);
    const bool clear = is_body() && readings_.front().score > k_clear_body;
    if (!clear) {
        stand_up(body_, Vec3::UnitY());
        if (chart_lone_hand(body_, chart)) return finished(std::move(chart));
    }
    return is_body() ? of(readings_.front()) : finished(std::move(chart));
}

Chart ChartFinder::of(const Reading& reading) {
    Chart chart = blank(character_);
    stand_up(body_, reading.up);
    find_facing(body_, reading, chart);
    Charter charter{body_, reading, readings_, trust_, chart};
    chart_trunk(charter);
    chart_limbs(charter);
    chart_loose(charter);
    return finished(std::move(chart));
}

Chart ChartFinder::finished(Chart chart) const {
    sort_chains(chart);
    report_bodies(character_.skeleton, bodies_, chart);
    chart.up = body_.up;
    chart.facing = body_.facing;
    find_stance(chart, rest_extents(character_.skeleton, character_.meshes));
    list_helpers(body_, chart);
    chart.shape = body_shape(character_, chart);
    find_floors(chart, character_.clips);
    judge_completeness(chart);
    return chart;
}

}  // namespace dendraxis::detail
