#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/open_rig.hpp"
#include "../support/outputs.hpp"
#include "../support/print.hpp"

#include <io/sheet/sheet_parts.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/physics/gltf_physics.hpp>
#include <dendraxis/io/sheet/ragdoll_sheet.hpp>
#include <dendraxis/io/sheet/sway_sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/ragdoll/check.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {
namespace {

/// `ragdoll build`, `check` and `export`.
struct RagdollArguments {
    fs::path character;
    fs::path sheet;
    fs::path learn;
    float height_metres = 0.0f;
    std::string mirror;  // `left`, `right` or empty
    bool rebuild = false;
    fs::path out;
    bool json = false;
};

Json ragdoll_report(const RagdollPlan& plan, const Chart& chart, const Findings& findings) {
    float mass = 0.0f;
    for (const RagdollBody& body : plan.bodies) mass += body.mass;
    return {{"mass", rounded(mass)},
            {"ragdoll", io::ragdoll_part(plan, chart.skeleton)},
            {"findings", json_of(findings)}};
}

constexpr float k_joint_margin = 5.0f / k_degrees;

io::Rig rig_of(const RagdollArguments& arguments) {
    return open_rig(arguments.character, arguments.sheet, arguments.height_metres);
}

RagdollOptions options_of(const RagdollArguments& arguments, const io::Rig& rig) {
    RagdollOptions options;
    if (arguments.learn.empty()) return options;
    const Character teacher = io::load_character(arguments.learn);
    if (teacher.clips.empty())
        throw Error(arguments.learn.string(), "holds no clips to learn ranges from", "",
                    "name a file that has clips");
    if (teacher.skeleton.size() != rig.character.skeleton.size())
        throw Error(arguments.learn.string(), "has another skeleton than the character", "",
                    "retarget its clips to the character first");
    options.ranges = learned_ranges(rig.chart, teacher.clips, k_joint_margin);
    return options;
}

void print_plan(const RagdollPlan& plan, const Chart& chart) {
    float mass = 0.0f;
    for (const RagdollBody& body : plan.bodies) mass += body.mass;
    fmt::print("{} bodies, {:.1f} kg\n\n", plan.bodies.size(), mass);
    fmt::print("  {}\n", bold(fmt::format("{:<18} {:<8} {:>22}  {:>8}  {:<18} {}", "body", "shape", "size, m",
                                          "mass, kg", "linked to", "bones that move with it")));
    for (std::size_t i = 0; i < plan.bodies.size(); ++i) {
        const RagdollBody& body = plan.bodies[i];
        const Vec3 size = 2.0f * body.shape.half;
        const int joint = plan.joint_of(static_cast<int>(i));
        const std::string above =
            joint < 0
                ? "-"
                : plan.bodies[static_cast<std::size_t>(plan.joints[static_cast<std::size_t>(joint)].above)]
                      .name;
        std::string also;
        for (const int bone : body.also) also += (also.empty() ? "" : ", ") + chart.skeleton.bone(bone).label;
        if (also.size() > 60) also = also.substr(0, 48) + fmt::format("... ({} in all)", body.also.size());
        fmt::print("  {:<18} {:<8} {:>6.3f} x {:>5.3f} x {:>5.3f}  {:>8.2f}  {:<18} {}\n", body.name,
                   to_string(body.shape.kind), size.x(), size.y(), size.z(), body.mass, above, also);
    }
    for (const auto& [name, bodies] : plan.profiles)
        fmt::print("\n  profile {}: {} bodies are let go", name, bodies.size());
    fmt::print("\n");
}

void print_swaying(const SwayPlan& sway) {
    std::string names;
    for (const SwayChain& chain : sway.chains) names += (names.empty() ? "" : ", ") + chain.name;
    if (!names.empty()) fmt::print("  swaying chains: {}\n", names);
}

// Bodies for what is no body would be a guess at every joint.
void check_has_body(const io::Rig& rig) {
    if (rig.chart.hips != k_no_bone) return;
    throw Error(rig.character.file, "has no hips, the bone that carries the body", "",
                "if it has a body, set the hips and the chains in a sheet (`dendraxis chart FILE -o SHEET`) "
                "and name that");
}

int run_ragdoll_build(const RagdollArguments& arguments) {
    const io::Rig rig = rig_of(arguments);
    check_has_body(rig);
    std::optional<RagdollPlan> kept;
    if (!arguments.rebuild) kept = io::read_ragdoll(rig);
    RagdollPlan plan;
    if (kept && arguments.learn.empty()) {
        plan = *std::move(kept);
    } else if (kept) {
        plan = *std::move(kept);
        for (RagdollJoint& joint : plan.joints) joint.range.about.setZero();
        complete_ragdoll(plan, rig.character, rig.chart, options_of(arguments, rig));
    } else {
        plan = build_ragdoll(rig.character, rig.chart, options_of(arguments, rig));
    }
    int mirrored = 0;
    if (!arguments.mirror.empty()) mirrored = mirror_ragdoll(plan, rig.chart, arguments.mirror);
    std::optional<SwayPlan> sway;
    if (!arguments.rebuild) sway = io::read_sway(rig);
    if (!sway) sway = plan_sway(rig.character, rig.chart);
    Findings findings = check_ragdoll(plan, rig.chart);
    const Findings odd = odd_size(rig.chart);
    findings.insert(findings.end(), odd.begin(), odd.end());
    if (!arguments.out.empty()) {
        check_sheet_place(arguments.out, rig.character.file);
        io::RigSheet sheet = rig.sheet;
        io::set_ragdoll(sheet, plan, rig.chart.skeleton);
        io::set_sway(sheet, *sway, rig.chart.skeleton);
        io::write_text(arguments.out,
                       io::sheet_json(rig.chart, fs::absolute(arguments.out).parent_path(), sheet));
    }
    if (arguments.json) {
        Json report = ragdoll_report(plan, rig.chart, findings);
        report["sway"] = io::sway_part(*sway, rig.chart.skeleton);
        print_json(report);
        return k_done;
    }
    fmt::print("{}: ", bold(rig.character.name));
    print_plan(plan, rig.chart);
    print_swaying(*sway);
    if (mirrored > 0) fmt::print("  {} bodies taken over from the {}\n", mirrored, arguments.mirror);
    print_findings(findings);
    if (!arguments.out.empty()) fmt::print("\nwrote {}\n", arguments.out.string());
    return k_done;
}

int run_ragdoll_check(const RagdollArguments& arguments) {
    const io::Rig rig = rig_of(arguments);
    const RagdollPlan plan = io::ragdoll_of(rig);
    const Findings findings = check_ragdoll(plan, rig.chart);
    bool wrong = false;
    for (const Finding& finding : findings) wrong = wrong || finding.severity != Severity::note;
    if (arguments.json) {
        print_json(ragdoll_report(plan, rig.chart, findings));
    } else {
        fmt::print("{}: {} bodies, {} joints, {}\n", bold(rig.character.name), plan.bodies.size(),
                   plan.joints.size(),
                   findings.empty() ? "nothing found" : fmt::format("{} findings", findings.size()));
        print_findings(findings);
    }
    return wrong ? k_gate_failed : k_done;
}

int run_ragdoll_export(const RagdollArguments& arguments) {
    const io::Rig rig = rig_of(arguments);
    const RagdollPlan plan = io::ragdoll_of(rig);
    check_not_input(arguments.out, {arguments.character, rig.character.file, arguments.sheet});
    const io::OutputFile file{arguments.out, io::glb_with_ragdoll(rig.character, rig.chart, plan)};
    io::write_files({&file, 1});
    if (arguments.json) {
        print_json(ragdoll_report(plan, rig.chart, {}));
    } else {
        fmt::print("wrote {}: {} bodies, {} joints\n", arguments.out.string(), plan.bodies.size(),
                   plan.joints.size());
    }
    return k_done;
}

void add_ragdoll(CommandLine& line) {
    line.add_group("ragdoll", "Plan a ragdoll, check it, let it fall, hand it on");
    auto arguments = std::make_shared<RagdollArguments>();
    const auto add = [&](const char* name, const char* what, const char* example,
                         int (*run)(const RagdollArguments&)) {
        CLI::App* command = line.add_to("ragdoll", name, what, example, arguments, run);
        add_file(command, "CHARACTER", arguments->character, "the character's file, or its sheet");
        command->add_option("--sheet", arguments->sheet, "the sheet, where CHARACTER is a character's file")
            ->option_text("FILE");
        return command;
    };
    CLI::App* c = add("build", "Fit bodies, masses, joints and swaying chains; write them into the rig sheet",
                      "ragdoll build hero.glb -o hero.rig.json", run_ragdoll_build);
    c->add_option("--learn", arguments->learn, "take the joints' ranges from the clips of this file")
        ->option_text("FILE");
    c->add_option("--mirror", arguments->mirror, "take this side over to the other")
        ->check(CLI::IsMember({"left", "right"}));
    add_height_option(c, arguments->height_metres);
    c->add_flag("--rebuild", arguments->rebuild,
                "discard the ragdoll and the swaying chains in the sheet and build new ones");
    c->add_option("-o,--out", arguments->out, "the sheet to write (.rig.json)")->option_text("FILE");
    add("check", "Report what is wrong with a ragdoll; exit status 1 if anything is",
        "ragdoll check hero.rig.json", run_ragdoll_check);
    c = add("export", "Write the character with its ragdoll as glTF rigid bodies",
            "ragdoll export hero.rig.json -o hero-physics.glb", run_ragdoll_export);
    add_file(c, "-o,--out", arguments->out, "the file to write (.glb)");
}

const Registration k_ragdoll(110, add_ragdoll);

}  // namespace
}  // namespace dendraxis::tool
