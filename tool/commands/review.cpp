#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/page.hpp"
#include "../support/print.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/review/review.hpp>

#include <fmt/core.h>

#include <algorithm>

namespace dendraxis::tool {
namespace {

struct ReviewArguments {
    fs::path source;
    fs::path result;
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
        Json measures = Json::object();
        for (const Measure& measure : clip.measures) {
            measures[measure.name] = {{"value", rounded(measure.value)},
                                      {"frame", measure.frame < 0 ? Json(nullptr) : Json(measure.frame)},
                                      {"where", measure.where}};
        }
        clips.push_back({{"clip", clip.clip},
                         {"frames", clip.frames},
                         {"fps", rounded(clip.fps)},
                         {"measures", measures}});
    }
    return {{"passed", review.passed}, {"clips", clips}, {"findings", json_of(review.findings)}};
}

// The result's clip of each source clip; by name, prefix and suffix aside.
std::vector<std::pair<const Clip*, const Clip*>> matched_clips(const ReviewArguments& arguments,
                                                               const Character& source,
                                                               const Character& result) {
    std::vector<std::pair<const Clip*, const Clip*>> matched;
    for (const std::string& name : arguments.clips) source.clip(name);  // told where there is none
    for (const Clip& clip : source.clips) {
        const bool wanted =
            arguments.clips.empty() ||
            std::find(arguments.clips.begin(), arguments.clips.end(), clip.name) != arguments.clips.end();
        const std::string name = arguments.prefix + clip.name + arguments.suffix;
        const auto own = std::find_if(result.clips.begin(), result.clips.end(),
                                      [&](const Clip& candidate) { return candidate.name == name; });
        if (!wanted) continue;
        if (own != result.clips.end()) {
            matched.emplace_back(&clip, &*own);
        } else if (!arguments.clips.empty()) {
            result.clip(name);
        }
    }
    if (matched.empty())
        throw Error(result.file, "holds no clip of the source", "",
                    "name the file that `retarget` wrote, and its prefix");
    return matched;
}

io::Rig result_rig(const ReviewArguments& arguments) {
    if (arguments.target.extension() == ".json") return io::rechart(arguments.target, arguments.result);
    return io::load_rig(arguments.result);
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

// The source's clips at the rates of the result's.
using MatchedClips = std::vector<std::pair<Clip, const Clip*>>;

void write_review_page(const ReviewArguments& arguments, const io::Rig& source, const io::Rig& result,
                       const Pairing& pairing, const MatchedClips& clips, const Review& review) {
    std::vector<page::ShownClip> shown;
    for (std::size_t i = 0; i < clips.size(); ++i) {
        const auto& [own, its] = clips[i];
        shown.push_back({own.name, {&own, its}, review.clips[i]});
    }
    const page::Stances stances = page::stances_of(pairing);
    page::Page page =
        page::review_page(pairing, source.character, result.character, std::move(shown), stances);
    page.made_by = fmt::format("dendraxis review --source {} --result {}", arguments.source.string(),
                               arguments.result.string());
    write_page(arguments.page, page);
}

int run_review(const ReviewArguments& arguments) {
    check_page(arguments.page, {arguments.source, arguments.result, arguments.target, arguments.pairing});
    const io::Rig result = result_rig(arguments);
    io::Rig source = io::load_rig(arguments.source);
    const Pairing pairing = arguments.pairing.empty() ? pair(source.chart, result.chart)
                                                      : io::read_pairing(arguments.pairing, source, result);
    MatchedClips clips;
    std::vector<ClipReview> reviews;
    for (const auto& [clip, own] : matched_clips(arguments, source.character, result.character)) {
        const bool same_rate = clip->frame_count() == own->frame_count();
        clips.emplace_back(same_rate ? *clip : resampled(*clip, own->fps), own);
        reviews.push_back(review_clip(pairing, clips.back().first, *own));
    }
    const Review review = judge(pairing, std::move(reviews));
    if (!arguments.page.empty()) write_review_page(arguments, source, result, pairing, clips, review);
    const int status = arguments.gate && !review.passed ? k_gate_failed : k_done;
    if (arguments.json) {
        print_json(review_json(review));
        return status;
    }
    fmt::print("{}\n", bold(fmt::format("{} -> {}", pairing.source.character, pairing.target.character)));
    print_table(review);
    if (!arguments.page.empty()) fmt::print("\n  open {} in a browser\n", arguments.page.string());
    fmt::print("\n  {}\n", review.passed ? "all gates hold" : "not all gates hold");
    print_findings(review.findings);
    return status;
}

void add_review(CommandLine& line) {
    auto arguments = std::make_shared<ReviewArguments>();
    CLI::App* c =
        line.add("review", "Measure a result against its source: feet, reach, clipping, pops, root motion",
                 "review --source hero.glb --result villain-moving.glb --gate", arguments, run_review);
    add_file(c, "--source", arguments->source, "the character whose clips were carried over");
    add_file(c, "--result", arguments->result, "the file that `retarget` wrote");
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
    add_page_option(c, arguments->page,
                    "write a page that plays source and result side by side; it opens in any browser");
    c->add_flag("--gate", arguments->gate, "exit with status 1 if a measure exceeds its gate");
}

const Registration k_review(70, add_review);

}  // namespace
}  // namespace dendraxis::tool
