#include <dendraxis/io/sheet.hpp>

#include "json_document.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/chart/choices.hpp>
#include <dendraxis/io/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/format.h>
#include <algorithm>
#include <cmath>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;
// ------------------------------------------------------------------ writing

// Six digits are more than a file's floats hold at a character's size, and they read well.
double rounded(float value) {
    return std::round(static_cast<double>(value) * 1e6) / 1e6;
}

Json json_of(const Vec3& vector) {
    return {rounded(vector.x()), rounded(vector.y()), rounded(vector.z())};
}

Json bone_json(const Skeleton& skeleton, int bone) {
    return bone == k_no_bone ? Json(nullptr) : Json(skeleton.bone(bone).label);
}

Json json_of(const Findings& findings) {
    Json list = Json::array();
    for (const Finding& finding : findings) {
        list.push_back({{"severity", to_string(finding.severity)},
                        {"code", finding.code},
                        {"where", finding.where},
                        {"message", finding.message},
                        {"advice", finding.advice}});
    }
    return list;
}

Json json_of(const Chart& chart, const std::string& file) {
    Json chains = Json::array();
    for (const Chain& chain : chart.chains) {
        Json bones = Json::array();
        for (const int bone : chain.bones) bones.push_back(bone_json(chart.skeleton, bone));
        chains.push_back({{"name", chain.name},
                          {"bones", bones},
                          {"confidence", rounded(chain.confidence)},
                          {"evidence", chain.evidence}});
    }
    for (const std::string& name : chart.set) {
        if (name != "hub" && name != "ground" && chart.find(name) == nullptr)
            chains.push_back({{"name", name}, {"bones", Json::array()}});
    }
    Json helpers = Json::array();
    for (const Helper& helper : chart.helpers) {
        helpers.push_back(
            {{"bone", bone_json(chart.skeleton, helper.bone)}, {"kind", to_string(helper.kind)}});
    }
    return {{"format", "dendraxis-rig"},
            {"version", 1},
            {"character",
             {{"file", file},
              {"up", json_of(chart.up)},
              {"facing", json_of(chart.facing)},
              {"height", rounded(chart.height)},
              {"stance", to_string(chart.stance)}}},
            {"set", chart.set},
            {"hub", bone_json(chart.skeleton, chart.hub)},
            {"ground", bone_json(chart.skeleton, chart.ground)},
            {"chains", chains},
            {"helpers", helpers},
            {"findings", json_of(chart.findings)}};
}

Json chain_pairs(const Pairing& pairing) {
    Json chains = Json::array();
    for (const ChainPair& entry : pairing.chains)
        chains.push_back({{"source", entry.source}, {"target", entry.target}});
    return chains;
}

// Indented by two. What holds only plain values stands on one line (objects where they are short and in a
// list), so that a chain's bones and a pair of chains are a line each to read, edit and compare.
std::string laid_out(const Json& value, const std::string& indent, bool in_list = false) {
    if (!value.is_structured() || value.empty()) return value.dump();
    const bool list = value.is_array();
    const bool plain =
        std::none_of(value.begin(), value.end(), [](const Json& item) { return item.is_structured(); });
    const bool one_line = plain && (list || (in_list && value.dump().size() < 90));
    const std::string inner = indent + "  ";
    std::string text;
    for (const auto& [key, item] : value.items()) {
        if (!text.empty()) text += one_line ? ", " : ",\n" + inner;
        text += (list ? "" : Json(key).dump() + ": ") + laid_out(item, inner, list);
    }
    if (!one_line) text = "\n" + inner + text + "\n" + indent;
    return (list ? "[" : "{") + text + (list ? "]" : "}");
}

std::string text_of(const Json& document) {
    return laid_out(document, "") + "\n";
}

// ------------------------------------------------------------------ reading

