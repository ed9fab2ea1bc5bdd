#include "commands.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
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

}  // namespace

int run_chart(const ChartArguments& arguments) {
    // A sheet is charted anew: what was decided in it stays. It may be of another character with the same
    // skeleton.
    const bool is_sheet = arguments.character.extension() == ".json";
    const io::Rig rig = !arguments.sheet.empty() ? io::rechart(arguments.sheet, arguments.character)
                        : is_sheet               ? io::rechart(arguments.character)
                                                 : io::load_rig(arguments.character);
    const Chart chart = with_ranges(rig, arguments.ranges);
    if (!arguments.out.empty()) {
        check_not_input(arguments.out, {rig.character.file});
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
    fmt::print("  {:<16} {}\n  {:<16} {}\n", "hub", label(chart.hub), "ground bone", label(chart.ground));
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
