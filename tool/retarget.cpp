#include "commands.hpp"

#include <dendraxis/io/retarget_set.hpp>

#include <fmt/core.h>

#include <algorithm>
#include <thread>

#include <unistd.h>

namespace dendraxis::tool {
namespace {

void check_arguments(const RetargetArguments& arguments) {
    if (arguments.out.empty() == arguments.out_dir.empty())
        throw UsageError("retarget: give either -o OUT.glb or --out-dir DIR");
    if (!arguments.out.empty() && arguments.out.extension() != ".glb")
        throw UsageError(arguments.out.string() + ": the output must end in .glb");
    if (arguments.source.empty() && arguments.motions.empty())
        throw UsageError("retarget: give --source CHARACTER, or --motion FILE, or both");
    if (arguments.source.empty() && !arguments.pairing.empty())
        throw UsageError("retarget: --pairing needs the --source that it was made for");
    std::vector<fs::path> inputs = arguments.motions;
    inputs.insert(inputs.end(), {arguments.source, arguments.target, arguments.pairing});
    if (!arguments.out.empty()) check_not_input(arguments.out, inputs);
}

// A bar on a terminal's standard error; nothing elsewhere.
void show_progress(std::size_t done, std::size_t all, const std::string& name) {
    static const bool k_shows = isatty(STDERR_FILENO) != 0;
    if (!k_shows || all < 2) return;
    const std::size_t filled = 30 * done / all;
    fmt::print(stderr, "\r[{}{}] {}/{} {:<32.32}", std::string(filled, '#'), std::string(30 - filled, '.'),
               done, all, name);
    if (done == all) fmt::print(stderr, "\r{:>80}\r", "");
}

}  // namespace

int run_retarget(const RetargetArguments& arguments) {
    check_arguments(arguments);
    const int cores = static_cast<int>(std::max(1u, std::thread::hardware_concurrency()));
    const io::RetargetSet set{arguments.source,
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
    const io::RetargetReport report = io::retarget_set(set, show_progress);
    const auto failed = std::count_if(report.clips.begin(), report.clips.end(),
                                      [](const auto& line) { return line.status == "failed"; });
    const int status = failed > 0 ? k_gate_failed : k_done;
    if (arguments.json) {
        fmt::print("{}", io::report_json(report));
        return status;
    }
    const auto& from = arguments.source.empty() ? arguments.motions.front() : arguments.source;
    fmt::print("{}\n", bold(fmt::format("{} -> {}", from.stem().string(), arguments.target.stem().string())));
    if (report.chains > 0)
        fmt::print("  {} chains paired; root motion x {:.3f}, hips' height x {:.3f}\n", report.chains,
                   report.leg_ratio, report.hips_ratio);
    fmt::print("\n  {:<24} {:>6} {:>6}  {:<10}  {}\n", "clip", "frames", "fps", "", "file");
    for (const io::RetargetReport::Line& line : report.clips) {
        fmt::print("  {:<24} {:>6} {:>6g}  {:<10}  {}\n", line.clip, line.frames, line.fps,
                   line.verdict == "right" ? line.verdict : line.status,
                   line.error.empty() ? line.file : line.error);
        if (!line.verdict.empty() && line.verdict != "right") fmt::print("  {:<24} {}\n", "", line.verdict);
    }
    if (failed > 0) fmt::print("\n  {} of {} failed\n", failed, report.clips.size());
    print_findings(report.findings);
    return status;
}

}  // namespace dendraxis::tool