int bone_named(const JsonDocument& document, const Skeleton& skeleton, const Json& value,
               const std::string& pointer) {
    const std::string name = value.get<std::string>();
    const int bone = skeleton.find(name);
    if (bone != k_no_bone) return bone;
    std::vector<std::string> labels;
    for (const Bone& candidate : skeleton.bones()) labels.push_back(candidate.label);
    const std::string nearest = nearest_name(name, labels);
    document.fail("there is no bone '" + name + "'", pointer,
                  nearest.empty() ? "see `dendraxis survey`" : "did you mean '" + nearest + "'?");
}

// A sheet half of whose bones do not exist is most likely of another character.
void check_character(const JsonDocument& document, const Skeleton& skeleton) {
    std::size_t all = 0;
    std::size_t missing = 0;
    for (const Json& chain : document.json.value("chains", Json::array())) {
        for (const Json& bone : chain["bones"]) {
            ++all;
            missing += skeleton.find(bone.get<std::string>()) == k_no_bone ? 1 : 0;
        }
    }
    if (all >= 4 && 2 * missing > all) {
        document.fail(fmt::format("this sheet is of another character: {} of its {} bones do not exist in it",
                                  missing, all),
                      "/chains", "name the right character at /character/file, or chart this one anew");
    }
}

Choices read_choices(const JsonDocument& document, const Skeleton& skeleton) {
    check_character(document, skeleton);
    const Json& json = document.json;
    Choices choices;
    const auto single = [&](const char* key) {
        return json[key].is_null() ? k_no_bone
                                   : bone_named(document, skeleton, json[key], std::string("/") + key);
    };
    if (json.contains("hub")) choices.hub = single("hub");
    if (json.contains("ground")) choices.ground = single("ground");
    const Json list = json.value("chains", Json::array());
    std::vector<char> taken(skeleton.size(), 0);
    for (std::size_t i = 0; i < list.size(); ++i) {
        const std::string pointer = fmt::format("/chains/{}", i);
        const std::string name = list[i]["name"].get<std::string>();
        if (choices.chains.contains(name))
            document.fail("the chain '" + name + "' stands twice", pointer + "/name");
        std::vector<int>& bones = choices.chains[name];
        for (std::size_t k = 0; k < list[i]["bones"].size(); ++k) {
            const std::string place = fmt::format("{}/bones/{}", pointer, k);
            const int bone = bone_named(document, skeleton, list[i]["bones"][k], place);
            const std::string& label = skeleton.bone(bone).label;
            if (taken[static_cast<std::size_t>(bone)])
                document.fail("the bone '" + label + "' is in two chains", place, "leave it in one of them");
            if (choices.hub == bone)
                document.fail("the bone '" + label + "' is the hub and in a chain", place,
                              "leave it out of the chain, or name another hub");
            taken[static_cast<std::size_t>(bone)] = 1;
            if (!bones.empty() && !skeleton.is_above(bones.back(), bone)) {
                document.fail(
                    "the chain runs against the hierarchy: '" + label + "' is not below the bone before it",
                    place, "list bones from the root side to the tip");
            }
            bones.push_back(bone);
        }
    }
    return choices;
}

// What the sheet's `set` names, and what else in it is not as charted now: all that a person has decided.
Choices decided(const JsonDocument& document, const Choices& all, const Chart& found) {
    Choices result = differing(all, found);
    const Json list = document.json.value("set", Json::array());
    for (std::size_t i = 0; i < list.size(); ++i) {
        const std::string name = list[i].get<std::string>();
        if (name == "hub" && all.hub)
            result.hub = all.hub;
        else if (name == "ground" && all.ground)
            result.ground = all.ground;
        else if (all.chains.contains(name))
            result.chains[name] = all.chains.at(name);
        else
            document.fail("'set' names '" + name + "', which the sheet does not hold",
                          fmt::format("/set/{}", i), "name hub, ground or a chain of this sheet");
    }
    return result;
}

