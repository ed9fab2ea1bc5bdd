#include "../support/command_line.hpp"
#include "../support/print.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

#include <sstream>

namespace dendraxis::tool {
namespace {

struct DemoArguments {
    fs::path out = "demo-out";
    bool json = false;
};

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

// Runs commands as they would be typed: IN/ stands for the demo's folder, OUT/ for the one of the results.
class Script {
 public:
    Script(fs::path in, fs::path out) : in_(std::move(in)), out_(std::move(out)) {}

    int run(const std::string& line) const {
        std::vector<std::string> words{"dendraxis"};
        std::istringstream stream(line);
        std::string shown = "$ dendraxis";
        for (std::string word; stream >> word;) {
            if (word.starts_with("IN/"))
                word = (in_ / word.substr(3)).string();
            else if (word.starts_with("OUT/"))
                word = (out_ / word.substr(4)).string();
            shown += ' ' + word;
            words.push_back(word);
        }
        const bool quiet = words.back() == "--json";
        if (!quiet) fmt::print("\n{}\n", bold(shown));
        std::vector<const char*> pointers;
        for (const std::string& word : words) pointers.push_back(word.c_str());
        return full_command_line()->run(static_cast<int>(pointers.size()), pointers.data());
    }

    fs::path in(const char* name) const { return in_ / name; }
    fs::path out(const char* name) const { return out_ / name; }

