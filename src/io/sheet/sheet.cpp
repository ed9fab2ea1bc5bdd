#include <dendraxis/io/sheet/sheet.hpp>

#include "../json/json_text.hpp"
#include "sheet_parts.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/choices.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/puppet/puppet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/format.h>
#include <algorithm>
#include <cmath>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;
// ------------------------------------------------------------------ writing

Json chart_json(const Chart& chart, const std::string& file) {
    Json chains = Json::array();
    for (const Chain& chain : chart.chains) {
        Json bones = Json::array();
        for (const int bone : chain.bones) bones.push_back(bone_json(chart.skeleton, bone));
        chains.push_back({{"name", chain.name},
                          {"bones", bones},
                          {"confidence", rounded(chain.confidence)},
                          {"evidence", chain.evidence}});
        // Told where the elbow or knee is not at the second of three bones.
        if (is_limb(chain.role()) && chain.bones.size() > 3 && chain.lower < chain.bones.size())
            chains.back()["lower"] = bone_json(chart.skeleton, chain.bones[chain.lower]);
    }
    for (const std::string& name : chart.set) {
        if (name != "hips" && name != "root" && chart.find(name) == nullptr)
            chains.push_back({{"name", name}, {"bones", Json::array()}});
    }
    Json helpers = Json::array();
    for (const Helper& helper : chart.helpers) {
        helpers.push_back(
            {{"bone", bone_json(chart.skeleton, helper.bone)}, {"kind", to_string(helper.kind)}});
    }
    Json stances = Json::object();
    for (const auto& [name, turns] : chart.stances) {
        stances[name] = Json::array();
        for (const BoneTurn& turn : turns)
            stances[name].push_back({{"bone", turn.bone}, {"degrees", json_of(turn.degrees)}});
    }
    Json ranges = Json::array();
    for (const JointRange& joint : chart.ranges) {
        const auto span = [](const AngleSpan& angles) {
            return Json{rounded(angles.from * k_degrees), rounded(angles.to * k_degrees)};
        };
        ranges.push_back({{"bone", bone_json(chart.skeleton, joint.bone)},
                          {"twist", span(joint.range.twist)},
                          {"bend", span(joint.range.bend)},
                          {"side", span(joint.range.side)},
                          {"about", json_of(joint.range.about)}});
    }
    Json character{{"file", file},
                   {"up", json_of(chart.up)},
                   {"facing", json_of(chart.facing)},
                   {"height", rounded(chart.height)},
                   {"stance", to_string(chart.stance)}};
    if (chart.height_metres > 0.0f) character["height_metres"] = rounded(chart.height_metres);
    return {{"format", "dendraxis-rig"},
            {"version", 1},
            {"character", character},
            {"set", chart.set},
            {"hips", bone_json(chart.skeleton, chart.hips)},
            {"root", bone_json(chart.skeleton, chart.root)},
            {"chains", chains},
            {"helpers", helpers},
            {"stances", stances},
            {"ranges", ranges},
            {"confidence", rounded(chart.confidence)},
            {"findings", json_of(chart.findings)}};
}

// ------------------------------------------------------------------ reading

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
                      "/chains", "name the right character at /character/file, or chart this one again");
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
    if (json.contains("hips")) choices.hips = single("hips");
    if (json.contains("root")) choices.root = single("root");
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
            if (choices.hips == bone)
                document.fail("the bone '" + label + "' is the hips and in a chain", place,
                              "leave it out of the chain, or name another bone as hips");
            taken[static_cast<std::size_t>(bone)] = 1;
            if (!bones.empty() && skeleton.is_above(bone, bones.back())) {
                document.fail(
                    "the chain runs against the hierarchy: '" + label + "' stands above the bone before it",
                    place, "list bones from the root side to the tip");
            }
            bones.push_back(bone);
        }
        if (!list[i].contains("lower")) continue;
        const std::string place = pointer + "/lower";
        const int lower = bone_named(document, skeleton, list[i]["lower"], place);
        if (!is_limb(role_of(name)) || std::find(bones.begin(), bones.end(), lower) == bones.end())
            document.fail("'" + skeleton.bone(lower).label + "' is no bone of " + name, place,
                          "name the bone of this arm or leg at which the forearm or shin begins");
        choices.lower[name] = lower;
    }
    return choices;
}

// What the sheet's `set` names, and what else in it is not as charted now: all that a person has decided.
Choices decided(const JsonDocument& document, const Choices& all, const Chart& found) {
    Choices result = differing(all, found);
    const Json list = document.json.value("set", Json::array());
    for (std::size_t i = 0; i < list.size(); ++i) {
        const std::string name = list[i].get<std::string>();
        if (name == "hips" && all.hips)
            result.hips = all.hips;
        else if (name == "root" && all.root)
            result.root = all.root;
        else if (all.chains.contains(name)) {
            result.chains[name] = all.chains.at(name);
            if (all.lower.contains(name)) result.lower[name] = all.lower.at(name);
        } else
            document.fail("'set' names '" + name + "', which the sheet does not hold",
                          fmt::format("/set/{}", i), "name hips, root or a chain of this sheet");
    }
    return result;
}

void add_sheet_findings(const JsonDocument& document, const Choices& decisions, Chart& chart) {
    for (const std::string& key : unknown_keys(document, Schema::rig)) {
        chart.findings.push_back({Severity::warning, "sheet.unknown-key", key,
                                  "the sheet holds a key that this program does not know; it is kept",
                                  "check its spelling"});
    }
    if (decisions.hips) chart.set.emplace_back("hips");
    if (decisions.root) chart.set.emplace_back("root");
    for (const auto& [name, bones] : decisions.chains) chart.set.push_back(name);
}