void add_sheet_findings(const JsonDocument& document, const Choices& decisions, Chart& chart) {
    for (const std::string& key : unknown_keys(document, Schema::rig)) {
        chart.findings.push_back({Severity::warning, "sheet.unknown-key", key,
                                  "the sheet holds a key that this program does not know; it is kept",
                                  "check its spelling"});
    }
    if (decisions.hub) chart.set.emplace_back("hub");
    if (decisions.ground) chart.set.emplace_back("ground");
    for (const auto& [name, bones] : decisions.chains) chart.set.push_back(name);
}

void check_chain(const JsonDocument& document, const Chart& chart, const std::string& name,
                 const std::string& pointer) {
    if (chart.find(name) != nullptr) return;
    std::vector<std::string> names;
    for (const Chain& chain : chart.chains) names.push_back(chain.name);
    const std::string nearest = nearest_name(name, names);
    document.fail(chart.character + " has no chain '" + name + "'", pointer,
                  nearest.empty() ? "see `dendraxis chart`" : "did you mean '" + nearest + "'?");
}

}  // namespace

Rig load_rig(const fs::path& file, float fps) {
    if (file.extension() != ".json") {
        Rig rig{load_character(file, {fps}), {}, {}};
        rig.chart = chart(rig.character);
        return rig;
    }
    const JsonDocument document = open_document(file, Schema::rig);
    const fs::path named = document.json["character"]["file"].get<std::string>();
    Rig rig{load_character(file.parent_path() / named, {fps}), {}, document.text};
    rig.chart = chart(rig.character);
    const Choices all = read_choices(document, rig.character.skeleton);
    const Choices decisions = decided(document, all, rig.chart);
    // As the sheet stands: what it does not hold is not there.
    std::erase_if(rig.chart.chains, [&](const Chain& chain) {
        return document.json.contains("chains") && !all.chains.contains(chain.name);
    });
    apply_choices(rig.chart, decisions);
    rig.chart.shape = body_shape(rig.character, rig.chart);
    add_sheet_findings(document, decisions, rig.chart);
    return rig;
}

Rig rechart(const fs::path& sheet, const fs::path& character) {
    const JsonDocument document = open_document(sheet, Schema::rig);
    const fs::path named = sheet.parent_path() / document.json["character"]["file"].get<std::string>();
    Rig rig{load_character(character.empty() ? named : character), {}, document.text};
    rig.chart = chart(rig.character);
    const Choices decisions = decided(document, read_choices(document, rig.character.skeleton), rig.chart);
    apply_choices(rig.chart, decisions);
    rig.chart.shape = body_shape(rig.character, rig.chart);
    add_sheet_findings(document, decisions, rig.chart);
    return rig;
}

Pairing read_pairing(const fs::path& file, Chart source, Chart target) {
    const JsonDocument document = open_document(file, Schema::pairing);
    Pairing pairing;
    pairing.source = std::move(source);
    pairing.target = std::move(target);
    const Json& list = document.json["chains"];
    for (std::size_t i = 0; i < list.size(); ++i) {
        const std::string pointer = fmt::format("/chains/{}", i);
        ChainPair entry{list[i]["source"].get<std::string>(), list[i]["target"].get<std::string>(), 1.0f,
                        0.0f};
        check_chain(document, pairing.source, entry.source, pointer + "/source");
        check_chain(document, pairing.target, entry.target, pointer + "/target");
        const bool twice = std::any_of(pairing.chains.begin(), pairing.chains.end(),
                                       [&](const ChainPair& other) { return other.target == entry.target; });
        if (twice)
            document.fail("the target chain '" + entry.target + "' is paired twice", pointer + "/target");
        pairing.chains.push_back(std::move(entry));
    }
    review_leftovers(pairing);
    return pairing;
}

