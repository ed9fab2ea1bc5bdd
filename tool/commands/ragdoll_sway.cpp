#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/open_rig.hpp"
#include "../support/outputs.hpp"
#include "../support/page.hpp"
#include "../support/print.hpp"

#include <io/sheet/sheet_parts.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/sheet/sway_sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/ragdoll/sway_clip.hpp>

#include <fmt/core.h>

#include <algorithm>

namespace dendraxis::tool {
namespace {

struct RagdollSwayArguments {
    fs::path character;
    fs::path sheet;
    std::vector<std::string> clips;
    float height_metres = 0.0f;
    fs::path page;
    fs::path out;
    bool json = false;
};

constexpr float k_deep = 0.01f;                 // of the height
constexpr float k_unclosed = 2.0f / k_degrees;  // radians

std::vector<const Clip*> clips_to_sway(const Character& character, const std::vector<std::string>& names) {
    std::vector<const Clip*> clips;
    for (const std::string& name : names) clips.push_back(&character.clip(name));
    if (!names.empty()) return clips;
    for (const Clip& clip : character.clips) clips.push_back(&clip);
    if (clips.empty())
        throw Error(character.file, "has no clips in which anything could sway", "",
                    "carry clips to it first: `dendraxis retarget`");
    return clips;
}

Findings judge_sway(const SwayPlan& plan, const Chart& chart, std::span<const SwayedClip> swayed) {
    Findings findings;
    if (plan.chains.empty())
        findings.push_back({Severity::warning, "sway.no-chains", chart.character,
                            "no hair, tail, ear, cloth or strap was found that could sway",
                            "name chains and their bones under `sway` in its sheet"});
    for (const SwayedClip& one : swayed) {
        for (std::size_t c = 0; c < plan.chains.size(); ++c) {
            const SwayFigures& figures = one.chains[c];
            if (figures.deepest > k_deep * chart.height)
                findings.push_back(
                    {Severity::warning, "sway.in-body", plan.chains[c].name,
                     fmt::format("'{}': it is {:.1f} % of the height deeper in the body than at rest "
                                 "(frame {})",
                                 one.clip.name, 100.0f * figures.deepest / chart.height,
                                 figures.deepest_frame),
                     "raise its `frequency`, or `most_turn` if it cannot get out of the way"});
        }
        if (one.unclosed > k_unclosed)
            findings.push_back({Severity::note, "sway.loop-uneven", one.clip.name,
                                fmt::format("its chains swing differently from round to round, by {:.1f} "
                                            "degrees; this was spread over the loop",
                                            one.unclosed * k_degrees),
                                "raise their `damping` or `drag`"});
    }
    return findings;
}

Json sway_json(const SwayPlan& plan, const Chart& chart, std::span<const SwayedClip> swayed,
               const Findings& findings) {
    Json clips = Json::array();
    for (const SwayedClip& one : swayed) {
        Json chains = Json::object();
        for (std::size_t c = 0; c < plan.chains.size(); ++c) {
            const SwayFigures& figures = one.chains[c];
            chains[plan.chains[c].name] = {{"most_turned_deg", rounded(figures.most_turned * k_degrees)},
                                           {"frame", figures.frame},
                                           {"in_body_pct", rounded(100.0f * figures.deepest / chart.height)}};
        }
        clips.push_back({{"name", one.clip.name},
                         {"frames", one.clip.frame_count()},
                         {"loops", one.loops},
                         {"unclosed_deg", rounded(one.unclosed * k_degrees)},
                         {"chains", std::move(chains)}});
    }
    return {{"sway", io::sway_part(plan, chart.skeleton)},
            {"clips", std::move(clips)},
            {"findings", json_of(findings)}};
}

void print_sway(const SwayPlan& plan, std::span<const SwayedClip> swayed) {
    if (plan.chains.empty()) return;
    fmt::print("\n  {}\n", bold(fmt::format("{:<24} {:>5}  {:>10}  {:>7}  {:>7}  {:>9}", "chain", "bones",
                                            "frequency", "damping", "gravity", "most turn")));
    for (const SwayChain& chain : plan.chains)
        fmt::print("  {:<24} {:>5}  {:>7.2f} Hz  {:>7.2f}  {:>7.2f}  {:>5.0f} deg\n", chain.name,
                   chain.bones.size(), chain.frequency, chain.damping, chain.gravity,
                   chain.most_turn * k_degrees);
    fmt::print("\n  {}\n", bold(fmt::format("{:<24} {:>6}  {:<6} {}", "clip", "frames", "loop",
                                            "farthest from the animation")));
    for (const SwayedClip& one : swayed) {
        std::size_t most = 0;
        for (std::size_t c = 1; c < one.chains.size(); ++c) {
            if (one.chains[c].most_turned > one.chains[most].most_turned) most = c;
        }
        fmt::print("  {:<24} {:>6}  {:<6} {}: {:.1f} degrees (frame {})\n", one.clip.name,
                   one.clip.frame_count(), one.loops ? "yes" : "no", plan.chains[most].name,
                   one.chains[most].most_turned * k_degrees, one.chains[most].frame);
    }
}

// Each clip as animated and with the chains swaying, side by side.
void write_sway_page(const RagdollSwayArguments& arguments, const io::Rig& rig,
                     const std::vector<const Clip*>& clips, std::span<const SwayedClip> swayed,
                     const Findings& findings) {
    page::Page page{
        fmt::format("{}: secondary motion", rig.character.name),
        {{&rig.character, &rig.chart, "as animated", {}}, {&rig.character, &rig.chart, "swaying", {}}},
        {},
        nullptr,
        findings,
        "dendraxis ragdoll sway " + arguments.character.string()};
    for (std::size_t i = 0; i < clips.size(); ++i)
        page.clips.push_back({clips[i]->name, {clips[i], &swayed[i].clip}, {}});
    write_page(arguments.page, page);
}

int run_ragdoll_sway(const RagdollSwayArguments& arguments) {
    if (arguments.out.empty() && arguments.page.empty() && !arguments.json)
        throw UsageError("nothing to write: give -o OUT.glb, --page OUT.html or --json");
    const io::Rig rig = open_rig(arguments.character, arguments.sheet, arguments.height_metres);
    check_not_input(arguments.out, {arguments.character, arguments.sheet, rig.character.file});
    check_page(arguments.page, {arguments.character, arguments.sheet, rig.character.file, arguments.out});
    const std::vector<const Clip*> clips = clips_to_sway(rig.character, arguments.clips);
    const SwayPlan plan = io::sway_of(rig);
    const SwayBinding binding(plan, rig.chart, sway_settings(rig.chart));
    std::vector<SwayedClip> swayed;
    for (const Clip* clip : clips) swayed.push_back(sway_clip(binding, rig.chart, *clip));

    Findings findings = rig.character.findings;
    for (const Findings& more : {odd_size(rig.chart), judge_sway(plan, rig.chart, swayed)})
        findings.insert(findings.end(), more.begin(), more.end());
    if (!arguments.out.empty()) {
        std::vector<Clip> made;
        for (const SwayedClip& one : swayed) made.push_back(one.clip);
        const io::OutputFile file{arguments.out, io::glb_with_clips(rig.character, made)};
        io::write_files({&file, 1});
    }
    if (!arguments.page.empty()) write_sway_page(arguments, rig, clips, swayed, findings);
    if (arguments.json) {
        print_json(sway_json(plan, rig.chart, swayed, findings));
        return k_done;
    }
    if (!arguments.out.empty())
        fmt::print("wrote {}: {} clips, {} chains sway\n", arguments.out.string(), swayed.size(),
                   plan.chains.size());
    print_sway(plan, swayed);
    print_findings(findings);
    tell_of_page(arguments.page);
    return k_done;
}

void add_ragdoll_sway(CommandLine& line) {
    auto arguments = std::make_shared<RagdollSwayArguments>();
    CLI::App* c = line.add_to(
        "ragdoll", "sway", "Let hair, tails, ears, coat tails and straps swing while the clips play",
        "ragdoll sway hero.glb -o hero-sways.glb --page sway.html", arguments, run_ragdoll_sway);
    add_file(c, "CHARACTER", arguments->character, "the character's file, or its sheet");
    c->add_option("--sheet", arguments->sheet, "the sheet, where CHARACTER is a character's file")
        ->option_text("FILE");
    c->add_option("--clip", arguments->clips, "only this clip; may be given several times")
        ->allow_extra_args(false)
        ->option_text("NAME");
    add_height_option(c, arguments->height_metres);
    add_page_option(c, arguments->page, "write a page that plays each clip without and with swaying chains");
    c->add_option("-o,--out", arguments->out,
                  "the character with these clips in place of its own of the same names (.glb)")
        ->option_text("FILE");
}

const Registration k_ragdoll_sway(125, add_ragdoll_sway);

}  // namespace
}  // namespace dendraxis::tool
