#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/open_rig.hpp"
#include "../support/outputs.hpp"
#include "../support/page.hpp"
#include "../support/positions.hpp"
#include "../support/print.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/draw/picture.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/gltf/ground.hpp>
#include <dendraxis/io/sheet/ragdoll_sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/sim/drop.hpp>
#include <dendraxis/sim/fall_review.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace dendraxis::tool {
namespace {

struct RagdollDropArguments {
    fs::path character;
    fs::path sheet;
    std::string clip;
    int frame = 0;
    float seconds = 4.0f;
    float fps = 60.0f;
    float height = 0.0f;
    float height_metres = 0.0f;
    std::string speed_words;
    std::string push_words;
    std::vector<unsigned> seeds;
    std::string get_up;
    float get_up_seconds = 1.0f;
    fs::path terrain;
    std::string name = "drop";
    fs::path picture;
    fs::path page;
    fs::path out;
    bool gate = false;
    bool json = false;
};

Json figures_json(const std::vector<std::pair<std::string, double>>& figures,
                  std::span<const Measure> measures, const Findings& findings) {
    Json json = Json::object();
    for (const auto& [name, value] : figures) {
        if (std::isfinite(value))
            json[name] = std::round(value * 1e6) / 1e6;
        else
            json[name] = nullptr;
    }
    json["passed"] = sim::judge_fall("", measures).empty();
    json["measures"] = measures_json(measures);
    json["findings"] = json_of(findings);
    return json;
}

// Keeps the worst of several falls.
void keep_worst(std::vector<Measure>& worst, std::vector<Measure> measures) {
    if (worst.empty()) {
        worst = std::move(measures);
        return;
    }
    for (std::size_t i = 0; i < measures.size(); ++i) {
        if (worst[i].frame < 0 || measures[i].value > worst[i].value) worst[i] = std::move(measures[i]);
    }
}

constexpr std::size_t k_strip = 6;  // pictures of a fall
constexpr float k_slowest = 0.5f;   // rad/s: so fast joints get up even if all clips are still

sim::DropStart start_of(const Character& character, const RagdollDropArguments& arguments) {
    sim::DropStart start;
    if (arguments.clip.empty()) {
        start.pose = start.before = rest_pose(character.skeleton);
        return start;
    }
    const Clip& clip = character.clip(arguments.clip);
    const auto frame = static_cast<std::size_t>(arguments.frame);
    if (frame >= clip.frame_count())
        throw Error(character.file, fmt::format("the clip '{}' has no frame {}", clip.name, frame), "",
                    fmt::format("its frames are 0 to {}", clip.frame_count() - 1));
    const auto now = clip.frame(frame);
    const auto before = clip.frame(frame == 0 ? 0 : frame - 1);
    start.pose.assign(now.begin(), now.end());
    start.before.assign(before.begin(), before.end());
    start.step = 1.0f / clip.fps;
    return start;
}

sim::DropGround ground_of(const std::optional<Character>& terrain) {
    if (!terrain) return {};
    Surface surface = surface_of(*terrain);
    return {std::move(surface.positions), std::move(surface.triangles)};
}

// Close together at first, where most happens; half of them of getting up, where it does.
std::vector<std::size_t> frames_to_show(const sim::Drop& drop, const std::optional<GetUp>& up) {
    std::vector<std::size_t> frames;
    const std::size_t of_fall = up ? k_strip / 2 : k_strip;
    const std::size_t fell = up ? up->from : drop.clip.frame_count() - 1;
    for (std::size_t i = 0; i < of_fall; ++i) {
        const double share = static_cast<double>(i) / static_cast<double>(of_fall - 1);
        frames.push_back(
            static_cast<std::size_t>(std::lround(std::pow(share, 1.6) * static_cast<double>(fell))));
    }
    for (std::size_t i = 1; up && i + of_fall <= k_strip; ++i)
        frames.push_back(up->from + i * (up->to - up->from) / (k_strip - of_fall));
    return frames;
}

std::vector<std::uint8_t> strip(const io::Rig& rig, const sim::Drop& drop, const std::optional<GetUp>& up,
                                const Character* terrain) {
    std::vector<draw::Panel> panels;
    for (const std::size_t frame : frames_to_show(drop, up)) {
        const auto pose = drop.clip.frame(frame);
        draw::Panel panel{&rig.character,
                          &rig.chart,
                          {pose.begin(), pose.end()},
                          panels.empty() ? rig.character.name : "",
                          ""};
        panel.subtitle =
            fmt::format("{:.2f} s", static_cast<double>(frame) / static_cast<double>(drop.clip.fps));
        panel.terrain = terrain;
        panels.push_back(std::move(panel));
    }
    const float headroom = draw::headroom_for(panels);
    for (draw::Panel& panel : panels) panel.headroom = headroom;
    draw::PictureOptions options;
    options.columns = 3;
    return draw::draw_png(panels, options);
}

using Figures = std::vector<std::pair<std::string, double>>;

float share_of(std::vector<float> values, double share) {
    if (values.empty()) return 0.0f;
    const auto nth = static_cast<std::ptrdiff_t>(share * static_cast<double>(values.size() - 1));
    std::nth_element(values.begin(), values.begin() + nth, values.end());
    return values[static_cast<std::size_t>(nth)];
}

// The worst of all falls; `overshoots` of all joints, frames and falls.
Figures figures_of(const std::vector<sim::DropFigures>& drops, const std::vector<float>& overshoots) {
    const auto worst = [&](float sim::DropFigures::*part) {
        float most = 0.0f;
        for (const sim::DropFigures& one : drops) most = std::max(most, one.*part);
        return static_cast<double>(most);
    };
    std::vector<float> separations;
    for (const sim::DropFigures& one : drops) separations.push_back(one.separation);
    double settled = 0.0;
    double count = 0.0;
    for (const sim::DropFigures& one : drops) {
        if (!one.settled) continue;
        settled = std::max(settled, static_cast<double>(*one.settled));
        count += 1.0;
    }
    return {{"drops", static_cast<double>(drops.size())},
            {"settled", count},
            {"settled_after", count > 0 ? settled : std::numeric_limits<double>::quiet_NaN()},
            {"separation_mm", 1e3 * worst(&sim::DropFigures::separation)},
            {"separation_p95_of_drops_mm", 1e3 * static_cast<double>(share_of(separations, 0.95))},
            {"overshoot_degrees", worst(&sim::DropFigures::overshoot)},
            {"overshoot_p999_degrees", static_cast<double>(share_of(overshoots, 0.999))},
            {"overshoot_at_rest_degrees", worst(&sim::DropFigures::overshoot_at_rest)},
            {"penetration_mm", 1e3 * worst(&sim::DropFigures::penetration)},
            {"penetration_at_rest_mm", 1e3 * worst(&sim::DropFigures::penetration_at_rest)},
            {"energy_gained_joules", worst(&sim::DropFigures::energy_gained)}};
}

void print_figures(const Figures& figures) {
    for (auto [name, value] : figures) {
        std::replace(name.begin(), name.end(), '_', ' ');
        if (std::isfinite(value)) fmt::print("  {:<28} {:.6g}\n", name, std::round(value * 1e3) / 1e3);
    }
}

// Of the clip that is written, each with its gate and where it is worst.
void print_measures(std::span<const Measure> measures) {
    for (Measure measure : measures) {
        const float gate = sim::fall_gate(measure.name);
        std::replace(measure.name.begin(), measure.name.end(), '_', ' ');
        if (measure.frame < 0) continue;
        fmt::print("  {:<28} {:<9.3g} at most {:<6.3g} {}\n", measure.name, measure.value, gate,
                   dim(fmt::format("@{} {}", measure.frame, measure.where)));
    }
}

sim::DropOptions options_of(const RagdollDropArguments& arguments, const RagdollPlan& plan,
                            Findings& findings) {
    sim::DropOptions options;
    options.seconds = arguments.seconds;
    options.fps = arguments.fps;
    options.height = arguments.height;
    options.until_settled = arguments.seeds.size() > 1;
    if (!arguments.speed_words.empty())
        options.speed = Vec3(plain_position(arguments.speed_words, "--speed").data());
    if (arguments.push_words.empty()) return options;
    const NamedPosition push = named_position(arguments.push_words, "--push");
    const int body = plan.find(push.name);
    if (body < 0)
        throw UsageError("--push: there is no body '" + push.name + "'; see `dendraxis ragdoll build`");
    options.push = sim::Push{body, Vec3(push.position.data())};
    if (const auto finding = sim::clamp_push(*options.push, plan)) findings.push_back(*finding);
    return options;
}

void write_fall_page(const RagdollDropArguments& arguments, const io::Rig& rig, const RagdollPlan& plan,
                     const std::optional<Character>& terrain, const sim::Drop& drop,
                     const std::optional<GetUp>& up, const Findings& findings) {
    page::Actor actor{&rig.character, &rig.chart, "", page::outlines_of(plan, rig.chart)};
    actor.ragdoll = &plan;
    if (terrain) actor.outlines.push_back(page::terrain_outline(terrain->name, surface_of(*terrain)));
    ClipEvents events;
    if (const auto settled = drop.figures.settled)
        events[drop.clip.name] = {
            {"all bodies are still", *settled * drop.clip.fps, *settled * drop.clip.fps}};
    if (up)
        events[drop.clip.name].push_back(
            {"gets up", static_cast<float>(up->from), static_cast<float>(up->to)});
    write_character_page(arguments.page, actor, {&drop.clip, 1}, findings,
                         "dendraxis ragdoll drop " + arguments.character.string(), events);
}

int run_ragdoll_drop(const RagdollDropArguments& arguments) {
    if (arguments.out.empty() && arguments.picture.empty() && arguments.page.empty() && !arguments.json)
        throw UsageError("nothing to write: give -o OUT.glb, --picture OUT.png, --page OUT.html or --json");
    if (!arguments.picture.empty() && arguments.picture.extension() != ".png")
        throw UsageError(arguments.picture.string() + ": the picture must end in .png");
    const io::Rig rig = open_rig(arguments.character, arguments.sheet, arguments.height_metres);
    for (const fs::path& out : {arguments.out, arguments.picture})
        check_not_input(out, {arguments.character, arguments.sheet, rig.character.file, arguments.terrain});
    check_page(arguments.page, {arguments.character, arguments.sheet, rig.character.file, arguments.terrain});
    const RagdollPlan plan = io::ragdoll_of(rig);
    const RagdollBinding binding(plan, rig.chart);
    Findings findings = rig.character.findings;
    const Findings odd = odd_size(rig.chart);
    findings.insert(findings.end(), odd.begin(), odd.end());

    sim::DropOptions options = options_of(arguments, plan, findings);
    std::optional<Character> terrain;
    if (!arguments.terrain.empty()) terrain = io::load_terrain(arguments.terrain, rig.chart);
    const sim::DropGround ground = ground_of(terrain);
    const sim::DropStart start = start_of(rig.character, arguments);

    std::vector<sim::DropFigures> all;
    std::vector<Measure> measures;
    sim::Drop first;
    std::optional<GetUp> first_up;
    std::vector<float> overshoots;
    options.skin = skin_of_bodies(plan, rig.character, rig.chart);
    const Clip* up = arguments.get_up.empty() ? nullptr : &rig.character.clip(arguments.get_up);
    RagdollSettings settings;
    settings.fastest_recovery = std::max(k_slowest, fastest_turn(rig.character.clips));
    for (std::size_t i = 0; i < std::max<std::size_t>(1, arguments.seeds.size()); ++i) {
        if (!arguments.seeds.empty()) options.seed = arguments.seeds[i];
        sim::Drop drop = sim::run_drop(binding, rig.chart, start, options, ground);
        all.push_back(drop.figures);
        for (const std::vector<float>& frame : drop.overshoots)
            overshoots.insert(overshoots.end(), frame.begin(), frame.end());
        sim::BakedFall fall{&rig.character,           &rig.chart,          &binding, &drop.clip, start.pose,
                            ground.triangles.empty(), drop.figures.settled};
        if (up != nullptr) {
            fall.fastest = settings.fastest_recovery;
            fall.get_up =
                append_get_up(binding, *up, arguments.get_up_seconds, settings,
                              fall.is_level ? std::optional(rig.chart.floor) : std::nullopt, drop.clip);
        }
        keep_worst(measures, sim::fall_measures(fall));
        if (i == 0) {
            first = std::move(drop);
            first_up = fall.get_up;
        }
    }
    first.clip.name = arguments.name;
    const Findings judged = sim::judge_fall(rig.character.name, measures);
    findings.insert(findings.end(), judged.begin(), judged.end());
    std::vector<io::OutputFile> files;
    if (!arguments.out.empty())
        files.push_back({arguments.out, io::glb_with_clips(rig.character, {&first.clip, 1})});
    if (!arguments.picture.empty())
        files.push_back({arguments.picture, strip(rig, first, first_up, terrain ? &*terrain : nullptr)});
    io::write_files(files);
    if (!arguments.page.empty()) write_fall_page(arguments, rig, plan, terrain, first, first_up, findings);
    const Figures figures = figures_of(all, overshoots);
    const int status = arguments.gate && !judged.empty() ? k_gate_failed : k_done;
    if (arguments.json) {
        print_json(figures_json(figures, measures, findings));
        return status;
    }
    for (const io::OutputFile& file : files) fmt::print("wrote {}\n", file.path.string());
    print_figures(figures);
    print_measures(measures);
    print_findings(findings);
    tell_of_page(arguments.page);
    return status;
}

void add_ragdoll_drop(CommandLine& line) {
    auto arguments = std::make_shared<RagdollDropArguments>();
    CLI::App* c =
        line.add_to("ragdoll", "drop", "Let the ragdoll fall, bake the fall into a clip and tell how it held",
                    "ragdoll drop hero.glb --height 1.5 --seed 1 -o hero-falls.glb --picture fall.png",
                    arguments, run_ragdoll_drop);
    add_file(c, "CHARACTER", arguments->character, "the character's file, or its sheet");
    c->add_option("--sheet", arguments->sheet, "the sheet, where CHARACTER is a character's file")
        ->option_text("FILE");
    c->add_option("--clip", arguments->clip,
                  "start from this clip, at the speed it moves; default: the rest pose");
    c->add_option("--frame", arguments->frame, "in which frame of it, from 0")->check(CLI::NonNegativeNumber);
    c->add_option("--seconds", arguments->seconds, "how long to simulate")->capture_default_str();
    add_rate_option(c, arguments->fps, "the rate of the clip that is made; default: 60");
    c->add_option("--height", arguments->height, "metres to lift it by first")
        ->capture_default_str()
        ->check(CLI::Range(0.0f, 1000.0f));
    add_height_option(c, arguments->height_metres);
    c->add_option("--speed", arguments->speed_words,
                  "how fast it moves at first: m/s to its left, up, forward")
        ->option_text("X,Y,Z");
    c->add_option("--push", arguments->push_words,
                  "an impulse on a body: N s to the character's left, up, forward")
        ->option_text("BODY=X,Y,Z");
    c->add_option("--get-up", arguments->get_up, "then get up into this clip and play it")
        ->option_text("CLIP");
    c->add_option("--get-up-seconds", arguments->get_up_seconds,
                  "how long that takes; longer if a joint would turn faster than in any of the clips")
        ->capture_default_str()
        ->check(CLI::Range(0.0f, 60.0f));
    c->add_option(
         "--seed", arguments->seeds,
         "turn it at random, up to 6 rad/s and 5 m/s; several seeds: figures of all, clip of the first")
        ->option_text("N ...");
    c->add_option("--terrain", arguments->terrain, "what it falls onto (.glb); default: a level floor")
        ->option_text("FILE");
    c->add_option("--name", arguments->name, "the new clip's name")->capture_default_str();
    c->add_option("--picture", arguments->picture, "a strip of pictures of the fall (.png)")
        ->option_text("FILE");
    c->add_flag("--gate", arguments->gate, "exit with status 1 if a measure of the fall exceeds its gate");
    add_page_option(c, arguments->page, "write a page that plays the fall with the ragdoll's bodies");
    c->add_option("-o,--out", arguments->out, "the character with the new clip (.glb)")->option_text("FILE");
}

const Registration k_ragdoll_drop(120, add_ragdoll_drop);

}  // namespace
}  // namespace dendraxis::tool