std::string sheet_json(const Chart& chart, const fs::path& folder, const std::string& before) {
    std::string file = chart.file;
    if (!folder.empty() && !file.empty())
        file = fs::proximate(fs::absolute(file), fs::absolute(folder)).generic_string();
    Json sheet = json_of(chart, file);
    if (before.empty()) return text_of(sheet);
    // Over a sheet that was there: its order and what this program does not know stay.
    Json kept = Json::parse(before);
    for (const auto& [key, value] : sheet.items()) kept[key] = value;
    return text_of(kept);
}

std::string pairing_json(const Pairing& pairing) {
    return text_of({{"format", "dendraxis-pairing"},
                    {"version", 1},
                    {"source", pairing.source.character},
                    {"target", pairing.target.character},
                    {"chains", chain_pairs(pairing)}});
}

std::string survey_json(const Survey& survey) {
    const Chart& chart = survey.chart;
    Json clips = Json::array();
    for (const ClipSummary& clip : survey.clips) {
        clips.push_back({{"name", clip.name},
                         {"fps", rounded(clip.fps)},
                         {"frames", clip.frames},
                         {"seconds", rounded(clip.seconds)},
                         {"travel", rounded(clip.travel)},
                         {"moving_bones", clip.moving}});
    }
    Json bones = Json::array();
    for (const Bone& bone : chart.skeleton.bones()) {
        bones.push_back({{"bone", bone.label}, {"parent", bone_json(chart.skeleton, bone.parent)}});
    }
    return text_of({{"character",
                     {{"file", chart.file},
                      {"up", json_of(chart.up)},
                      {"facing", json_of(chart.facing)},
                      {"height", rounded(chart.height)},
                      {"floor", rounded(chart.floor)},
                      {"stance", to_string(chart.stance)},
                      {"unit", survey.unit}}},
                    {"hub", bone_json(chart.skeleton, chart.hub)},
                    {"ground", bone_json(chart.skeleton, chart.ground)},
                    {"bones", bones},
                    {"meshes", survey.meshes},
                    {"vertices", survey.vertices},
                    {"triangles", survey.triangles},
                    {"clips", clips},
                    {"findings", json_of(survey.findings)}});
}

std::string comparison_json(const Comparison& comparison) {
    Json differences = Json::array();
    for (const BoneDifference& d : comparison.differences) {
        differences.push_back({{"bone", d.bone},
                               {"what", d.what},
                               {"other", d.other},
                               {"metres", rounded(d.metres)},
                               {"degrees", rounded(d.degrees)}});
    }
    return text_of({{"likeness", to_string(comparison.likeness)},
                    {"differences", differences},
                    {"advice", comparison.advice}});
}

std::string findings_json(const Findings& findings) {
    return text_of({{"findings", json_of(findings)}});
}

std::string picture_json(const std::string& file, int width, int height, std::size_t panels) {
    return text_of({{"file", file}, {"width", width}, {"height", height}, {"panels", panels}});
}

std::string report_json(const RetargetReport& report) {
    Json clips = Json::array();
    for (const RetargetReport::Line& line : report.clips) {
        clips.push_back(
            {{"clip", line.clip}, {"file", line.file}, {"frames", line.frames}, {"fps", rounded(line.fps)}});
    }
    return text_of({{"clips", clips},
                    {"leg_ratio", rounded(report.leg_ratio)},
                    {"hub_ratio", rounded(report.hub_ratio)},
                    {"findings", json_of(report.findings)}});
}

std::string report_json(const Pairing& pairing) {
    Json leftovers = Json::array();
    for (const Leftover& leftover : pairing.leftovers) {
        leftovers.push_back({{"chain", leftover.chain},
                             {"of", leftover.of_source ? "source" : "target"},
                             {"reason", leftover.reason}});
    }
    return text_of({{"format", "dendraxis-pairing"},
                    {"version", 1},
                    {"source", pairing.source.character},
                    {"target", pairing.target.character},
                    {"chains", chain_pairs(pairing)},
                    {"leftovers", leftovers},
                    {"findings", json_of(pairing.findings)}});
}

}  // namespace dendraxis::io
