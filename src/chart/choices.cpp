#include <dendraxis/base/error.hpp>
#include <dendraxis/chart/choices.hpp>

#include "completeness.hpp"

#include <algorithm>

namespace dendraxis {
namespace {

bool shares_bone(const std::vector<int>& a, const std::vector<int>& b) {
    return std::any_of(a.begin(), a.end(),
                       [&](int bone) { return std::find(b.begin(), b.end(), bone) != b.end(); });
}

void check(const Chart& chart, const Choices& choices) {
    const auto fail = [&](const std::string& problem, const std::string& chain) {
        throw Error(chart.file.empty() ? chart.character : chart.file, problem, "chain " + chain,
                    "give each bone to one chain, from the root side to the tip");
    };
    std::vector<std::string> owner(chart.skeleton.size());
    for (const auto& [name, bones] : choices.chains) {
        for (std::size_t i = 0; i < bones.size(); ++i) {
            std::string& taken = owner[static_cast<std::size_t>(bones[i])];
            const std::string& label = chart.skeleton.bone(bones[i]).label;
            if (!taken.empty())
                fail("the bone '" + label + "' is in two chains, " + taken + " and this one", name);
            taken = name;
            // Bones of a chain need not be parent and child, but none may stand above the one before it.
            if (i > 0 && chart.skeleton.is_above(bones[i], bones[i - 1])) {
                fail("the chain runs against the hierarchy: '" + label + "' stands above the bone before it",
                     name);
            }
        }
    }
}

void remake_helpers(Chart& chart) {
    std::vector<char> taken(chart.skeleton.size(), 0);
    for (const Chain& chain : chart.chains) {
        for (const int bone : chain.bones) taken[static_cast<std::size_t>(bone)] = 1;
    }
    std::vector<Helper> helpers;
    for (int bone = 0; bone < static_cast<int>(chart.skeleton.size()); ++bone) {
        if (taken[static_cast<std::size_t>(bone)] || bone == chart.hips || bone == chart.root) continue;
        const auto known = std::find_if(chart.helpers.begin(), chart.helpers.end(),
                                        [bone](const Helper& h) { return h.bone == bone; });
        helpers.push_back(known == chart.helpers.end() ? Helper{bone, HelperKind::unknown} : *known);
    }
    chart.helpers = std::move(helpers);
}

}  // namespace

void apply_choices(Chart& chart, const Choices& choices) {
    check(chart, choices);
    if (choices.hips) chart.hips = *choices.hips;
    if (choices.root) chart.root = *choices.root;
    for (const auto& chosen : choices.chains) {
        const std::string& name = chosen.first;
        const std::vector<int>& bones = chosen.second;
        std::erase_if(chart.chains, [&](const Chain& chain) {
            if (chain.name == name) return true;
            if (!shares_bone(chain.bones, bones) || choices.chains.contains(chain.name)) return false;
            chart.findings.push_back(
                {Severity::warning, "chart.gave-way", chain.name,
                 "this found chain shares a bone with " + name + ", which was set, and was left out",
                 "set it in the sheet too"});
            return true;
        });
    }
    for (const auto& [name, bones] : choices.chains) {
        if (bones.empty()) continue;
        chart.chains.push_back({name, bones, 1.0f, {"set in the sheet"}});
        chart.chains.back().lower = even_cut(chart.skeleton, bones);
    }
    for (const auto& [name, bone] : choices.lower) {
        for (Chain& chain : chart.chains) {
            const auto found = std::find(chain.bones.begin(), chain.bones.end(), bone);
            if (chain.name == name && found != chain.bones.end())
                chain.lower = static_cast<std::size_t>(found - chain.bones.begin());
        }
    }
    // A bone that was found as hips or root and is now in a chain is no longer either.
    for (const Chain& chain : chart.chains) {
        for (int* single : {&chart.hips, &chart.root}) {
            if (std::find(chain.bones.begin(), chain.bones.end(), *single) != chain.bones.end())
                *single = k_no_bone;
        }
    }
    sort_chains(chart);
    remake_helpers(chart);
    detail::judge_completeness(chart);
}

Choices differing(const Choices& choices, const Chart& found) {
    Choices result;
    if (choices.hips && *choices.hips != found.hips) result.hips = choices.hips;
    if (choices.root && *choices.root != found.root) result.root = choices.root;
    for (const auto& [name, bones] : choices.chains) {
        const Chain* chain = found.find(name);
        if (chain == nullptr ? !bones.empty() : chain->bones != bones) result.chains[name] = bones;
    }
    for (const auto& [name, bone] : choices.lower) {
        const Chain* chain = found.find(name);
        const bool same =
            chain != nullptr && chain->lower < chain->bones.size() && chain->bones[chain->lower] == bone;
        if (!same) result.lower[name] = bone;
    }
    return result;
}

}  // namespace dendraxis
