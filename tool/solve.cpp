#include "commands.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ik/solve_clip.hpp>
#include <dendraxis/io/gltf.hpp>
#include <dendraxis/io/ground.hpp>
#include <dendraxis/io/sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/skeleton/mend.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {
namespace {

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
                       residual.worst * 1e3f, residual.frame);
    }
    const std::size_t frames = solved.clip.frame_count();
    if (solved.mean_iterations > 0.0)
        fmt::print("  {:.1f} iterations a frame; all reached in {} of {} frames\n", solved.mean_iterations,
                   solved.frames_reached, frames);
    for (const SolvedClip::HeldBack& joint : solved.held_back)
        fmt::print("  {} stands at its limit in {} of {} frames\n", chart.skeleton.bone(joint.bone).label,
                   joint.frames, frames);
}

}  // namespace

int run_solve(const SolveArguments& arguments) {
    if (arguments.reach_words.empty() && arguments.aim_words.empty() && arguments.terrain.empty())
        throw UsageError("nothing to solve: give --reach, --aim or --terrain");
    const io::Rig rig = io::load_rig(arguments.character);
    check_not_input(arguments.out, {arguments.character, rig.character.file, arguments.terrain});
    const Chart& chart = rig.chart;
    Findings findings = rig.character.findings;
    const Clip start = start_of(rig.character, arguments.clip, findings);

    SolveTask task;
    for (const std::string& words : arguments.reach_words) {
        const NamedPlace reach = named_place(words, "--reach");
        Effector effector = effector_of(chart, reach.name);
        effector.target = position_in_model(chart, Vec3(reach.position.data()));
        task.effectors.push_back({reach.name, effector});
    }
    for (const std::string& words : arguments.aim_words) {
        const NamedPlace aim = named_place(words, "--aim");
        task.aims.push_back(
            {aim.name, aim_of(chart, aim.name), position_in_model(chart, Vec3(aim.position.data()))});
    }
    if (!arguments.terrain.empty()) {
        const TriangleGround ground = io::load_ground(arguments.terrain, chart.up);
        findings.insert(findings.end(), ground.findings().begin(), ground.findings().end());
        task.ground = ground;
    }
    task.options.hips_freedom = arguments.hips_freedom;
    task.options.ranges = !arguments.no_ranges;
    SolvedClip solved = solve_clip(chart, start, task);
    solved.clip.name = arguments.name.empty() ? start.name + "-solved" : arguments.name;

    const io::OutputFile file{arguments.out, io::glb_with_clips(rig.character, {&solved.clip, 1})};
    io::write_files({&file, 1});
    if (arguments.json) {
        fmt::print("{}", io::solved_json(chart, solved, findings));
        return k_done;
    }
    fmt::print("wrote {}: clip {}, {} frames\n", arguments.out.string(), solved.clip.name,
               solved.clip.frame_count());
    print_solved(chart, solved);
    print_findings(findings);
    return k_done;
}

}  // namespace dendraxis::tool