 private:
    fs::path in_;
    fs::path out_;
};

// A pairing with all passes off, for what they gain.
void write_plain_pairing(const fs::path& source, const fs::path& target, const fs::path& file) {
    Pairing pairing = pair(io::load_rig(source).chart, io::load_rig(target).chart);
    PairingSettings& settings = pairing.settings;
    settings.feet = settings.hands = settings.clearance = settings.ranges = false;
    io::write_text(file, io::pairing_json(pairing));
}

// Returns what the review's gate says.
int carry_motion_over(const Script& script) {
    script.run("survey IN/diver.glb");
    script.run("chart IN/bosun.glb -o OUT/bosun.rig.json");
    script.run("pair IN/diver.glb IN/bosun.glb -o OUT/diver-to-bosun.pair.json");
    script.run(
        "retarget --source IN/diver.glb --target IN/bosun.glb --pairing OUT/diver-to-bosun.pair.json "
        "-o OUT/bosun-moving.glb");
    const int status = script.run(
        "review --source IN/diver.glb --result OUT/bosun-moving.glb --pairing OUT/diver-to-bosun.pair.json "
        "--page OUT/diver-to-bosun.html --gate");
    const fs::path plain = script.out("turns-only.pair.json");
    fmt::print("\nand the same without any pass ({} has them switched off):\n", plain.string());
    write_plain_pairing(script.in("diver.glb"), script.in("bosun.glb"), plain);
    script.run(
        "retarget --source IN/diver.glb --target IN/bosun.glb --pairing OUT/turns-only.pair.json "
        "-o OUT/bosun-turns-only.glb");
    script.run(
        "review --source IN/diver.glb --result OUT/bosun-turns-only.glb --pairing OUT/turns-only.pair.json "
        "--page OUT/turns-only.html");
    const std::string compare = "draw OUT/bosun-turns-only.glb --beside OUT/bosun-moving.glb --clip ";
    script.run(compare + "stroll --frame 4 35 57 --view side -o OUT/feet-before-after.png");
    script.run(compare + "haul-rope --frame 14 20 26 --view quarter -o OUT/hands-before-after.png");
    script.run("draw IN/diver.glb --beside IN/bosun.glb --view front -o OUT/both-at-rest.png");
    const std::string beside = "draw IN/diver.glb --beside OUT/bosun-moving.glb --clip ";
    script.run(beside + "stroll --frame 3 11 19 -o OUT/stroll.png");
    script.run(beside + "wave-lantern --frame 0 42 54 -o OUT/wave-lantern.png");
    script.run("draw IN/hound.glb --chart -o OUT/hound-chains.png");
    // Built the awkward way, and a capture: charted like the others.
    script.run("draw IN/stoker.glb --chart -o OUT/stoker-chains.png");
    script.run("draw IN/stoker.glb --readings 4 -o OUT/readings.png");
    script.run("chart IN/stoker.glb --explain palm_L");
    script.run("survey IN/capture.bvh");
    script.run("retarget --source IN/capture.bvh --target IN/bosun.glb -o OUT/bosun-captured.glb");
    script.run(
        "draw IN/capture.bvh --beside OUT/bosun-captured.glb --clip capture --frame 0 20 40 -o "
        "OUT/captured.png");
    return status;
}

// The same clip on level ground and on terrain, one above the other; both hands on their targets.
void solve(const Script& script) {
    script.run(
        "solve IN/diver.glb --clip stroll --terrain IN/slipway.glb --name stroll -o "
        "OUT/diver-on-slipway.glb");
    script.run(
        "draw IN/diver.glb --beside OUT/diver-on-slipway.glb --clip stroll --frame 20 32 44 60 "
        "--terrain IN/slipway.glb --view side -o OUT/slipway-before-after.png");
    script.run("solve IN/hound.glb --clip trot --terrain IN/steps.glb --name trot -o OUT/hound-on-steps.glb");
    script.run(
        "draw IN/hound.glb --beside OUT/hound-on-steps.glb --clip trot --frame 18 42 "
        "--terrain IN/steps.glb --view side -o OUT/steps-before-after.png");
    const std::string left = "arm.left=0.55,0.35,0.55";
    const std::string right = "arm.right=-0.3,0.9,0.6";
    script.run("solve IN/diver.glb --clip crouch --reach " + left + " --reach " + right +
               " --with body -o OUT/diver-reaching.glb");
    script.run("draw OUT/diver-reaching.glb --clip crouch-solved --frame 0 45 --ranges --target " + left +
               " --target " + right + " -o OUT/reach.png");
}

// Bodies of two ragdolls, and off the quay in the middle of a hop.
void fall(const Script& script) {
    script.run("draw IN/diver.glb --beside IN/hound.glb --ragdoll --view front -o OUT/bodies.png");
    script.run("ragdoll build IN/diver.glb -o OUT/diver.rig.json");
    script.run("ragdoll check OUT/diver.rig.json");
    script.run(
        "ragdoll drop OUT/diver.rig.json --clip hop-down --frame 14 --height 1.2 --speed 0,0,1.5 "
        "--get-up idle -o OUT/diver-falls.glb --picture OUT/fall.png");
}

// Hair and coat tails, as the body moves them.
void sway(const Script& script) {
    script.run("retarget --source IN/diver.glb --target IN/deckhand.glb -o OUT/deckhand-moving.glb");
    script.run("ragdoll sway OUT/deckhand-moving.glb -o OUT/deckhand-sways.glb --page OUT/sway.html");
    script.run("ragdoll sway OUT/bosun-moving.glb -o OUT/bosun-sways.glb");
    script.run(
        "draw OUT/deckhand-sways.glb --clip hop-down --frame 12 18 24 30 40 --view side -o OUT/sway.png");
}

// The crew with all their things: held, worn, fitted, put away, let go; and what a blow touches.
void equip(const Script& script) {
    script.run("draw IN/diver.glb --beside IN/bosun.glb --sockets --view front -o OUT/sockets.png");
    script.run(
        "equip IN/diver.glb --put IN/lantern.glb@hand.left IN/mallet.glb@hand.right IN/oilskin-hat.glb@head "
        "--fit IN/guards.glb,both-sides IN/chest-pad.glb@chest -o OUT/diver-equipped.glb");
    script.run(
        "equip OUT/bosun-moving.glb --put "
        "IN/boat-hook.glb@hand.right,scale=0.85,second=hand.left,in=swing-mallet "
        "IN/oilskin-hat.glb@head,scale=1.2 --fit IN/chest-pad.glb@chest "
        "IN/guards.glb#shin.left@shin.left,both-sides IN/guards.glb#forearm.left@forearm.left,both-sides "
        "-o OUT/bosun-equipped.glb");
    script.run(
        "draw OUT/diver-equipped.glb --beside OUT/bosun-equipped.glb --clip swing-mallet --frame 0 24 42 "
        "-o OUT/equipped.png");
    script.run(
        "equip OUT/deckhand-moving.glb --put IN/lantern.glb@hand.left,scale=0.7,closed "
        "IN/oilskin-hat.glb@head "
        "IN/mallet.glb@hand.right+belt.right+back,scale=0.65 "
        "--switch swing-mallet:48=mallet@belt.right,over=10 swing-mallet:66=mallet@back "
        "--fit IN/guards.glb#shin.left@shin.left,both-sides "
        "IN/guards.glb#forearm.left@forearm.left,both-sides "
        "-o OUT/deckhand-equipped.glb");
    script.run(
        "draw OUT/deckhand-equipped.glb --clip swing-mallet --frame 42 52 60 70 --view side -o "
        "OUT/put-away.png");
    script.run(
        "equip IN/diver.glb --put IN/oilskin-hat.glb@head --let-go stroll:20=oilskin-hat "
        "--push oilskin-hat=0.1,0.5,-0.5 -o OUT/diver-loses-hat.glb");
    script.run(
        "draw OUT/diver-loses-hat.glb --clip stroll --frame 18 22 27 33 --view side -o OUT/let-go.png");
    const std::string blow =
        "sweep OUT/diver-equipped.glb --clip swing-mallet --volume mallet.head --window 36..46 --against ";
    script.run(blow + "IN/mooring-post.glb --at -0.15,0.4,0.95");
    script.run(blow + "OUT/bosun-moving.glb --at -0.1,0,0.85 --group trunk head --page OUT/blow.html");
    script.run(
        "review --source IN/diver.glb --result OUT/bosun-moving.glb OUT/deckhand-moving.glb "
        "OUT/bosun-turns-only.glb --page "
        "OUT/crew.html");
}

// The diver plays, five follow; then the lantern-man, whom three puppets and the deckhand follow.
void cast(const Script& script) {
    script.run("cast check IN/crew.cast.json");
    script.run("retarget --cast IN/crew.cast.json --out-dir OUT/cast");
    script.run(
        "draw OUT/cast/stoker.glb --beside OUT/cast/deckhand.glb --clip swing-mallet --frame 10 28 40 -o "
        "OUT/cast.png");
    script.run("cast check IN/fair.cast.json");
    script.run("retarget --cast IN/fair.cast.json --out-dir OUT/fair");
    script.run(
        "draw IN/lantern-man.glb --beside OUT/fair/ferryman.glb --beside OUT/fair/net-mender.glb --beside "
        "OUT/fair/harbour-master.glb --clip bow --frame 16 -o OUT/fair.png");
}

void tell_what_to_open(const Script& script) {
    fmt::print("\n{}\n", bold("open these"));
    for (const auto& [file, what] : std::initializer_list<std::pair<const char*, const char*>>{
             {"diver-to-bosun.html", "the diver and the bosun side by side, all clips: opens in any browser"},
             {"turns-only.html", "the same without any pass: click what is over its gate"},
             {"crew.html", "three results as an overview, worst first: each picture leads to its page"},
             {"blow.html", "the diver's mallet and what it touches, when"},
             {"hound-chains.png", "the chains that were found on the hound, and how sure each is"},
             {"stoker-chains.png", "the chains of the stoker, whose file has an awkward structure"},
             {"readings.png", "the best ways to read the stoker's bones, with their scores"},
             {"captured.png", "a capture, whose rest has the hips at the origin, and the bosun doing it"},
             {"both-at-rest.png", "the diver and the bosun as their files have them"},
             {"stroll.png", "the diver's stroll, and the bosun doing it"},
             {"wave-lantern.png", "the diver waving, and the bosun doing it"},
             {"feet-before-after.png", "feet without and with the passes: look at the floor"},
             {"hands-before-after.png", "hands on a rope without and with the passes: look at the coat"},
             {"slipway-before-after.png", "the diver's stroll on a slipway, unadapted and adapted"},
             {"steps-before-after.png", "the hound's trot on steps, unadapted and adapted"},
             {"reach.png", "both hands on their targets, and how far the limbs may swing"},
             {"bodies.png", "the bodies of the diver's and the hound's ragdolls"},
             {"fall.png", "the diver falls off the quay and gets up"},
             {"sway.html", "the deckhand's clips without and with her pony tail swinging"},
             {"sway.png", "the deckhand hopping down"},
             {"sockets.png", "the sockets that were suggested: red X, green Y, blue Z"},
             {"equipped.png", "both with their things and clothing, striking a blow"},
             {"put-away.png", "the deckhand's mallet: hand, belt, back"},
             {"let-go.png", "the diver losing his hat"},
             {"cast.png",
              "two of the crew that does what the diver does: all of them are in the folder cast"},
             {"fair.png",
              "the lantern-man bows, and three flat puppets with him, each the way that it faces"},
             {"bosun-moving.glb", "the bosun with all clips: any glTF viewer plays it"},
             {"bosun.rig.json", "what was found out about the bosun; plain text"},
             {"diver-to-bosun.pair.json", "which chain answers to which; edit it and run `retarget` again"}})
        fmt::print("  {:<36} {}\n", script.out(file).string(), what);
    fmt::print("\n{}\n  dendraxis serve --source {} --target {} --pairing {}\n",
               bold("change one thing, look again"), script.in("diver.glb").string(),
               script.in("bosun.glb").string(), script.out("diver-to-bosun.pair.json").string());
}

int run_demo(const DemoArguments& arguments) {
    const Script script(demo_folder(), arguments.out);
    if (arguments.json)
        return script.run(
            "retarget --source IN/diver.glb --target IN/bosun.glb -o OUT/bosun-moving.glb --json");
    const int status = carry_motion_over(script);
    solve(script);
    fall(script);
    sway(script);
    equip(script);
    cast(script);
    tell_what_to_open(script);
    return status;
}

void add_demo(CommandLine& line) {
    auto arguments = std::make_shared<DemoArguments>();
    CLI::App* c = line.add("demo", "Run the full example on the demo characters and list what to open",
                           "demo --out demo-out", arguments, run_demo);
    c->add_option("--out", arguments->out, "the folder for the results")->capture_default_str();
}

const Registration k_demo(160, add_demo);

}  // namespace
}  // namespace dendraxis::tool