void read_postures(const JsonDocument& document, Chart& chart) {
    chart.height_metres = document.json["character"].value("height_metres", 0.0f);
    const Json stances = document.json.value("stances", Json::object());
    for (const auto& [name, turns] : stances.items()) {
        std::vector<BoneTurn>& own = chart.stances[name];
        for (std::size_t i = 0; i < turns.size(); ++i) {
            bone_named(document, chart.skeleton, turns[i]["bone"],
                       fmt::format("/stances/{}/{}/bone", name, i));
            own.push_back({turns[i]["bone"].get<std::string>(), vector_of(turns[i]["degrees"])});
        }
    }
    const Json ranges = document.json.value("ranges", Json::array());
    for (std::size_t i = 0; i < ranges.size(); ++i) {
        const std::string pointer = fmt::format("/ranges/{}", i);
        const int bone = bone_named(document, chart.skeleton, ranges[i]["bone"], pointer + "/bone");
        const auto span = [&](const char* key) {
            AngleSpan angles;
            if (!ranges[i].contains(key)) return angles;
            angles = {ranges[i][key][0].get<float>() / k_degrees, ranges[i][key][1].get<float>() / k_degrees};
            if (angles.from > angles.to)
                document.fail("the range goes from more to less", pointer + "/" + key,
                              "write the smaller angle first");
            return angles;
        };
        const Vec3 about = ranges[i].contains("about") ? vector_of(ranges[i]["about"]) : Vec3(Vec3::Zero());
        chart.ranges.push_back(
            {bone, range_of(chart, bone, span("twist"), span("bend"), span("side"), about)});
    }
}

// As found; of a puppet with what its file says.
Chart charted(const Character& character, bool with_limits) {
    Chart found = chart(character);
    if (is_puppet(character.file)) apply_puppet(character.file, character, with_limits, found);
    return found;
}

Rig open_sheet(const fs::path& sheet, float fps, const fs::path& character, bool anew) {
    const auto opened = std::make_shared<const JsonDocument>(open_document(sheet, Schema::rig));
    const JsonDocument& document = *opened;
    const fs::path named = sheet.parent_path() / document.json["character"]["file"].get<std::string>();
    Rig rig{load_character(character.empty() ? named : character, {fps}), {}, {opened}};
    rig.chart = charted(rig.character, !document.json.contains("ranges"));
    const Choices all = read_choices(document, rig.character.skeleton);
    const Choices decisions = decided(document, all, rig.chart);
    // As the sheet stands: what it does not hold is not there.
    if (!anew && document.json.contains("chains"))
        std::erase_if(rig.chart.chains, [&](const Chain& chain) { return !all.chains.contains(chain.name); });
    apply_choices(rig.chart, decisions);
    rig.chart.shape = body_shape(rig.character, rig.chart);
    read_postures(document, rig.chart);
    add_sheet_findings(document, decisions, rig.chart);
    return rig;
}

}  // namespace

bool is_sheet(const fs::path& file) {
    return same_ending(file, ".json") && !is_puppet(file);
}

Rig load_rig(const fs::path& file, float fps, const fs::path& character) {
    if (is_sheet(file)) return open_sheet(file, fps, character, false);
    Rig rig{load_character(file, {fps}), {}, {}};
    rig.chart = charted(rig.character, true);
    return rig;
}

Rig rechart(const fs::path& sheet, const fs::path& character) {
    return open_sheet(sheet, 0.0f, character, true);
}

bool holds(const RigSheet& sheet, const char* section) {
    return sheet.exists() && sheet.document->json.contains(section);
}

void put(RigSheet& sheet, const char* section, Json value) {
    const auto edited = std::make_shared<JsonDocument>();
    if (sheet.exists()) *edited = *sheet.document;
    edited->json[section] = std::move(value);
    sheet.document = edited;
}

void refuse_other_sheet(const fs::path& out, const fs::path& character) {
    if (!fs::is_regular_file(out)) return;
    const Json sheet = Json::parse(read_text(out), nullptr, false);
    if (!sheet.is_object() || sheet.value("format", Json()) != "dendraxis-rig") return;
    const Json named = sheet.value(Json::json_pointer("/character/file"), Json());
    if (!named.is_string()) return;
    std::error_code ignored;
    if (fs::equivalent(out.parent_path() / named.get<std::string>(), character, ignored)) return;
    throw Error(ErrorCode::cannot_write, out.string(),
                "is the sheet of another character (" + named.get<std::string>() + ")", "",
                "choose another name for the output");
}

std::string sheet_json(const Chart& chart, const fs::path& folder, const RigSheet& sheet) {
    std::string file = chart.file;
    if (!folder.empty() && !file.empty())
        file = fs::proximate(fs::absolute(file), fs::absolute(folder)).generic_string();
    Json json = chart_json(chart, file);
    if (!sheet.exists()) return text_of(json);
    // What the sheet had comes first, in its order; a new one begins with the chart.
    const bool is_new = sheet.document->text.empty();
    Json kept = is_new ? json : sheet.document->json;
    kept.update(is_new ? sheet.document->json : json);
    return text_of(kept);
}

}  // namespace dendraxis::io
