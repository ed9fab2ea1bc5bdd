#include <dendraxis/io/sheet/sway_sheet.hpp>

#include "../json/json_text.hpp"
#include "sheet_parts.hpp"

#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/base/rotation.hpp>

#include <fmt/format.h>

#include <set>

namespace dendraxis::io {
namespace {

std::vector<int> bones_of_sway(const JsonDocument& document, const Json& entry, const std::string& pointer,
                               const Chart& chart) {
    std::vector<int> bones;
    if (entry.contains("bones")) {
        const Json& list = entry["bones"];
        for (std::size_t i = 0; i < list.size(); ++i)
            bones.push_back(
                bone_named(document, chart.skeleton, list[i], fmt::format("{}/bones/{}", pointer, i)));
        return bones;
    }
    const std::string name = entry["name"].get<std::string>();
    if (const Chain* chain = chart.find(name)) return chain->bones;
    std::vector<std::string> names;
    for (const Chain& chain : chart.chains) names.push_back(chain.name);
    document.fail("the chart has no chain '" + name + "'", pointer + "/name",
                  did_you_mean(name, names, "name its bones in `bones`"), ErrorCode::unknown_name);
}

// Figures that are left out are as they are found.
SwayChain chain_of(const Json& entry, const Chart& chart, const std::vector<int>& bones) {
    SwayChain chain = sway_chain(chart, entry["name"].get<std::string>(), bones);
    chain.frequency = entry.value("frequency", chain.frequency);
    chain.damping = entry.value("damping", chain.damping);
    chain.drag = entry.value("drag", chain.drag);
    chain.gravity = entry.value("gravity", chain.gravity);
    chain.radius = entry.value("radius", chain.radius);
    if (entry.contains("most_turn")) chain.most_turn = entry["most_turn"].get<float>() / k_degrees;
    return chain;
}

}  // namespace

Json sway_part(const SwayPlan& plan, const Skeleton& skeleton) {
    Json list = Json::array();
    for (const SwayChain& chain : plan.chains) {
        Json bones = Json::array();
        for (const int bone : chain.bones) bones.push_back(bone_json(skeleton, bone));
        list.push_back({{"name", chain.name},
                        {"bones", std::move(bones)},
                        {"frequency", rounded(chain.frequency)},
                        {"damping", rounded(chain.damping)},
                        {"drag", rounded(chain.drag)},
                        {"gravity", rounded(chain.gravity)},
                        {"radius", rounded(chain.radius)},
                        {"most_turn", rounded(chain.most_turn * k_degrees)}});
    }
    return list;
}

std::optional<SwayPlan> read_sway(const Rig& rig) {
    if (!holds(rig.sheet, "sway")) return std::nullopt;
    const JsonDocument& document = *rig.sheet.document;
    SwayPlan plan;
    std::set<std::string> names;
    std::set<int> taken;
    const Json& list = document.json["sway"];
    for (std::size_t i = 0; i < list.size(); ++i) {
        const Json& entry = list[i];
        const std::string pointer = fmt::format("/sway/{}", i);
        const std::string name = entry["name"].get<std::string>();
        if (!names.insert(name).second)
            document.fail("two swaying chains have the name '" + name + "'", pointer + "/name", "rename one");
        const std::vector<int> bones = bones_of_sway(document, entry, pointer, rig.chart);
        for (const int bone : bones) {
            if (!taken.insert(bone).second)
                document.fail("the bone '" + rig.chart.skeleton.bone(bone).label +
                                  "' stands twice, here or in another swaying chain",
                              pointer + "/bones", "leave it out of one of them");
        }
        if (!descends(rig.chart.skeleton, bones) || rig.chart.skeleton.parent(bones.front()) == k_no_bone)
            document.fail("the bones do not hang from each other", pointer + "/bones",
                          "name them from the root of the chain on; the first needs a parent");
        plan.chains.push_back(chain_of(entry, rig.chart, bones));
    }
    return plan;
}

SwayPlan sway_of(const Rig& rig) {
    if (auto plan = read_sway(rig)) return *std::move(plan);
    return plan_sway(rig.character, rig.chart);
}

void set_sway(RigSheet& sheet, const SwayPlan& plan, const Skeleton& skeleton) {
    put(sheet, "sway", sway_part(plan, skeleton));
}

}  // namespace dendraxis::io
