#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/page.hpp"
#include "../support/print.hpp"

#include "review_pages.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/pipeline/review_set.hpp>

#include <fmt/core.h>

#include <algorithm>
#include <thread>

namespace dendraxis::tool {
namespace {

struct ReviewArguments {
    fs::path source;
    std::vector<fs::path> motions;
    std::vector<fs::path> results;
    fs::path target;
    fs::path pairing;
    std::vector<std::string> clips;
    std::string prefix;
    std::string suffix;
    fs::path page;
    bool gate = false;
    bool json = false;
};

Json review_json(const Review& review) {
    Json clips = Json::array();
    for (const ClipReview& clip : review.clips) {
        clips.push_back({{"clip", clip.clip},
                         {"frames", clip.frames},
                         {"fps", rounded(clip.fps)},
                         {"measures", measures_json(clip.measures)}});
    }
    return {{"passed", review.passed}, {"clips", clips}, {"findings", json_of(review.findings)}};
}

// `foot_slide_mm` is foot, slide, mm; `pops` counts frames.
std::string header_word(const std::string& name, std::size_t row) {
    std::vector<std::string> words;
    for (std::size_t start = 0; start <= name.size();) {
        const std::size_t end = std::min(name.find('_', start), name.size());
        words.push_back(name.substr(start, end - start));
        start = end + 1;
    }
    if (name == "pops" || name == "bend_flips") words.emplace_back("frames");
    words.insert(words.begin(), words.size() < 3 ? 3 - words.size() : 0, "");
    return words[row];
}

void print_table(const Review& review) {
    // The names' words below each other, so that a column is no wider than its figures.
    for (std::size_t row = 0; row < 3; ++row) {
        fmt::print("  {:<20}", row == 2 ? "clip" : "");
        for (const std::string& name : measure_names()) fmt::print(" {:>10}", header_word(name, row));
        fmt::print("\n");
    }
    for (const ClipReview& clip : review.clips) {
        fmt::print("  {:<20.20}", clip.clip);
        for (const Measure& measure : clip.measures) {
            if (measure.frame < 0) {
                fmt::print(" {:>10}", "-");
            } else {
                fmt::print(" {:>10.2f}", measure.value);
            }
        }
        fmt::print("\n{}", dim(fmt::format("  {:<20}", "  worst frame")));
        for (const Measure& measure : clip.measures)
            fmt::print("{}", dim(fmt::format(" {:>10}",
                                             measure.frame < 0 ? "" : fmt::format("@{}", measure.frame))));
        fmt::print("\n");
    }
}

Json report_json(const pipeline::ReviewReport& report) {
    if (report.lines.size() == 1) {
        Json json = review_json(report.lines.front().review);
        for (Json& finding : json_of(report.findings)) json["findings"].push_back(finding);
        return json;
    }
    Json results = Json::array();
    for (const pipeline::ReviewReport::Line& line : report.lines) {
        Json json = review_json(line.review);
        json["source"] = line.source;
        json["result"] = line.result;
        if (!line.error.empty()) {
            json["error"] = line.error;
            json["passed"] = false;
        }
        results.push_back(std::move(json));
    }
    return {{"passed", report.passed()}, {"results", results}, {"findings", json_of(report.findings)}};
}

// One line a clip.
void print_set(const pipeline::ReviewReport& report) {
    fmt::print("  {:<24} {:<20} {:>6}  {}\n", "result", "clip", "frames", "");
    for (const pipeline::ReviewReport::Line& line : report.lines) {
        for (std::size_t i = 0; i < line.review.clips.size(); ++i) {
            const ClipReview& clip = line.review.clips[i];
            fmt::print("  {:<24.24} {:<20.20} {:>6}  {}\n", line.name, clip.clip, clip.frames,
                       line.verdicts[i]);
        }
    }
}

void print_report(const pipeline::ReviewReport& report, const std::string& title) {
    fmt::print("{}\n", bold(title));
    Findings findings = report.findings;
    if (report.lines.size() == 1) {
        const Review& review = report.lines.front().review;
        print_table(review);
        findings.insert(findings.begin(), review.findings.begin(), review.findings.end());
    } else {
        print_set(report);
    }
    fmt::print("\n  {}\n", report.passed() ? "all gates hold" : "not all gates hold");
    print_findings(findings);
}

// As it was given, as far as it says what was reviewed.
std::string command_of(const ReviewArguments& arguments) {
    std::string command = "dendraxis review";
    if (!arguments.source.empty()) command += " --source " + arguments.source.string();
    for (const fs::path& motion : arguments.motions) command += " --motion " + motion.string();
    command += " --result";
    for (const fs::path& result : arguments.results) command += " " + result.string();
    return command;
}

int run_review(const ReviewArguments& arguments) {
    if (arguments.source.empty() && arguments.motions.empty())
        throw UsageError("review: give --source CHARACTER, or --motion FILE, or both");
    std::vector<fs::path> inputs = arguments.motions;
    inputs.insert(inputs.end(), arguments.results.begin(), arguments.results.end());
    inputs.insert(inputs.end(), {arguments.source, arguments.target, arguments.pairing});
    check_page(arguments.page, inputs);
    const bool is_set = arguments.results.size() > 1 || !arguments.motions.empty() ||
                        fs::is_directory(arguments.results.front());
    const fs::path& source = arguments.source.empty() ? arguments.motions.front() : arguments.source;
    ReviewPages pages(arguments.page, is_set, command_of(arguments));
    pipeline::OnReviewed on_reviewed;
    if (!arguments.page.empty()) on_reviewed = [&](const pipeline::ReviewedFile& file) { pages.add(file); };
    const int cores = static_cast<int>(std::max(1u, std::thread::hardware_concurrency()));
    const pipeline::ReviewReport report =
        pipeline::review_set({arguments.source, arguments.motions, arguments.results, arguments.target,
                              arguments.pairing, arguments.clips, arguments.prefix, arguments.suffix, cores},
                             on_reviewed, show_progress);
    if (!arguments.page.empty()) pages.finish(report);
    const int status = arguments.gate && !report.passed() ? k_gate_failed : k_done;
    if (arguments.json) {
        print_json(report_json(report));
        return status;
    }
    print_report(
        report, fmt::format("{} -> {}", io::character_name(source),
                            report.lines.size() > 1 ? fmt::format("{} results", report.lines.size())
                                                    : fs::path(report.lines.front().result).stem().string()));
    tell_of_page(arguments.page);
    return status;
}

void add_review(CommandLine& line) {
    auto arguments = std::make_shared<ReviewArguments>();
    CLI::App* c =
        line.add("review", "Measure a result against its source: feet, reach, clipping, pops, root motion",
                 "review --source hero.glb --result villain-moving.glb --gate", arguments, run_review);
    c->add_option("--source", arguments->source, "the character whose clips were carried over")
        ->option_text("FILE");
    c->add_option("--motion", arguments->motions,
                  "a file with the clips, or a folder, as given to `retarget`; may be given several times")
        ->allow_extra_args(false)
        ->option_text("FILE");
    c->add_option("--result", arguments->results, "what `retarget` wrote: files, or folders of them")
        ->required()
        ->option_text("FILE ... REQUIRED");
    c->add_option("--target", arguments->target, "the target's rig sheet, if it has one")
        ->option_text("FILE");
    c->add_option("--pairing", arguments->pairing, "the pairing that was used; its gates count")
        ->option_text("FILE");
    c->add_option("--clip", arguments->clips, "only this clip of the source; may be given several times")
        ->allow_extra_args(false)
        ->option_text("NAME");
    c->add_option("--prefix", arguments->prefix, "what `retarget` put before each clip's name")
        ->option_text("TEXT");
    c->add_option("--suffix", arguments->suffix, "what `retarget` put behind each clip's name")
        ->option_text("TEXT");
    add_page_option(
        c, arguments->page,
        "write a page that plays source and result side by side; of several results an overview, and their "
        "pages in a folder beside it");
    c->add_flag("--gate", arguments->gate, "exit with status 1 if a measure exceeds its gate");
}

const Registration k_review(70, add_review);

}  // namespace
}  // namespace dendraxis::tool
