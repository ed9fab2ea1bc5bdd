#include "cast.hpp"
#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/print.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/pipeline/retarget_cast.hpp>

#include <fmt/core.h>

#include <algorithm>
#include <thread>

namespace dendraxis::tool {
namespace {

struct CastArguments {
    fs::path file;
    bool json = false;
};

// What is doubtful of a member, each with its id before it.
Findings findings_of(const io::CastFile& cast) {
    Findings findings;
    for (const io::CastEntry& entry : cast.entries) {
        if (!entry.problem.empty())
            findings.push_back({Severity::fault, "cast.cannot-follow", entry.id, entry.problem,
                                "mend it, or take the member out of the cast"});
        if (!entry.pairing) continue;
        Findings own = entry.pairing->findings;
        for (const Leftover& leftover : entry.pairing->leftovers) {
            const Chain* chain = leftover.of_source ? cast.source.chart.find(leftover.chain) : nullptr;
            if (chain == nullptr || (!is_limb(chain->role()) && leftover.chain != "spine")) continue;
            own.push_back(
                {Severity::warning, "cast.left-over", leftover.chain,
                 fmt::format("nothing follows the source's {}: {}", leftover.chain, leftover.reason),
                 "name its bones in the body's sheet, if it has any"});
        }
        for (Finding& finding : own) {
            if (finding.severity == Severity::note) continue;
            finding.where = finding.where.empty() ? entry.id : entry.id + ", " + finding.where;
            findings.push_back(std::move(finding));
        }
    }
    return findings;
}

std::string how(const io::CastEntry& entry) {
    if (!entry.pairing) return "cannot follow";
    return entry.pairing->is_same_build() ? "bone by bone"
                                          : fmt::format("{} chains", entry.pairing->chains.size());
}

int run_cast_check(const CastArguments& arguments) {
    const io::CastFile cast = io::read_cast(arguments.file);
    const Findings findings = findings_of(cast);
    const bool all = std::all_of(cast.entries.begin(), cast.entries.end(),
                                 [](const io::CastEntry& entry) { return entry.pairing.has_value(); });
    const int status = all ? k_done : k_gate_failed;
    if (arguments.json) {
        Json members = Json::array();
        for (const io::CastEntry& entry : cast.entries) {
            members.push_back({{"id", entry.id},
                               {"file", entry.file.string()},
                               {"follows", entry.pairing.has_value()},
                               {"how", how(entry)}});
            if (!entry.problem.empty()) members.back()["problem"] = entry.problem;
        }
        print_json(
            {{"source", cast.source.character.name}, {"members", members}, {"findings", json_of(findings)}});
        return status;
    }
    fmt::print("{} plays {} clips for {} members\n\n  {:<16} {:<14} {}\n", bold(cast.source.character.name),
               cast.source.character.clips.size(), cast.entries.size(), "member", "follows", "file");
    for (const io::CastEntry& entry : cast.entries)
        fmt::print("  {:<16} {:<14} {}\n", entry.id, how(entry), entry.file.string());
    print_findings(findings);
    return status;
}

void add_cast_check(CommandLine& line) {
    auto arguments = std::make_shared<CastArguments>();
    line.add_group("cast", "Check a cast: one source and the bodies that follow it");
    CLI::App* c = line.add_to("cast", "check", "Tell whether every member of a cast can follow its source",
                              "cast check crew.cast.json", arguments, run_cast_check);
    add_file(c, "CAST", arguments->file, "the cast (.cast.json)");
}

const Registration k_cast_check(65, add_cast_check);

}  // namespace

int run_retarget_cast(const fs::path& file, const std::vector<std::string>& clips, const fs::path& out_dir,
                      int jobs, bool json) {
    const io::CastFile cast = io::read_cast(file);
    const std::vector<pipeline::CastLine> lines =
        pipeline::retarget_cast(cast, clips, out_dir, jobs, show_progress);
    Findings findings = findings_of(cast);
    Json members = Json::array();
    bool all = true;
    for (const pipeline::CastLine& line : lines) {
        all = all && line.problem.empty();
        for (Finding finding : line.findings) {
            finding.where = line.id + ", " + finding.where;
            findings.push_back(std::move(finding));
        }
        members.push_back(
            {{"id", line.id}, {"file", line.file}, {"clips", line.clips}, {"right", line.right}});
        if (!line.problem.empty()) members.back()["problem"] = line.problem;
    }
    const int status = all ? k_done : k_gate_failed;
    if (json) {
        print_json({{"members", members}, {"findings", json_of(findings)}});
        return status;
    }
    fmt::print("{} -> {} members\n\n  {:<16} {:>6} {:>6}  {}\n", bold(cast.source.character.name),
               lines.size(), "member", "clips", "right", "file");
    for (const pipeline::CastLine& line : lines)
        fmt::print("  {:<16} {:>6} {:>6}  {}\n", line.id, line.clips, line.right,
                   line.file.empty() ? "cannot follow" : line.file);
    print_findings(findings);
    return status;
}

}  // namespace dendraxis::tool
