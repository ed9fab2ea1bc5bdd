#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/open_rig.hpp"
#include "../support/outputs.hpp"
#include "../support/page.hpp"
#include "../support/positions.hpp"
#include "../support/print.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/ik/solve_clip.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/gltf/ground.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/skeleton/mend.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <dendraxis/skeleton/skin_surface.hpp>

#include <fmt/core.h>

#include <cmath>

namespace dendraxis::tool {
namespace {

constexpr float k_off_plane = 0.01f;  // of the height

struct SolveArguments {
    fs::path character;
    std::string clip;
    std::vector<std::string> reach_words;
    std::vector<std::string> aim_words;
    fs::path terrain;
    std::string with;
    float hips_freedom = 0.0f;
    bool no_ranges = false;
    float height_metres = 0.0f;
    std::string name;
    fs::path page;
    fs::path out;
    bool json = false;
};

Json solved_json(const Chart& chart, const SolvedClip& solved, const Findings& findings) {
    const float millimetres = 1e3f * metres_in_unit(chart);
    Json residuals = Json::array();
    for (const SolvedClip::Residual& residual : solved.residuals) {
        Json entry{{"name", residual.name}, {"frame", residual.frame}};
        if (residual.is_look)
            entry["worst_degrees"] = rounded(residual.worst * k_degrees);
        else
            entry["worst_mm"] = rounded(residual.worst * millimetres);
        residuals.push_back(entry);
    }
    Json held_back = Json::array();
    for (const SolvedClip::HeldBack& joint : solved.held_back)
        held_back.push_back({{"bone", bone_json(chart.skeleton, joint.bone)}, {"frames", joint.frames}});
    return {{"clip", solved.clip.name},
            {"frames", solved.clip.frame_count()},
            {"frames_reached", solved.frames_reached},
            {"mean_iterations", rounded(static_cast<float>(solved.mean_iterations))},
            {"residuals", residuals},
            {"held_back", held_back},
            {"findings", json_of(findings)}};
}

// The clip that was asked for, or the rest as a clip of one frame.
Clip start_of(const Character& character, const std::string& name, Findings& findings) {
    if (name.empty()) {
        Clip rest;
        rest.name = "rest";
        rest.bone_count = character.skeleton.size();
        rest.transforms = rest_pose(character.skeleton);
        return rest;
    }
    Clip clip = character.clip(name);
    const Findings mended = mend_clip(character.skeleton, clip);
    findings.insert(findings.end(), mended.begin(), mended.end());
    return clip;
}

void print_solved(const Chart& chart, const SolvedClip& solved) {
    for (const SolvedClip::Residual& residual : solved.residuals) {
        if (residual.is_look)
            fmt::print("  {:<14} looks past its target by {:.1f} degrees at most (frame {})\n", residual.name,
                       residual.worst * k_degrees, residual.frame);
        else
            fmt::print("  {:<14} {:.1f} mm from its target at most (frame {})\n", residual.name,
                       residual.worst * 1e3f * metres_in_unit(chart), residual.frame);
    }
    const std::size_t frames = solved.clip.frame_count();
    if (solved.mean_iterations > 0.0)
        fmt::print("  {:.1f} iterations a frame; all reached in {} of {} frames\n", solved.mean_iterations,
                   solved.frames_reached, frames);
    for (const SolvedClip::HeldBack& joint : solved.held_back)
        fmt::print("  {} stands at its limit in {} of {} frames\n", chart.skeleton.bone(joint.bone).label,
                   joint.frames, frames);
}

// What a clip that walks on the spot is taken to walk on.
Finding walks_on_slope(const Chart& chart, const Clip& clip, const GroundPoint& ground) {
    const float ahead = std::atan(-ground.normal.dot(chart.facing) / ground.normal.dot(chart.up)) * k_degrees;
    const float metres = metres_in_unit(chart) * moving_floor(chart, clip).norm();
    const std::string slope = std::abs(ahead) < 0.5f
                                  ? "the level ground"
                                  : fmt::format("the slope of {:.0f} degrees {}", std::abs(ahead),
                                                ahead > 0.0f ? "uphill" : "downhill");
    return {Severity::note, "solve.on-the-spot", clip.name,
            fmt::format("it walks on the spot: {} below its hips is taken to run under it at {:.2g} m/s",
                        slope, metres),
            "to walk over steps and edges, use a clip that goes over the floor"};
}

// The character before and after, with its targets and the terrain.
void write_solve_page(const SolveArguments& arguments, const io::Rig& rig, const SolveTask& task,
                      const Clip& start, const SolvedClip& solved, const Findings& findings) {
    std::vector<page::Outline> outlines;
    for (const NamedEffector& reach : task.effectors)
        outlines.push_back(page::target_outline(reach.name, reach.effector.target, rig.chart));
    for (const NamedAim& aim : task.aims)
        outlines.push_back(page::target_outline(aim.name, aim.target, rig.chart));
    if (!arguments.terrain.empty()) {
        const Surface surface = surface_of(io::load_terrain(arguments.terrain, rig.chart));
        outlines.push_back(page::terrain_outline(arguments.terrain.stem().string(), surface));
    }
    page::Page page{
        fmt::format("{}: {}", rig.character.name, solved.clip.name),
        {{&rig.character, &rig.chart, "before", outlines}, {&rig.character, &rig.chart, "after", outlines}},
        {{solved.clip.name, {&start, &solved.clip}, {}}},
        nullptr,
        findings,
        "dendraxis solve " + arguments.character.string()};
    write_page(arguments.page, page);
}

int run_solve(const SolveArguments& arguments) {
    if (arguments.reach_words.empty() && arguments.aim_words.empty() && arguments.terrain.empty())
        throw UsageError("nothing to solve: give --reach, --aim or --terrain");
    const io::Rig rig = open_rig(arguments.character, {}, arguments.height_metres);
    check_not_input(arguments.out, {arguments.character, rig.character.file, arguments.terrain});
    check_page(arguments.page, {arguments.character, rig.character.file, arguments.terrain, arguments.out});
    const Chart& chart = rig.chart;
    Findings findings = rig.character.findings;
    const Findings odd = odd_size(chart);
    findings.insert(findings.end(), odd.begin(), odd.end());
    const Clip start = start_of(rig.character, arguments.clip, findings);

    SolveTask task;
    for (const std::string& words : arguments.reach_words) {
        const NamedPosition reach = named_position(words, "--reach");
        Effector effector = effector_of(chart, reach.name);
        const Vec3 asked = position_in_model(chart, Vec3(reach.position.data()));
        effector.target = target_in_plane(chart, effector, asked);
        if ((effector.target - asked).norm() > k_off_plane * chart.height)
            findings.push_back(
                {Severity::note, "solve.off-plane", reach.name,
                 fmt::format("the character is flat, and the target {:.2f} m off its plane: it is "
                             "taken to be in the plane",
                             metres_in_unit(chart) * (effector.target - asked).norm()),
                 "give a target in the plane"});
        task.effectors.push_back({reach.name, effector});
    }
    for (const std::string& words : arguments.aim_words) {
        const NamedPosition aim = named_position(words, "--aim");
        task.aims.push_back(
            {aim.name, aim_of(chart, aim.name), position_in_model(chart, Vec3(aim.position.data()))});
    }
    if (!arguments.terrain.empty()) {
        const TriangleGround ground = io::load_ground(arguments.terrain, chart);
        findings.insert(findings.end(), ground.findings().begin(), ground.findings().end());
        task.ground = ground;
        if (const auto slope = slope_on_the_spot(chart, start, ground))
            findings.push_back(walks_on_slope(chart, start, *slope));
    }
    task.options.hips_freedom = arguments.hips_freedom;
    if (arguments.with == "limb") task.with = ReachWith::limb;
    if (arguments.with == "body") task.with = ReachWith::body;
    task.options.ranges = !arguments.no_ranges;
    SolvedClip solved = solve_clip(chart, start, task);
    solved.clip.name = arguments.name.empty() ? start.name + "-solved" : arguments.name;

    const io::OutputFile file{arguments.out, io::glb_with_clips(rig.character, {&solved.clip, 1})};
    io::write_files({&file, 1});
    if (!arguments.page.empty()) write_solve_page(arguments, rig, task, start, solved, findings);
    if (arguments.json) {
        print_json(solved_json(chart, solved, findings));
        return k_done;
    }
    fmt::print("wrote {}: clip {}, {} frames\n", arguments.out.string(), solved.clip.name,
               solved.clip.frame_count());
    print_solved(chart, solved);
    print_findings(findings);
    tell_of_page(arguments.page);
    return k_done;
}

void add_solve(CommandLine& line) {
    auto arguments = std::make_shared<SolveArguments>();
    CLI::App* c =
        line.add("solve", "Bring hands, feet and head to targets; look and point; walk over terrain",
                 "solve hero.glb --clip walk --terrain hill.glb --aim head=0,1.5,4 -o hero-on-hill.glb",
                 arguments, run_solve);
    add_file(c, "CHARACTER", arguments->character, "the character's file, or its sheet");
    c->add_option("--clip", arguments->clip, "the clip to start from; default: the rest pose")
        ->option_text("NAME");
    c->add_option(
         "--reach", arguments->reach_words,
         "bring a limb (arm.left), head, hips or bone to a position: metres to its left, up, forward; "
         "may be given several times")
        ->allow_extra_args(false)
        ->option_text("NAME=X,Y,Z");
    c->add_option("--aim", arguments->aim_words, "turn the head, spine or an arm toward a position")
        ->allow_extra_args(false)
        ->option_text("NAME=X,Y,Z");
    c->add_option("--terrain", arguments->terrain, "ground to walk on (.glb)")->option_text("FILE");
    c->add_option(
         "--with", arguments->with,
         "what may help a hand or foot: limb (nothing), upper-body (spine and shoulders; usual), body "
         "(the hips, too); near targets are reached by the limb alone")
        ->check(CLI::IsMember({"limb", "upper-body", "body"}))
        ->option_text("PART");
    c->add_option("--hips-freedom", arguments->hips_freedom,
                  "how easily the hips move, 0 to 1; if they move, the feet stay where they are")
        ->check(CLI::Range(0.0, 1.0))
        ->option_text("N");
    c->add_flag("--no-ranges", arguments->no_ranges, "let joints turn beyond their ranges");
    add_height_option(c, arguments->height_metres);
    c->add_option("--name", arguments->name,
                  "the name of the new clip; default: the clip's name with -solved")
        ->option_text("NAME");
    add_page_option(c, arguments->page,
                    "write a page that plays the clip before and after, with targets and terrain");
    add_file(c, "-o,--out", arguments->out, "the character with the new clip (.glb)");
}

const Registration k_solve(90, add_solve);

}  // namespace
}  // namespace dendraxis::tool
