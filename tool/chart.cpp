#include "commands.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/explain.hpp>
#include <dendraxis/chart/joint_ranges.hpp>
#include <dendraxis/chart/survey.hpp>
#include <dendraxis/io/sheet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {

namespace {

constexpr float k_learned_margin = 10.0f / k_degrees;

Chart with_ranges(const io::Rig& rig, const std::string& which) {
    Chart chart = rig.chart;
    if (which == "usual") chart.ranges = ranges_in_force(chart);
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
    const std::string nearest = nearest_name(name, labels);
    throw Error(rig.character.file, "has no bone '" + name + "'", "--explain",
                nearest.empty() ? "see what `dendraxis survey` lists" : "did you mean '" + nearest + "'?");
}

int run_explain(const io::Rig& rig, const ChartArguments& arguments) {
    const BoneExplanation found = explain(rig.character, bone_named(rig, arguments.explain));
    if (arguments.json) {
        fmt::print("{}", io::explanation_json(rig.character.skeleton, found));
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

}  // namespace

int run_chart(const ChartArguments& arguments) {
    // A sheet is charted anew: what was decided in it stays. It may be of another character with the same
    // skeleton.
    const bool is_sheet = arguments.character.extension() == ".json";
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

}  // namespace dendraxis::tool
