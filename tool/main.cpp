// The command line: arguments in, exit status out.
#include "command_line.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/version.hpp>

#include <fmt/core.h>

#include <algorithm>

namespace dendraxis::tool {

int run_command_line(int count, const char* const* words) {
    CLI::App app(
        "Carries animation from one character to another. A character is a .glb or .gltf file;\n"
        "a rig sheet (.rig.json) that `chart -o` wrote may stand for it.",
        "dendraxis");
    app.set_version_flag("--version", fmt::format("dendraxis {}", dendraxis::k_version));
    app.require_subcommand(1);
    app.footer(
        "First steps:\n"
        "  dendraxis demo                                       the whole example\n"
        "  dendraxis survey HERO.glb                            what is in your file\n"
        "  dendraxis retarget --source A.glb --target B.glb -o C.glb\n"
        "Exit status: 0 done, 1 a check failed, 2 wrong usage, 3 bad input.");
    std::function<int()> chosen;

    SurveyArguments survey;
    auto* c = add_command(app, "survey", "Tell what a character file holds and what in it will trip you up",
                          "survey hero.glb", survey.json, chosen, [&] { return run_survey(survey); });
    c->add_option("CHARACTER", survey.character, "the character's file")
        ->option_text("FILE REQUIRED")
        ->required();

    CompareArguments compare;
    c = add_command(app, "compare", "Tell whether two skeletons are the same, and which bones differ",
                    "compare old.glb new.glb", compare.json, chosen, [&] { return run_compare(compare); });
    c->add_option("A", compare.a, "one character's file")->option_text("FILE REQUIRED")->required();
    c->add_option("B", compare.b, "the other's")->option_text("FILE REQUIRED")->required();

    RebindArguments rebind;
    c = add_command(app, "rebind", "Put the surface of one file on the skeleton and clips of another",
                    "rebind new-coat.glb --onto hero.glb -o hero-in-new-coat.glb", rebind.json, chosen,
                    [&] { return run_rebind(rebind); });
    c->add_option("VISUAL", rebind.visual, "the file with the skinned surface")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("--onto", rebind.onto, "the character whose bones and clips it gets")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("-o,--out", rebind.out, "the result (.glb)")->option_text("FILE REQUIRED")->required();

    ChartArguments chart;
    c = add_command(app, "chart", "Find the bone chains: spine, arms, legs, fingers …",
                    "chart hero.glb -o hero.rig.json", chart.json, chosen, [&] { return run_chart(chart); });
    c->add_option("CHARACTER", chart.character, "the character's file, or its sheet")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("--sheet", chart.sheet,
                  "take over what was decided in this sheet, of a character with the same skeleton")
        ->option_text("FILE");
    c->add_option(
         "--ranges", chart.ranges,
         "put joint ranges into the sheet: usual ones, or learned from the file's clips and 10 degrees more")
        ->check(CLI::IsMember({"usual", "learned"}));
    c->add_option("--explain", chart.explain,
                  "tell what speaks for and against the role of this bone, and which role comes next")
        ->option_text("BONE");
    c->add_option("-o,--out", chart.out, "write the rig sheet here; edit it where the chart is wrong");

    PairArguments pair;
    c = add_command(app, "pair", "Tell which chain of one character answers to which of another",
                    "pair hero.glb villain.glb -o hero-to-villain.pair.json", pair.json, chosen,
                    [&] { return run_pair(pair); });
    c->add_option("SOURCE", pair.source, "the character that has the motion")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("TARGET", pair.target, "the character that is to have it")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("-o,--out", pair.out,
                  "write the pairing here; edit it to leave chains out or pair them otherwise");

    RetargetArguments retarget;
    c = add_command(app, "retarget", "Carry clips from one character to another",
                    "retarget --source hero.glb --target villain.glb --clip walk -o villain-moving.glb",
                    retarget.json, chosen, [&] { return run_retarget(retarget); });
    c->add_option("--source", retarget.source, "the character whose clips are carried over")
        ->option_text("FILE");
    c->add_option("--motion", retarget.motions,
                  "a file with clips (.glb, .gltf, .bvh) or a folder of them; may be given several times")
        ->allow_extra_args(false)
        ->option_text("FILE");
    c->add_option("--target", retarget.target, "the character that gets them")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("--pairing", retarget.pairing, "a pairing that `pair -o` wrote; found anew where not given")
        ->option_text("FILE");
    c->add_option("--clip", retarget.clips, "only this clip; may be given several times")
        ->allow_extra_args(false)
        ->option_text("NAME");
    c->add_option("-o,--out", retarget.out, "one GLB: the target with all the clips")->option_text("FILE");
    c->add_option("--out-dir", retarget.out_dir, "a folder: one GLB a clip, named after it")
        ->option_text("DIR");
    c->add_option("--prefix", retarget.prefix, "put before each clip's name")->option_text("TEXT");
    c->add_option("--suffix", retarget.suffix, "put behind each clip's name")->option_text("TEXT");
    c->add_option("--jobs", retarget.jobs, "threads; where not given, one a core")
        ->check(CLI::Range(1, 256))
        ->option_text("N");
    c->add_option("--fps", retarget.fps,
                  "frames a second; where not given, the rate of the source's own keys")
        ->check(CLI::Range(1.0, 1000.0));

    ReviewArguments review;
    c = add_command(app, "review",
                    "Measure a result against its source: feet, reach, clipping, pops, root motion",
                    "review --source hero.glb --result villain-moving.glb --gate", review.json, chosen,
                    [&] { return run_review(review); });
    c->add_option("--source", review.source, "the character whose clips were carried over")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("--result", review.result, "the file that `retarget` wrote")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("--target", review.target, "the target's rig sheet, where it has one")->option_text("FILE");
    c->add_option("--pairing", review.pairing, "the pairing that was used; its gates count")
        ->option_text("FILE");
    c->add_option("--clip", review.clips, "only this clip of the source; may be given several times")
        ->allow_extra_args(false)
        ->option_text("NAME");
    c->add_option("--prefix", review.prefix, "what `retarget` put before each clip's name")
        ->option_text("TEXT");
    c->add_option("--suffix", review.suffix, "what `retarget` put behind each clip's name")
        ->option_text("TEXT");
    c->add_flag("--gate", review.gate, "exit with status 1 where a measure is over its gate");

    ConvertArguments convert;
    c = add_command(app, "convert", "Turn .bvh into .glb, or a clip of a .glb into .bvh",
                    "convert walk.bvh walk.glb", convert.json, chosen, [&] { return run_convert(convert); });
    c->add_option("IN", convert.in, "a .bvh, .glb or .gltf file")->option_text("FILE REQUIRED")->required();
    c->add_option("OUT", convert.out, "the result (.glb or .bvh)")->option_text("FILE REQUIRED")->required();
    c->add_option("--clip", convert.clip, "this clip; a .bvh file holds one")->option_text("NAME");
    c->add_option("--fps", convert.fps, "frames a second; where not given, the file's own")->option_text("N");

    SolveArguments solve;
    c = add_command(app, "solve", "Bring hands, feet, head to places; look and point; walk over terrain",
                    "solve hero.glb --clip walk --terrain hill.glb --aim head=0,1.5,4 -o hero-on-hill.glb",
                    solve.json, chosen, [&] { return run_solve(solve); });
    c->add_option("CHARACTER", solve.character, "the character's file, or its sheet")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("--clip", solve.clip, "the clip to start from; the rest pose where not given")
        ->option_text("NAME");
    c->add_option("--reach", solve.reach_words,
                  "bring a limb (arm.left), head, hips or bone to a place: metres to its left, up, forward; "
                  "may be given several times")
        ->allow_extra_args(false)
        ->option_text("NAME=X,Y,Z");
    c->add_option("--aim", solve.aim_words, "turn head, spine or an arm toward a place")
        ->allow_extra_args(false)
        ->option_text("NAME=X,Y,Z");
    c->add_option("--terrain", solve.terrain, "ground to walk on (.glb)")->option_text("FILE");
    c->add_option("--hips-freedom", solve.hips_freedom,
                  "how easily the hips move, 0 to 1; feet are held where it does")
        ->check(CLI::Range(0.0, 1.0))
        ->option_text("N");
    c->add_flag("--no-ranges", solve.no_ranges, "let joints turn beyond their ranges");
    c->add_option("--name", solve.name, "the new clip's name; where not given, the clip's with -solved")
        ->option_text("NAME");
    c->add_option("-o,--out", solve.out, "the character with the new clip (.glb)")
        ->option_text("FILE REQUIRED")
        ->required();

    DrawArguments draw;
    c = add_command(app, "draw", "Draw a picture of a character, or of two side by side",
                    "draw hero.glb --beside villain-moving.glb --clip walk --frame 3 11 19 -o walk.png",
                    draw.json, chosen, [&] { return run_draw(draw); });
    c->add_option("CHARACTER", draw.character, "the character's file, or its sheet")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("--beside", draw.beside, "another character, drawn to the same scale")->option_text("FILE");
    c->add_option("--clip", draw.clip, "the clip to show; the rest pose where not given");
    c->add_option("--frame", draw.frames, "which frames of it, from 0; several make a column each")
        ->check(CLI::NonNegativeNumber);
    c->add_flag("--chart", draw.chart, "front and side view with the chains named, and how sure each is");
    c->add_option("--readings", draw.readings, "the so many best ways to read its bones, with their scores")
        ->option_text("N")
        ->check(CLI::Range(1, 9));
    c->add_flag("--ragdoll", draw.ragdoll,
                "the bodies of its ragdoll: those of its sheet, else as `ragdoll build` makes them");
    c->add_flag("--sockets", draw.sockets,
                "the sockets of its sheet, else the suggested ones: red X, green Y, blue Z");
    c->add_flag("--ranges", draw.ranges, "a cone at each limb's joints: how far they may swing");
    c->add_option("--target", draw.target_words,
                  "mark where a limb, head or bone is and where it is to be; may be given several times")
        ->allow_extra_args(false)
        ->option_text("NAME=X,Y,Z");
    c->add_option("--terrain", draw.terrain, "the ground that it stands on (.glb)")->option_text("FILE");
    c->add_option("--view", draw.view, "from where")
        ->check(CLI::IsMember({"front", "quarter", "side", "back"}))
        ->capture_default_str();
    c->add_option("-o,--out", draw.out, "the picture, 1280 by 800 pixels (.png)")
        ->option_text("FILE REQUIRED")
        ->required();

    CLI::App* ragdoll = app.add_subcommand("ragdoll", "Plan a ragdoll, check it, let it fall, hand it on");
    ragdoll->require_subcommand(1);
    RagdollArguments plan;
    const auto ragdoll_command = [&](const char* name, const char* what, const char* example,
                                     std::function<int()> run) {
        CLI::App* command = add_command(*ragdoll, name, what, example, plan.json, chosen, std::move(run));
        command->add_option("CHARACTER", plan.character, "the character's file, or its sheet")
            ->option_text("FILE REQUIRED")
            ->required();
        command->add_option("--sheet", plan.sheet, "the sheet, where CHARACTER is a character's file")
            ->option_text("FILE");
        return command;
    };
    c = ragdoll_command("build", "Fit bodies, masses and joints; write them into the rig sheet",
                        "ragdoll build hero.glb -o hero.rig.json", [&] { return run_ragdoll_build(plan); });
    c->add_option("--learn", plan.learn, "take the joints' ranges from the clips of this file")
        ->option_text("FILE");
    c->add_option("--mirror", plan.mirror, "take this side over to the other")
        ->check(CLI::IsMember({"left", "right"}));
    c->add_flag("--anew", plan.anew, "forget the ragdoll that the sheet has");
    c->add_option("-o,--out", plan.out, "the sheet to write (.rig.json)")->option_text("FILE");
    ragdoll_command("check", "Tell what is wrong with a ragdoll; exit status 1 where something is",
                    "ragdoll check hero.rig.json", [&] { return run_ragdoll_check(plan); });
    c = ragdoll_command("export", "Write the character with its ragdoll as glTF rigid bodies",
                        "ragdoll export hero.rig.json -o hero-physics.glb",
                        [&] { return run_ragdoll_export(plan); });
    c->add_option("-o,--out", plan.out, "the file to write (.glb)")->option_text("FILE REQUIRED")->required();

    RagdollDropArguments drop;
    c = add_command(*ragdoll, "drop", "Let the ragdoll fall, bake the fall into a clip and tell how it held",
                    "ragdoll drop hero.glb --height 1.5 --seed 1 -o hero-falls.glb --picture fall.png",
                    drop.json, chosen, [&] { return run_ragdoll_drop(drop); });
    c->add_option("CHARACTER", drop.character, "the character's file, or its sheet")
        ->option_text("FILE REQUIRED")
        ->required();
    c->add_option("--sheet", drop.sheet, "the sheet, where CHARACTER is a character's file")
        ->option_text("FILE");
    c->add_option("--clip", drop.clip, "let go in this clip, as fast as it moves; the rest where not given");
    c->add_option("--frame", drop.frame, "in which frame of it, from 0")->check(CLI::NonNegativeNumber);
    c->add_option("--seconds", drop.seconds, "how long to simulate")->capture_default_str();
    c->add_option("--fps", drop.fps, "the rate of the clip that is made")->capture_default_str();
    c->add_option("--height", drop.height, "metres to lift it by first")->capture_default_str();
    c->add_option("--speed", drop.speed_words, "how fast it moves at first: m/s to its left, up, forward")
        ->option_text("X,Y,Z");
    c->add_option("--push", drop.push_words, "an impulse on a body: N s to the character's left, up, forward")
        ->option_text("BODY=X,Y,Z");
    c->add_option(
         "--seed", drop.seeds,
         "turn it at random, up to 6 rad/s and 5 m/s; several seeds: figures of all, clip of the first")
        ->option_text("N ...");
    c->add_option("--terrain", drop.terrain, "what it falls onto (.glb); a level floor where not given")
        ->option_text("FILE");
    c->add_option("--name", drop.name, "the new clip's name")->capture_default_str();
    c->add_option("--picture", drop.picture, "a strip of pictures of the fall (.png)")->option_text("FILE");
    c->add_option("-o,--out", drop.out, "the character with the new clip (.glb)")->option_text("FILE");

    SocketArguments socket;
    add_socket_commands(app, socket, chosen);
    EquipArguments equip;
    add_equip_command(app, equip, chosen);
    SweepArguments sweep;
    add_sweep_command(app, sweep, chosen);

    DemoArguments demo;
    c = add_command(app, "demo", "Run the whole example on the demo characters and tell what to open",
                    "demo --out demo-out", demo.json, chosen, [&] { return run_demo(demo); });
    c->add_option("--out", demo.out, "the folder for the results")->capture_default_str();

    std::vector<std::string> names;
    for (const CLI::App* command : app.get_subcommands([](const CLI::App*) { return true; }))
        names.push_back(command->get_name());
    if (count > 1 && words[1][0] != '-' && std::find(names.begin(), names.end(), words[1]) == names.end()) {
        const std::string nearest = nearest_name(words[1], names);
        throw UsageError(std::string("there is no command '") + words[1] + "'; " +
                         (nearest.empty() ? "see `dendraxis --help`" : "did you mean '" + nearest + "'?"));
    }
    try {
        app.parse(count, words);
    } catch (const CLI::CallForHelp&) {
        fmt::print("{}", app.help());
        return k_done;
    } catch (const CLI::Success& asked) {
        return app.exit(asked);
    } catch (const CLI::ParseError& problem) {
        std::string line = problem.what();
        for (char& letter : line) letter = letter == '\n' ? ' ' : letter;
        const std::string where =
            app.get_subcommands().empty() ? "" : " " + app.get_subcommands().front()->get_name();
        fmt::print(stderr, "dendraxis{}: {}; see `dendraxis{} --help`\n", where, line, where);
        return k_wrong_usage;
    }
    return chosen();
}

}  // namespace dendraxis::tool

int main(int count, char** words) {
    using namespace dendraxis::tool;
    try {
        return run_command_line(count, words);
    } catch (const UsageError& problem) {
        fmt::print(stderr, "dendraxis: {}\n", problem.what());
        return k_wrong_usage;
    } catch (const std::exception& problem) {
        fmt::print(stderr, "dendraxis: {}\n", problem.what());
        return k_bad_input;
    }
}
