#include "commands.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/sheet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {
namespace {

// The demo files beside an installed program, or in the source tree that this one was built from.
fs::path demo_folder() {
    std::error_code ignored;
    const fs::path program = fs::read_symlink("/proc/self/exe", ignored);
    for (const fs::path& folder : {program.parent_path().parent_path() / "share" / "dendraxis" / "harbour",
                                   fs::path(DENDRAXIS_DEMO_FOLDER)}) {
        if (fs::exists(folder / "diver.glb")) return folder;
    }
    throw Error(DENDRAXIS_DEMO_FOLDER, "the demo characters are not there", "",
                "install the program or keep its source tree");
}

void say(bool quiet, const std::string& command) {
    if (!quiet) fmt::print("\n{}\n", bold("$ dendraxis " + command));
}

// A pairing with all passes off, for what they gain.
void write_plain_pairing(const fs::path& source, const fs::path& target, const fs::path& file) {
    Pairing pairing = pair(io::load_rig(source).chart, io::load_rig(target).chart);
    PairingSettings& settings = pairing.settings;
    settings.feet = settings.hands = settings.clearance = settings.ranges = false;
    io::write_text(file, io::pairing_json(pairing));
}

// The same clip on level ground and on this terrain, one above the other.
void walk_over_terrain(const fs::path& character, const std::string& clip, const fs::path& terrain,
                       const std::vector<int>& frames, const fs::path& result, const fs::path& picture) {
    say(false, fmt::format("solve {} --clip {} --terrain {} --name {} -o {}", character.string(), clip,
                           terrain.string(), clip, result.string()));
    SolveArguments solve;
    solve.character = character;
    solve.clip = solve.name = clip;
    solve.terrain = terrain;
    solve.out = result;
    run_solve(solve);
    std::string list;
    for (const int frame : frames) list += fmt::format(" {}", frame);
    say(false,
        fmt::format("draw {} --beside {} --clip {} --frame{} --terrain {} --view side -o {}",
                    character.string(), result.string(), clip, list, terrain.string(), picture.string()));
    DrawArguments drawn;
    drawn.character = character;
    drawn.beside = result;
    drawn.clip = clip;
    drawn.frames = frames;
    drawn.terrain = terrain;
    drawn.view = "side";
    drawn.out = picture;
    run_draw(drawn);
}

// Both hands brought to places, the body following as its joints allow.
void reach_low(const fs::path& character, const fs::path& result, const fs::path& picture) {
    const std::vector<std::string> targets{"arm.left=0.55,0.35,0.55", "arm.right=-0.3,0.9,0.6"};
    say(false, fmt::format("solve {} --clip crouch --reach {} --reach {} --hub-freedom 1 -o {}",
                           character.string(), targets[0], targets[1], result.string()));
    SolveArguments solve;
    solve.character = character;
    solve.clip = "crouch";
    solve.reach_words = targets;
    solve.hub_freedom = 1.0f;
    solve.out = result;
    run_solve(solve);
    say(false, fmt::format("draw {} --clip crouch-solved --frame 0 45 --ranges --target {} --target {} -o {}",
                           result.string(), targets[0], targets[1], picture.string()));
    DrawArguments drawn;
    drawn.character = result;
    drawn.clip = "crouch-solved";
    drawn.frames = {0, 45};
    drawn.target_words = targets;
    drawn.ranges = true;
    drawn.out = picture;
    run_draw(drawn);
}

// The bodies of two characters beside each other, from two sides.
void show_bodies(const fs::path& one, const fs::path& other, const fs::path& picture) {
    say(false, fmt::format("draw {} --beside {} --ragdoll --view front -o {}", one.string(), other.string(),
                           picture.string()));
    DrawArguments drawn;
    drawn.character = one;
    drawn.beside = other;
    drawn.ragdoll = true;
    drawn.view = "front";
    drawn.out = picture;
    run_draw(drawn);
}

// Off the quay in the middle of a hop.
void fall(const fs::path& character, const fs::path& sheet, const fs::path& result, const fs::path& picture) {
    say(false, fmt::format("ragdoll build {} -o {}", character.string(), sheet.string()));
    RagdollArguments plan;
    plan.character = character;
    plan.out = sheet;
    run_ragdoll_build(plan);
    say(false, fmt::format("ragdoll check {}", sheet.string()));
    plan.character = sheet;
    run_ragdoll_check(plan);
    say(false,
        fmt::format(
            "ragdoll drop {} --clip hop-down --frame 14 --height 1.2 --speed 0,0,1.5 -o {} --picture {}",
            sheet.string(), result.string(), picture.string()));
    RagdollDropArguments drop;
    drop.character = sheet;
    drop.clip = "hop-down";
    drop.frame = 14;
    drop.height = 1.2f;
    drop.speed_words = "0,0,1.5";
    drop.out = result;
    drop.picture = picture;
    run_ragdoll_drop(drop);
}

// Lantern, mallet and hat on two of the crew, through a clip; and the sockets that they hang on.
void equip(const fs::path& in, const fs::path& diver, const fs::path& bosun, const fs::path& out,
           const fs::path& sockets, const fs::path& picture) {
    say(false, fmt::format("draw {} --beside {} --sockets --view front -o {}", diver.string(),
                           (in / "bosun.glb").string(), sockets.string()));
    DrawArguments drawn;
    drawn.character = diver;
    drawn.beside = in / "bosun.glb";
    drawn.sockets = true;
    drawn.view = "front";
    drawn.out = sockets;
    run_draw(drawn);
    for (const auto& [character, name] :
         {std::pair(diver, "diver-equipped.glb"), {bosun, "bosun-equipped.glb"}}) {
        EquipArguments arguments;
        arguments.character = character;
        std::string puts;
        for (const char* put : {"lantern.glb@hand.left", "mallet.glb@hand.right", "oilskin-hat.glb@head"}) {
            arguments.put_words.push_back((in / put).string());
            puts += " --put " + arguments.put_words.back();
        }
        arguments.out = out / name;
        say(false, fmt::format("equip {}{} -o {}", character.string(), puts, arguments.out.string()));
        run_equip(arguments);
    }
    drawn = {};
    drawn.character = out / "diver-equipped.glb";
    drawn.beside = out / "bosun-equipped.glb";
    drawn.clip = "swing-mallet";
    drawn.frames = {0, 24, 34};
    drawn.out = picture;
    say(false, fmt::format("draw {} --beside {} --clip swing-mallet --frame 0 24 34 -o {}",
                           drawn.character.string(), drawn.beside.string(), picture.string()));
    run_draw(drawn);
}

}  // namespace

