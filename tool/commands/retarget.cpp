#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/outputs.hpp"
#include "../support/print.hpp"
#include "cast.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/pipeline/retarget_set.hpp>

#include <fmt/core.h>

#include <algorithm>
#include <thread>

namespace dendraxis::tool {
namespace {

struct RetargetArguments {
    fs::path cast;
    fs::path source;
    fs::path target;
    fs::path pairing;
    std::vector<fs::path> motions;
    std::vector<std::string> clips;
    fs::path out;
    fs::path out_dir;
    std::string prefix;
    std::string suffix;
    float fps = 0.0f;
    int jobs = 0;
    bool json = false;
};

Json retarget_json(const pipeline::RetargetReport& report) {
    Json clips = Json::array();
    for (const pipeline::RetargetReport::Line& line : report.clips) {
        clips.push_back({{"clip", line.clip},
                         {"file", line.file},
                         {"frames", line.frames},
                         {"fps", rounded(line.fps)},
                         {"status", line.status}});
        if (!line.error.empty()) clips.back()["error"] = line.error;
        if (!line.verdict.empty()) clips.back()["verdict"] = line.verdict;
    }
    return {{"clips", clips},
            {"leg_ratio", rounded(report.leg_ratio)},
            {"hips_ratio", rounded(report.hips_ratio)},
            {"findings", json_of(report.findings)}};
}

void check_arguments(const RetargetArguments& arguments) {
    if (arguments.out.empty() == arguments.out_dir.empty())
        throw UsageError("retarget: give either -o OUT.glb or --out-dir DIR");
    if (!arguments.out.empty() && arguments.out.extension() != ".glb")
        throw UsageError(arguments.out.string() + ": the output must end in .glb");
    if (arguments.target.empty()) throw UsageError("retarget: give --target CHARACTER, or --cast CAST");
    if (arguments.source.empty() && arguments.motions.empty())
        throw UsageError("retarget: give --source CHARACTER, or --motion FILE, or both");
    if (arguments.source.empty() && !arguments.pairing.empty())
        throw UsageError("retarget: --pairing needs the --source that it was made for");
    std::vector<fs::path> inputs = arguments.motions;
    inputs.insert(inputs.end(), {arguments.source, arguments.target, arguments.pairing});
    if (!arguments.out.empty()) check_not_input(arguments.out, inputs);
}

int run_retarget(const RetargetArguments& arguments) {
    const int cores = static_cast<int>(std::max(1u, std::thread::hardware_concurrency()));
    if (!arguments.cast.empty()) {
        if (arguments.out_dir.empty() || !arguments.out.empty() || !arguments.source.empty() ||
            !arguments.target.empty() || !arguments.pairing.empty() || !arguments.motions.empty() ||
            arguments.fps > 0.0f || !arguments.prefix.empty() || !arguments.suffix.empty())
            throw UsageError(
                "retarget --cast: give --out-dir DIR, and of the others --clip, --jobs and --json "
                "alone; the cast names source and targets");
        return run_retarget_cast(arguments.cast, arguments.clips, arguments.out_dir,
                                 arguments.jobs > 0 ? arguments.jobs : cores, arguments.json);
    }
    check_arguments(arguments);
    const pipeline::RetargetSet set{arguments.source,
                                    arguments.target,
                                    arguments.pairing,
                                    arguments.motions,
                                    arguments.clips,
                                    arguments.out,
                                    arguments.out_dir,
                                    arguments.prefix,
                                    arguments.suffix,
                                    arguments.fps,
                                    arguments.jobs > 0 ? arguments.jobs : cores};
    const pipeline::RetargetReport report = pipeline::retarget_set(set, show_progress);
    const auto failed = std::count_if(report.clips.begin(), report.clips.end(),
                                      [](const auto& line) { return line.status == "failed"; });
    const int status = failed > 0 ? k_gate_failed : k_done;
    if (arguments.json) {
        print_json(retarget_json(report));
        return status;
    }
    const auto& from = arguments.source.empty() ? arguments.motions.front() : arguments.source;
    fmt::print("{}\n",
               bold(fmt::format("{} -> {}", io::character_name(from), io::character_name(arguments.target))));
    if (report.chains > 0)
        fmt::print("  {} chains paired; root motion x {:.3f}, hips' height x {:.3f}\n", report.chains,
                   report.leg_ratio, report.hips_ratio);
    fmt::print("\n  {:<24} {:>6} {:>6}  {:<10}  {}\n", "clip", "frames", "fps", "", "file");
    for (const pipeline::RetargetReport::Line& line : report.clips) {
        fmt::print("  {:<24} {:>6} {:>6g}  {:<10}  {}\n", line.clip, line.frames, line.fps,
                   line.verdict == "right" && line.error.empty() ? line.verdict : line.status,
                   line.error.empty() ? line.file : line.error);
        if (!line.verdict.empty() && line.verdict != "right") fmt::print("  {:<24} {}\n", "", line.verdict);
    }
    if (failed > 0) fmt::print("\n  {} of {} failed\n", failed, report.clips.size());
    print_findings(report.findings);
    return status;
}

void add_retarget(CommandLine& line) {
    auto arguments = std::make_shared<RetargetArguments>();
    CLI::App* c =
        line.add("retarget", "Carry clips from one character to another",
                 "retarget --source hero.glb --target villain.glb --clip walk -o villain-moving.glb",
                 arguments, run_retarget);
    c->add_option("--source", arguments->source, "the character whose clips are carried over")
        ->option_text("FILE");
    c->add_option("--motion", arguments->motions,
                  "a file with clips (.glb, .gltf, .bvh) or a folder of them; may be given several times")
        ->allow_extra_args(false)
        ->option_text("FILE");
    c->add_option("--target", arguments->target, "the character that gets them")->option_text("FILE");
    c->add_option("--cast", arguments->cast,
                  "a cast (.cast.json): its source's clips onto all its members, a file each in --out-dir")
        ->option_text("FILE");
    c->add_option("--pairing", arguments->pairing, "a pairing that `pair -o` wrote; default: automatic")
        ->option_text("FILE");
    c->add_option("--clip", arguments->clips, "only this clip; may be given several times")
        ->allow_extra_args(false)
        ->option_text("NAME");
    c->add_option("-o,--out", arguments->out, "one GLB: the target with all the clips")->option_text("FILE");
    c->add_option("--out-dir", arguments->out_dir, "a folder: one GLB for each clip, named after it")
        ->option_text("DIR");
    c->add_option("--prefix", arguments->prefix, "put before each clip's name")->option_text("TEXT");
    c->add_option("--suffix", arguments->suffix, "put behind each clip's name")->option_text("TEXT");
    c->add_option("--jobs", arguments->jobs, "threads; default: one for each core")
        ->check(CLI::Range(1, 256))
        ->option_text("N");
    add_rate_option(c, arguments->fps, "frames a second; default: the rate of the source's keys");
}

const Registration k_retarget(60, add_retarget);

}  // namespace
}  // namespace dendraxis::tool
