#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/page.hpp"
#include "../support/print.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/survey.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/sheet/sheet.hpp>

#include <fmt/core.h>

#include <algorithm>

namespace dendraxis::tool {
namespace {

struct SurveyArguments {
    fs::path character;
    fs::path page;
    bool json = false;
};

Json survey_json(const Survey& survey) {
    const Chart& chart = survey.chart;
    Json clips = Json::array();
    for (const ClipSummary& clip : survey.clips) {
        clips.push_back({{"name", clip.name},
                         {"fps", rounded(clip.fps)},
                         {"frames", clip.frames},
                         {"seconds", rounded(clip.seconds)},
                         {"root_motion", rounded(clip.root_motion)},
                         {"moving_bones", clip.moving}});
    }
    Json bones = Json::array();
    for (const Bone& bone : chart.skeleton.bones()) {
        bones.push_back({{"bone", bone.label}, {"parent", bone_json(chart.skeleton, bone.parent)}});
    }
    return {{"character",
             {{"file", chart.file},
              {"up", json_of(chart.up)},
              {"facing", json_of(chart.facing)},
              {"height", rounded(chart.height)},
              {"floor", rounded(chart.floor)},
              {"rest_floor", rounded(chart.rest_floor)},
              {"stance", to_string(chart.stance)},
              {"unit", survey.unit}}},
            {"confidence", rounded(chart.confidence)},
            {"hips", bone_json(chart.skeleton, chart.hips)},
            {"root", bone_json(chart.skeleton, chart.root)},
            {"bones", bones},
            {"meshes", survey.meshes},
            {"vertices", survey.vertices},
            {"triangles", survey.triangles},
            {"clips", clips},
            {"findings", json_of(survey.findings)}};
}

std::string role_of(const Chart& chart, int bone) {
    if (bone == chart.hips) return "hips";
    if (bone == chart.root) return "root";
    for (const Chain& chain : chart.chains) {
        const auto found = std::find(chain.bones.begin(), chain.bones.end(), bone);
        if (found != chain.bones.end())
            return fmt::format("{} {}/{}", chain.name, found - chain.bones.begin() + 1, chain.bones.size());
    }
    for (const Helper& helper : chart.helpers) {
        if (helper.bone == bone) return fmt::format("helper: {}", to_string(helper.kind));
    }
    return "";
}

void print_tree(const Chart& chart) {
    std::vector<int> depth(chart.skeleton.size(), 0);
    for (int bone = 0; bone < static_cast<int>(chart.skeleton.size()); ++bone) {
        const int parent = chart.skeleton.parent(bone);
        const auto i = static_cast<std::size_t>(bone);
        depth[i] = parent == k_no_bone ? 0 : depth[static_cast<std::size_t>(parent)] + 1;
        const std::string name =
            std::string(static_cast<std::size_t>(2 * depth[i] + 2), ' ') + chart.skeleton.bone(bone).label;
        const std::string role = role_of(chart, bone);
        const std::string line = fmt::format("{:<44} {}", name, role);
        fmt::print("{}\n", role.starts_with("helper") ? dim(line) : line);
    }
}

int run_survey(const SurveyArguments& arguments) {
    check_page(arguments.page, {arguments.character});
    io::Rig rig = io::load_rig(arguments.character);
    const Character& character = rig.character;
    const Survey survey = dendraxis::survey(character, std::move(rig.chart));
    if (!arguments.page.empty())
        write_character_page(arguments.page, {&character, &survey.chart, ""}, character.clips,
                             survey.findings, "dendraxis survey " + arguments.character.string());
    if (arguments.json) {
        print_json(survey_json(survey));
        return k_done;
    }
    const Chart& chart = survey.chart;
    fmt::print("{}\n", bold(arguments.character.string()));
    fmt::print("  height   {:.3f} m\n  unit     {}\n  axes     {}\n", chart.height, survey.unit, survey.axes);
    fmt::print("  stance   {} (arms {:.0f} degrees below level)\n", to_string(chart.stance),
               chart.arm_angle * k_degrees);
    fmt::print("  surface  {} meshes, {} vertices, {} triangles{}\n", survey.meshes, survey.vertices,
               survey.triangles, chart.shape.flat_across.isZero() ? "" : ", all in one plane: it is flat");
    fmt::print("\n{} ({})\n", bold("bones"), chart.skeleton.size());
    print_tree(chart);
    fmt::print("\n{} ({})\n", bold("clips"), survey.clips.size());
    if (!survey.clips.empty())
        fmt::print("  {:<24} {:>6} {:>6} {:>8} {:>9} {:>7}\n", "name", "frames", "fps", "seconds", "moves m",
                   "bones");
    for (const ClipSummary& clip : survey.clips) {
        fmt::print("  {:<24} {:>6} {:>6g} {:>8.2f} {:>9.2f} {:>7}\n", clip.name, clip.frames, clip.fps,
                   clip.seconds, clip.root_motion, clip.moving);
    }
    tell_of_page(arguments.page);
    print_findings(survey.findings);
    return k_done;
}

void add_survey(CommandLine& line) {
    auto arguments = std::make_shared<SurveyArguments>();
    CLI::App* c = line.add("survey", "List what a character file holds and report what will cause trouble",
                           "survey hero.glb", arguments, run_survey);
    add_file(c, "CHARACTER", arguments->character, "the character's file");
    add_page_option(c, arguments->page, "write a page that shows rest, chains, evidence and clips");
}

const Registration k_survey(10, add_survey);

}  // namespace
}  // namespace dendraxis::tool
