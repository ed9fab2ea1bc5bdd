#include <dendraxis/io/sheet.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/io/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

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

std::string text_of(const Json& document) {
    return document.dump(2) + "\n";
}

// ------------------------------------------------------------------ reading

// A parsed file that knows its name, for messages.
struct Document {
    std::string file;
    Json json;

    [[noreturn]] void fail(const std::string& problem, const std::string& pointer,
                           const std::string& advice = {}) const {
        throw Error(file, problem, "at " + (pointer.empty() ? std::string("/") : pointer), advice);
    }

    const Json& need(const Json& object, const std::string& pointer, const char* key, Json::value_t type,
                     const char* kind) const {
        if (!object.is_object() || !object.contains(key)) fail(fmt::format("'{}' is missing", key), pointer);
        const Json& value = object[key];
        if (value.type() != type) fail(fmt::format("'{}' must be {}", key, kind), pointer + "/" + key);
        return value;
    }

    std::string need_text(const Json& object, const std::string& pointer, const char* key) const {
        return need(object, pointer, key, Json::value_t::string, "a text").get<std::string>();
    }
};

Document open_document(const fs::path& path, const char* format) {
    const std::string text = read_text(path);
    Document document{path.string(), {}};
    try {
        document.json = Json::parse(text);
    } catch (const Json::parse_error& problem) {
        const std::size_t end = std::min(text.size(), problem.byte);
        const auto line = 1 + std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(end), '\n');
        throw Error(path.string(), "is not valid JSON", fmt::format("line {}", line),
                    "check for a missing comma or quote there");
    }
    if (document.need_text(document.json, "", "format") != format) {
        document.fail(fmt::format("'format' is not '{}'", format), "/format", "is this the file you meant?");
    }
    if (!document.json.contains("version") || document.json["version"] != 1) {
        document.fail("'version' is not 1, the only one that this program reads", "/version");
    }
    return document;
}

int bone_named(const Document& document, const Skeleton& skeleton, const Json& value,
               const std::string& pointer) {
    if (!value.is_string()) document.fail("a bone must be given by its name", pointer);
    const std::string name = value.get<std::string>();
    const int bone = skeleton.find(name);
    if (bone != k_no_bone) return bone;
    std::vector<std::string> labels;
    for (const Bone& candidate : skeleton.bones()) labels.push_back(candidate.label);
    const std::string nearest = nearest_name(name, labels);
    document.fail("there is no bone '" + name + "'", pointer,
                  nearest.empty() ? "see `dendraxis survey`" : "did you mean '" + nearest + "'?");
}

// Puts what the sheet says about hub, ground bone and chains in place of what was found.
void apply_sheet(const Document& document, Chart& chart) {
    const Json& json = document.json;
    const auto optional_bone = [&](const char* key) {
        return json[key].is_null() ? k_no_bone
                                   : bone_named(document, chart.skeleton, json[key], std::string("/") + key);
    };
    if (json.contains("hub")) chart.hub = optional_bone("hub");
    if (json.contains("ground")) chart.ground = optional_bone("ground");
    if (!json.contains("chains")) return;
    const Json& list = document.need(json, "", "chains", Json::value_t::array, "a list");
    chart.chains.clear();
    std::vector<int> owner(chart.skeleton.size(), -1);
    for (std::size_t i = 0; i < list.size(); ++i) {
        const std::string pointer = fmt::format("/chains/{}", i);
        Chain chain;
        chain.name = document.need_text(list[i], pointer, "name");
        if (chart.find(chain.name) != nullptr)
            document.fail("the chain '" + chain.name + "' stands twice", pointer + "/name");
        chain.confidence = 1.0f;
        chain.evidence = {"the sheet says so"};
        const Json& bones = document.need(list[i], pointer, "bones", Json::value_t::array, "a list of bones");
        for (std::size_t k = 0; k < bones.size(); ++k) {
            const std::string place = fmt::format("{}/bones/{}", pointer, k);
            const int bone = bone_named(document, chart.skeleton, bones[k], place);
            int& taken = owner[static_cast<std::size_t>(bone)];
            if (taken != -1)
                document.fail("the bone '" + chart.skeleton.bone(bone).label + "' is in two chains", place);
            taken = static_cast<int>(i);
            if (!chain.bones.empty() && !chart.skeleton.is_above(chain.bones.back(), bone)) {
                document.fail("the chain runs against the hierarchy: '" + chart.skeleton.bone(bone).label +
                                  "' is not below the bone before it",
                              place);
            }
            chain.bones.push_back(bone);
        }
        if (chain.bones.empty())
            document.fail("the chain '" + chain.name + "' has no bones", pointer + "/bones",
                          "name at least one, or take the chain out");
        chart.chains.push_back(std::move(chain));
    }
    std::vector<Helper> helpers;
    for (int bone = 0; bone < static_cast<int>(chart.skeleton.size()); ++bone) {
        if (owner[static_cast<std::size_t>(bone)] != -1 || bone == chart.hub || bone == chart.ground)
            continue;
        const auto known = std::find_if(chart.helpers.begin(), chart.helpers.end(),
                                        [bone](const Helper& helper) { return helper.bone == bone; });
        helpers.push_back({bone, known == chart.helpers.end() ? HelperKind::unknown : known->kind});
    }
    chart.helpers = std::move(helpers);
}

void check_chain(const Document& document, const Chart& chart, const std::string& name,
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
    Rig rig;
    if (file.extension() != ".json") {
        rig.character = load_character(file, {fps});
        rig.chart = chart(rig.character);
        return rig;
    }
    const Document document = open_document(file, "dendraxis-rig");
    const Json& character = document.need(document.json, "", "character", Json::value_t::object, "an object");
    const fs::path named = document.need_text(character, "/character", "file");
    rig.character = load_character(file.parent_path() / named, {fps});
    rig.chart = chart(rig.character);
    apply_sheet(document, rig.chart);
    return rig;
}

Pairing read_pairing(const fs::path& file, Chart source, Chart target) {
    const Document document = open_document(file, "dendraxis-pairing");
    Pairing pairing{std::move(source), std::move(target), {}, {}, {}};
    const Json& list = document.need(document.json, "", "chains", Json::value_t::array, "a list");
    for (std::size_t i = 0; i < list.size(); ++i) {
        const std::string pointer = fmt::format("/chains/{}", i);
        ChainPair entry{document.need_text(list[i], pointer, "source"),
                        document.need_text(list[i], pointer, "target")};
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

std::string sheet_json(const Chart& chart, const fs::path& folder) {
    std::string file = chart.file;
    if (!folder.empty() && !file.empty())
        file = fs::proximate(fs::absolute(file), fs::absolute(folder)).generic_string();
    return text_of(json_of(chart, file));
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
