// What a person has decided about a chart: it stays, and only the rest is found.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace dendraxis {

/// Decisions about one character. A bone may be `k_no_bone`: there is none. A chain without bones: there is
/// none.
struct Choices {
    std::optional<int> hips;
    std::optional<int> root;
    std::map<std::string, std::vector<int>> chains;
    std::map<std::string, int> lower;  ///< of arms and legs: the bone at which the forearm or shin begins
};

/// Puts `choices` in place of what was found. A found chain that would share a bone with a chosen one gives
/// way, with a finding. Findings that the choices have mended go away. Throws `Error` where choices
/// contradict each other (a bone in two chains, a chain that runs from the tip to the root).
void apply_choices(Chart& chart, const Choices& choices);

/// Those of `choices` that say something else than `found` does.
Choices differing(const Choices& choices, const Chart& found);

}  // namespace dendraxis
