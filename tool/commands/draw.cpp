#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/outputs.hpp"
#include "../support/positions.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/chart/explain.hpp>
#include <dendraxis/chart/survey.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/draw/picture.hpp>
#include <dendraxis/ik/body_setup.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/gltf/ground.hpp>
#include <dendraxis/io/sheet/ragdoll_sheet.hpp>
#include <dendraxis/io/sheet/socket_sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/ragdoll/check.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/core.h>

#include <optional>

namespace dendraxis::tool {
namespace {

struct DrawArguments {
    fs::path character;
    fs::path terrain;
    std::vector<std::string> target_words;
    bool ranges = false;
    std::vector<fs::path> beside;
    std::string clip;
    std::vector<int> frames;
    bool chart = false;
    int readings = 0;  // how many; 0: none
    bool ragdoll = false;
    bool sockets = false;
    std::string view = "quarter";
    fs::path out;
    bool json = false;
};

Json picture_json(const std::string& file, int width, int height, std::size_t panels) {
    return {{"file", file}, {"width", width}, {"height", height}, {"panels", panels}};
}

draw::View view_named(const std::string& name) {
    if (name == "front") return draw::View::front;
    if (name == "side") return draw::View::side;
    if (name == "back") return draw::View::back;
    return draw::View::quarter;
}

draw::Panel make_panel(const io::Rig& rig, const std::string& clip_name, int frame) {
    draw::Panel panel{&rig.character, &rig.chart, rest_pose(rig.character.skeleton), rig.character.name, ""};
    panel.subtitle = fmt::format("{:.2f} m, {} bones, at rest", rig.chart.height * metres_in_unit(rig.chart),
                                 rig.character.skeleton.size());
    if (clip_name.empty()) return panel;
    const Clip& clip = rig.character.clip(clip_name);
    if (frame >= static_cast<int>(clip.frame_count())) {
        throw Error(rig.character.file, fmt::format("the clip '{}' has no frame {}", clip_name, frame), "",
                    fmt::format("its frames are 0 to {}", clip.frame_count() - 1));
    }
    const auto pose = clip.frame(static_cast<std::size_t>(frame));
    panel.pose.assign(pose.begin(), pose.end());
    panel.subtitle = fmt::format("{}, frame {}", clip_name, frame);
    panel.floor = floor_of(rig.chart, clip_name);
    panel.props = props_at(rig.character, clip_name, static_cast<std::size_t>(frame));
    return panel;
}

draw::Panel reading_panel(const io::Rig& rig, const ScoredChart& reading) {
    draw::Panel panel{&rig.character, &reading.chart, rest_pose(rig.character.skeleton),
                      fmt::format("score {:.1f}", reading.score), ""};
    panel.subtitle =
        fmt::format("{} up, facing {}", axis_name(reading.chart.up), axis_name(reading.chart.facing));
    panel.view = draw::View::quarter;
    panel.chart_labels = true;
    return panel;
}

void show_ragdoll(draw::Panel& panel, const RagdollPlan& plan) {
    panel.ragdoll = &plan;
    const Findings findings = check_ragdoll(plan, *panel.chart);
    for (const Finding& finding : findings) panel.marked_bodies.push_back(finding.where);
    panel.subtitle += fmt::format(", {} bodies, {} findings", plan.bodies.size(), findings.size());
}

void show_sockets(draw::Panel& panel, const io::Rig& rig) {
    Findings findings;
    const SocketBinding sockets(io::sockets_of(rig, findings), rig.chart);
    std::vector<Transform> model(rig.chart.skeleton.size());
    to_model_space(rig.chart.skeleton, panel.pose, model);
    for (std::size_t i = 0; i < sockets.sockets().size(); ++i)
        panel.sockets.push_back({sockets.sockets()[i].name, sockets.frame(i, model)});
}

void add_marks(draw::Panel& panel, const std::vector<std::string>& target_words) {
    const Chart& chart = *panel.chart;
    std::vector<Transform> model(chart.skeleton.size());
    to_model_space(chart.skeleton, panel.pose, model);
    for (const std::string& words : target_words) {
        const NamedPosition target = named_position(words, "--target");
        const Effector effector = effector_of(chart, target.name);
        const Transform& bone = model[static_cast<std::size_t>(effector.bone)];
        panel.marks.push_back({target.name,
                               apply(Transform{bone.rotation, bone.translation}, effector.offset),
                               position_in_model(chart, Vec3(target.position.data()))});
    }
}

int run_draw(const DrawArguments& arguments) {
    if (arguments.out.extension() != ".png")
        throw UsageError(arguments.out.string() + ": the output must end in .png");
    if (!arguments.frames.empty() && arguments.clip.empty())
        throw UsageError("draw: --frame needs --clip NAME");
    std::vector<io::Rig> rigs{io::load_rig(arguments.character)};
    std::vector<fs::path> files{arguments.character};
    files.insert(files.end(), arguments.beside.begin(), arguments.beside.end());
    for (const fs::path& file : arguments.beside) rigs.push_back(io::load_rig(file));
    const std::vector<int> frames = arguments.frames.empty() ? std::vector{0} : arguments.frames;

    // One frame: the characters beside each other. Several: a column a frame, a row a character. A chart:
    // from the front and from the side.
    std::vector<Character> terrains;
    for (const io::Rig& rig : rigs) {
        if (!arguments.terrain.empty()) terrains.push_back(io::load_terrain(arguments.terrain, rig.chart));
    }
    std::vector<draw::Panel> panels;
    draw::PictureOptions options;
    std::vector<RagdollPlan> ragdolls;
    if (arguments.ragdoll) {
        for (const io::Rig& rig : rigs) ragdolls.push_back(io::ragdoll_of(rig));
    }
    std::vector<ScoredChart> readings;
    if (arguments.readings > 0) {
        readings = best_charts(rigs[0].character, static_cast<std::size_t>(arguments.readings));
        if (readings.empty())
            throw Error(rigs[0].character.file, "has no body to read", "",
                        "see what `dendraxis survey` lists");
        for (const ScoredChart& reading : readings) panels.push_back(reading_panel(rigs[0], reading));
        options.columns = panels.size() > 3 ? static_cast<int>(panels.size() + 1) / 2 : 0;
    }
    for (std::size_t r = 0; r < rigs.size() && readings.empty(); ++r) {
        const io::Rig& rig = rigs[r];
        for (const int frame : frames) {
            panels.push_back(make_panel(rig, arguments.clip, frame));
            panels.back().view = view_named(arguments.view);
            panels.back().ranges = arguments.ranges;
            panels.back().terrain = terrains.empty() ? nullptr : &terrains[r];
            if (arguments.ragdoll) show_ragdoll(panels.back(), ragdolls[r]);
            if (arguments.sockets) show_sockets(panels.back(), rig);
            add_marks(panels.back(), arguments.target_words);
            if (!arguments.chart) continue;
            panels.back().view = draw::View::front;
            panels.back().chart_labels = true;
            panels.push_back(panels.back());
            panels.back().view = draw::View::side;
        }
    }
    if (readings.empty() && (frames.size() > 1 || (arguments.chart && rigs.size() > 1)))
        options.columns = static_cast<int>(panels.size() / rigs.size());
    std::vector<fs::path> inputs = files;
    inputs.push_back(arguments.terrain);
    for (const io::Rig& rig : rigs) inputs.emplace_back(rig.character.file);
    check_not_input(arguments.out, inputs);
    const io::OutputFile file{arguments.out, draw::draw_png(panels, options)};
    io::write_files({&file, 1});
    if (arguments.json) {
        print_json(
            picture_json(arguments.out.generic_string(), options.width, options.height, panels.size()));
    } else {
        fmt::print("wrote {}\n", arguments.out.string());
    }
    return k_done;
}

void add_draw(CommandLine& line) {
    auto arguments = std::make_shared<DrawArguments>();
    CLI::App* c =
        line.add("draw", "Draw a picture of a character, or of several side by side",
                 "draw hero.glb --beside villain-moving.glb --clip walk --frame 3 11 19 -o walk.png",
                 arguments, run_draw);
    add_file(c, "CHARACTER", arguments->character, "the character's file, or its sheet");
    c->add_option("--beside", arguments->beside,
                  "another character, drawn to the same scale; may be given several times")
        ->option_text("FILE");
    c->add_option("--clip", arguments->clip, "the clip to show; default: the rest pose");
    c->add_option("--frame", arguments->frames, "which frames of it, from 0; several make a column each")
        ->check(CLI::NonNegativeNumber);
    c->add_flag("--chart", arguments->chart,
                "front and side view with the chains named, and how sure each is");
    c->add_option("--readings", arguments->readings,
                  "the so many best ways to read its bones, with their scores")
        ->option_text("N")
        ->check(CLI::Range(1, 9));
    c->add_flag("--ragdoll", arguments->ragdoll,
                "the bodies of its ragdoll: those of its sheet, else as `ragdoll build` makes them");
    c->add_flag("--sockets", arguments->sockets,
                "the sockets of its sheet, else the suggested ones: red X, green Y, blue Z");
    c->add_flag("--ranges", arguments->ranges, "a cone at each limb's joints: how far they may swing");
    c->add_option("--target", arguments->target_words,
                  "mark where a limb, head or bone is and where it is to be; may be given several times")
        ->allow_extra_args(false)
        ->option_text("NAME=X,Y,Z");
    c->add_option("--terrain", arguments->terrain, "the ground that it stands on (.glb)")
        ->option_text("FILE");
    c->add_option("--view", arguments->view, "from where")
        ->check(CLI::IsMember({"front", "quarter", "side", "back"}))
        ->capture_default_str();
    add_file(c, "-o,--out", arguments->out, "the picture, 1280 by 800 pixels (.png)");
}

const Registration k_draw(100, add_draw);

}  // namespace
}  // namespace dendraxis::tool