int run_demo(const DemoArguments& arguments) {
    const fs::path in = demo_folder();
    const fs::path diver = in / "diver.glb";
    const fs::path bosun = in / "bosun.glb";
    const fs::path sheet = arguments.out / "bosun.rig.json";
    const fs::path pairing = arguments.out / "diver-to-bosun.pair.json";
    const fs::path result = arguments.out / "bosun-moving.glb";
    const fs::path rests = arguments.out / "both-at-rest.png";
    const fs::path walk = arguments.out / "stroll.png";
    const fs::path chains = arguments.out / "hound-chains.png";
    const fs::path wave = arguments.out / "wave-lantern.png";
    const fs::path plain_pairing = arguments.out / "turns-only.pair.json";
    const fs::path plain = arguments.out / "bosun-turns-only.glb";
    const fs::path feet = arguments.out / "feet-before-after.png";
    const fs::path hands = arguments.out / "hands-before-after.png";

    const bool quiet = arguments.json;
    if (!quiet) {
        say(quiet, fmt::format("survey {}", diver.string()));
        run_survey({diver, false});
        say(quiet, fmt::format("chart {} -o {}", bosun.string(), sheet.string()));
        run_chart({bosun, {}, sheet, "", false});
        say(quiet, fmt::format("pair {} {} -o {}", diver.string(), bosun.string(), pairing.string()));
        run_pair({diver, bosun, pairing, false});
        say(quiet, fmt::format("retarget --source {} --target {} --pairing {} -o {}", diver.string(),
                               bosun.string(), pairing.string(), result.string()));
    }
    RetargetArguments retarget;
    retarget.source = diver;
    retarget.target = bosun;
    retarget.pairing = quiet ? fs::path() : pairing;
    retarget.out = result;
    retarget.json = arguments.json;
    run_retarget(retarget);
    if (quiet) return k_done;
    say(quiet, fmt::format("review --source {} --result {} --pairing {} --gate", diver.string(),
                           result.string(), pairing.string()));
    ReviewArguments review;
    review.source = diver;
    review.result = result;
    review.pairing = pairing;
    review.gate = true;
    const int status = run_review(review);
    fmt::print("\nand the same without any pass ({} has them switched off):\n", plain_pairing.string());
    write_plain_pairing(diver, bosun, plain_pairing);
    retarget.pairing = plain_pairing;
    retarget.out = plain;
    retarget.quiet = true;
    run_retarget(retarget);
    review.result = plain;
    review.pairing = plain_pairing;
    review.gate = false;
    run_review(review);
    for (const auto& [clip, frames, view, picture] :
         {std::tuple("stroll", std::vector{4, 35, 57}, "side", feet),
          std::tuple("haul-rope", std::vector{14, 20, 26}, "quarter", hands)}) {
        say(quiet,
            fmt::format("draw {} --beside {} --clip {} --frame {} {} {} --view {} -o {}", plain.string(),
                        result.string(), clip, frames[0], frames[1], frames[2], view, picture.string()));
        DrawArguments compared;
        compared.character = plain;
        compared.beside = result;
        compared.clip = clip;
        compared.frames = frames;
        compared.view = view;
        compared.out = picture;
        run_draw(compared);
    }
    say(quiet, fmt::format("draw {} --beside {} -o {}", diver.string(), bosun.string(), rests.string()));
    DrawArguments at_rest;
    at_rest.character = diver;
    at_rest.beside = bosun;
    at_rest.view = "front";
    at_rest.out = rests;
    run_draw(at_rest);
    for (const auto& [clip, frames, picture] : {std::tuple("stroll", std::vector{3, 11, 19}, walk),
                                                std::tuple("wave-lantern", std::vector{0, 42, 54}, wave)}) {
        say(quiet, fmt::format("draw {} --beside {} --clip {} --frame {} {} {} -o {}", diver.string(),
                               result.string(), clip, frames[0], frames[1], frames[2], picture.string()));
        DrawArguments moving;
        moving.character = diver;
        moving.beside = result;
        moving.clip = clip;
        moving.frames = frames;
        moving.out = picture;
        run_draw(moving);
    }
    const fs::path hound = in / "hound.glb";
    say(quiet, fmt::format("draw {} --chart -o {}", hound.string(), chains.string()));
    DrawArguments charted;
    charted.character = hound;
    charted.chart = true;
    charted.out = chains;
    run_draw(charted);
    const fs::path slipway = arguments.out / "slipway-before-after.png";
    const fs::path steps = arguments.out / "steps-before-after.png";
    const fs::path reach = arguments.out / "reach.png";
    walk_over_terrain(diver, "stroll", in / "slipway.glb", {20, 32, 44, 60},
                      arguments.out / "diver-on-slipway.glb", slipway);
    walk_over_terrain(hound, "trot", in / "steps.glb", {18, 42}, arguments.out / "hound-on-steps.glb", steps);
    reach_low(diver, arguments.out / "diver-reaching.glb", reach);
    const fs::path bodies = arguments.out / "bodies.png";
    const fs::path falls = arguments.out / "fall.png";
    show_bodies(diver, hound, bodies);
    fall(diver, arguments.out / "diver.rig.json", arguments.out / "diver-falls.glb", falls);
    const fs::path sockets = arguments.out / "sockets.png";
    const fs::path equipped = arguments.out / "equipped.png";
    equip(in, diver, result, arguments.out, sockets, equipped);
    fmt::print("\n{}\n", bold("open these"));
    fmt::print("  {:<36} the chains that were found on the hound, and how sure each is\n", chains.string());
    fmt::print("  {:<36} the diver and the bosun as their files have them\n", rests.string());
    fmt::print("  {:<36} the diver's stroll, and the bosun doing it\n", walk.string());
    fmt::print("  {:<36} the diver waving, and the bosun doing it\n", wave.string());
    fmt::print("  {:<36} feet without and with the passes: look at the floor\n", feet.string());
    fmt::print("  {:<36} hands on a rope without and with the passes: look at the coat\n", hands.string());
    fmt::print("  {:<36} the diver's stroll on a slipway, unadapted and adapted\n", slipway.string());
    fmt::print("  {:<36} the hound's trot on steps, unadapted and adapted\n", steps.string());
    fmt::print("  {:<36} both hands brought to places, and how far the limbs may swing\n", reach.string());
    fmt::print("  {:<36} the bodies of the diver's and the hound's ragdolls\n", bodies.string());
    fmt::print("  {:<36} the diver falling off the quay\n", falls.string());
    fmt::print("  {:<36} the sockets that were suggested: red X, green Y, blue Z\n", sockets.string());
    fmt::print("  {:<36} both with lantern, mallet and hat, swinging the mallet\n", equipped.string());
    fmt::print("  {:<36} the bosun with all clips: any glTF viewer plays it\n", result.string());
    fmt::print("  {:<36} what was found out about the bosun; plain text\n", sheet.string());
    fmt::print("  {:<36} which chain answers to which; edit it and run `retarget` again\n", pairing.string());
    return status;
}

}  // namespace dendraxis::tool
