#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/outputs.hpp"
#include "../support/print.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/explain.hpp>
#include <dendraxis/chart/joint_ranges.hpp>
#include <dendraxis/chart/survey.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {

namespace {

struct ChartArguments {
    fs::path character;
    fs::path sheet;
    fs::path out;
    std::string ranges;   // `usual`, `learned` or empty
    std::string explain;  // a bone, or empty
    bool json = false;
};

Json explanation_json(const Skeleton& skeleton, const BoneExplanation& explanation) {
    Json evidence = Json::array();
    for (const Evidence& piece : explanation.evidence)
        evidence.push_back({{"what", piece.what}, {"weight", rounded(piece.weight)}});
    return {{"bone", bone_json(skeleton, explanation.bone)},
            {"role", explanation.role},
            {"confidence", rounded(explanation.confidence)},
            {"evidence", evidence},
            {"runner_up", explanation.runner_up},
            {"margin", rounded(explanation.margin)}};
}

constexpr float k_learned_margin = 10.0f / k_degrees;

Chart with_ranges(const io::Rig& rig, const std::string& which) {
    Chart chart = rig.chart;
    if (which == "usual") chart.ranges = ranges_in_force(chart, rig.character.clips);
    if (which == "learned") {
        if (rig.character.clips.empty())
            throw Error(rig.character.file, "holds no clips to learn ranges from", "",
                        "name a file that has clips");
        chart.ranges = learned_ranges(chart, rig.character.clips, k_learned_margin);
    }
    return chart;
}

int bone_named(const io::Rig& rig, const std::string& name) {
    const int bone = rig.character.skeleton.find(name);
    if (bone != k_no_bone) return bone;
    std::vector<std::string> labels;
    for (const Bone& known : rig.character.skeleton.bones()) labels.push_back(known.label);
    throw Error(ErrorCode::unknown_name, rig.character.file, "has no bone '" + name + "'", "--explain",
                did_you_mean(name, labels, "see what `dendraxis survey` lists"));
}

int run_explain(const io::Rig& rig, const ChartArguments& arguments) {
    const BoneExplanation found = explain(rig.character, bone_named(rig, arguments.explain));
    if (arguments.json) {
        print_json(explanation_json(rig.character.skeleton, found));
        return k_done;
    }
    fmt::print("{}: {} is {}", bold(arguments.character.string()), arguments.explain, bold(found.role));
    fmt::print("{}\n",
               found.confidence > 0.0f ? fmt::format(", {:.0f} % sure", 100.0f * found.confidence) : "");
    for (const Evidence& evidence : found.evidence) {
        fmt::print("  {:>6}  {}\n", evidence.weight == 0.0f ? "" : fmt::format("{:+.2f}", evidence.weight),
                   evidence.what);
    }
    if (found.runner_up.empty())
        fmt::print("  in none of the next best charts it is anything else\n");
    else
        fmt::print("  runner-up: {}, in a chart that scores {:.2f} less\n", found.runner_up, found.margin);
    return k_done;
}

int run_chart(const ChartArguments& arguments) {
    // A sheet is charted anew: what was decided in it stays. It may be of another character with the same
    // skeleton.
    const bool is_sheet = io::is_sheet(arguments.character);
    const io::Rig rig = !arguments.sheet.empty() ? io::rechart(arguments.sheet, arguments.character)
                        : is_sheet               ? io::rechart(arguments.character)
                                                 : io::load_rig(arguments.character);
    if (!arguments.explain.empty()) return run_explain(rig, arguments);
    const Chart chart = with_ranges(rig, arguments.ranges);
    if (!arguments.out.empty()) {
        check_sheet_place(arguments.out, rig.character.file);
        io::write_text(arguments.out,
                       io::sheet_json(chart, fs::absolute(arguments.out).parent_path(), rig.sheet));
    }
    if (arguments.json) {
        fmt::print("{}", io::sheet_json(chart));
        return k_done;
    }
    const auto label = [&](int bone) {
        return bone == k_no_bone ? std::string("none") : chart.skeleton.bone(bone).label;
    };
    fmt::print("{}\n", bold(arguments.character.string()));
    fmt::print("  {:<16} {}\n  {:<16} {}\n", "hips", label(chart.hips), "root", label(chart.root));
    fmt::print("  {:<16} {}, {} up, facing {}\n\n", "stance", to_string(chart.stance), axis_name(chart.up),
               axis_name(chart.facing));
    fmt::print("  {}\n", bold(fmt::format("{:<16} {:>5}  {}", "chain", "sure", "bones")));
    for (const Chain& chain : chart.chains) {
        std::string bones;
        for (const int bone : chain.bones) bones += (bones.empty() ? "" : ", ") + label(bone);
        fmt::print("  {:<16} {:>4.0f}%  {}\n", chain.name, 100.0f * chain.confidence, bones);
    }
    for (const Helper& helper : chart.helpers) {
        fmt::print("{}\n", dim(fmt::format("  {:<16} {:>5}  {}", "helper", to_string(helper.kind),
                                           label(helper.bone))));
    }
    print_findings(chart.findings);
    if (!arguments.out.empty()) fmt::print("\nwrote {}\n", arguments.out.string());
    return k_done;
}

void add_chart(CommandLine& line) {
    auto arguments = std::make_shared<ChartArguments>();
    CLI::App* c = line.add("chart", "Find the bone chains: spine, arms, legs, fingers …",
                           "chart hero.glb -o hero.rig.json", arguments, run_chart);
    add_file(c, "CHARACTER", arguments->character, "the character's file, or its sheet");
    c->add_option("--sheet", arguments->sheet,
                  "apply the decisions of this sheet, of a character with the same skeleton")
        ->option_text("FILE");
    c->add_option("--ranges", arguments->ranges,
                  "add joint ranges to the sheet: usual ones, or learned from the file's clips with 10 "
                  "degrees of margin")
        ->check(CLI::IsMember({"usual", "learned"}));
    c->add_option("--explain", arguments->explain,
                  "explain the role of this bone: the evidence for and against, and the next best role")
        ->option_text("BONE");
    c->add_option("-o,--out", arguments->out, "write the rig sheet here; edit it if the chart is wrong");
}

const Registration k_chart(40, add_chart);

}  // namespace
}  // namespace dendraxis::tool
