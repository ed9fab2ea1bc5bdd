// `dendraxis socket` and `dendraxis equip` as a user runs them.
#include "workshop.hpp"

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <fstream>
#include <functional>

using nlohmann::json;
namespace fs = std::filesystem;
using workshop::run_tool;

namespace {
using workshop::k_bosun;
using workshop::k_diver;
const std::string k_lantern = workshop::demo("lantern.glb").string();

// Each of these words, put into a command line, is refused in one line that tells the other word.
void check_refused(const std::function<std::string(const std::string&)>& line,
                   const std::vector<std::pair<std::string, const char*>>& cases) {
    for (const auto& one : cases) {
        const std::string words = line(one.first);
        CAPTURE(words);
        const auto refused = run_tool(words);
        CHECK(refused.status >= 2);
        CHECK(refused.err.find(one.second) != std::string::npos);
        CHECK(std::count(refused.err.begin(), refused.err.end(), '\n') == 1);
    }
}
}  // namespace

TEST_CASE("sockets are listed, added, moved, mirrored, copied and removed in a sheet") {
    workshop::Scratch scratch;
    const std::string sheet = (scratch / "diver.rig.json").string();
    CHECK(run_tool("socket list " + k_diver + " -o " + sheet).status == 0);
    CHECK(run_tool("socket add " + sheet +
                   " ladle.left --bone thigh_left --kind holster --at 0.08,-0.1,0 -o " + sheet)
              .status == 0);
    CHECK(run_tool("socket move " + sheet + " ladle.left --turn 0,90,0 -o " + sheet).status == 0);
    CHECK(run_tool("socket mirror " + sheet + " ladle.left -o " + sheet).status == 0);
    CHECK(run_tool("socket remove " + sheet + " back chest -o " + sheet).status == 0);
    const json sockets = json::parse(run_tool("socket list " + sheet + " --json").out)["sockets"];
    REQUIRE(sockets.size() == 7);
    CHECK(sockets[6]["name"] == "ladle.right");
    CHECK(sockets[6]["bone"] == "thigh_right");
    CHECK(sockets[6]["at"][0].get<double>() == doctest::Approx(-0.08));
    CHECK(sockets[6]["turn"][1].get<double>() == doctest::Approx(-90.0));
    const auto copied = run_tool("socket bring " + k_bosun + " ladle.left --from " + sheet + " --json");
    CHECK(copied.status == 0);
    CHECK(json::parse(copied.out)["sockets"].back()["name"] == "ladle.left");
    // The ragdoll and the sockets of a sheet leave each other alone.
    CHECK(run_tool("ragdoll build " + sheet + " -o " + sheet).status == 0);
    CHECK(json::parse(run_tool("socket list " + sheet + " --json").out)["sockets"] == sockets);

    CHECK(run_tool("socket move " + sheet + " ladel.left --at 0,0,0").err.find("did you mean 'ladle.left'") !=
          std::string::npos);
    CHECK(run_tool("socket add " + sheet + " head --bone head").status == 2);
    CHECK(run_tool("socket add " + sheet + " x --bone thigh_lefft").err.find("thigh_left") !=
          std::string::npos);
    CHECK(run_tool("socket mirror " + sheet + " head").status == 0);
    // What was taken out stays out.
    CHECK(run_tool("socket remove " + sheet +
                   " hand.left hand.right belt.left belt.right head ladle.left ladle.right -o " + sheet)
              .status == 0);
    CHECK(json::parse(run_tool("socket list " + sheet + " --json").out)["sockets"].empty());
    CHECK(json::parse(run_tool("socket list " + sheet + " --suggest --json").out)["sockets"].size() == 7);
}

TEST_CASE("a socket whose bone is gone is told, a name that stands twice is refused") {
    workshop::Scratch scratch;
    const fs::path sheet = scratch / "diver.rig.json";
    CHECK(run_tool("socket list " + k_diver + " -o " + sheet.string()).status == 0);
    std::ifstream in(sheet);
    json text = json::parse(in);
    text["sockets"][0]["bone"] = "hand_lfet";
    std::ofstream(sheet) << text.dump(2);
    const auto told = run_tool("socket list " + sheet.string());
    CHECK(told.status == 0);
    CHECK(told.out.find("socket.no-bone") != std::string::npos);
    CHECK(told.out.find("hand_left") != std::string::npos);
    text["sockets"][0] = text["sockets"][1];
    std::ofstream(sheet) << text.dump(2);
    const auto refused = run_tool("socket list " + sheet.string());
    CHECK(refused.status == 3);
    CHECK(refused.err.find("/sockets/1/name") != std::string::npos);
}

TEST_CASE("things are put on and taken off") {
    workshop::Scratch scratch;
    const std::string out = (scratch / "equipped.glb").string();
    const std::string off = (scratch / "off.glb").string();
    const auto put = run_tool("equip " + k_diver + " --put " + k_lantern + "@hand.left --put " + k_lantern +
                              "@hand.left,scale=0.5,mirrored -o " + out + " --json");
    REQUIRE(put.status == 0);
    CHECK(json::parse(put.out)["props"].size() == 2);
    CHECK(put.out.find("socket.two-things") != std::string::npos);
    CHECK(run_tool("equip " + out).out.find("lantern") != std::string::npos);
    CHECK(run_tool("equip " + out + " --take lantern -o " + off).status == 0);
    CHECK(json::parse(run_tool("equip " + off + " --json").out)["props"].empty());
    CHECK(run_tool("draw " + out + " --clip wave-lantern --frame 20 -o " + (scratch / "a.png").string())
              .status == 0);

    struct Case {
        std::string words;
        int status;
        const char* told;
    };
    const std::size_t files = scratch.file_count();
    for (const Case& c :
         {Case{"equip " + k_diver + " --put " + k_lantern + " -o " + off, 2, "give a file and a socket"},
          Case{"equip " + k_diver + " --put " + k_lantern + "@hand.lefft -o " + off, 2, "hand.left"},
          Case{"equip " + k_diver + " --put " + k_lantern + "@head,scale=0 -o " + off, 2, "above 0"},
          Case{"equip " + k_diver + " --put " + k_lantern + "@head,grip=x -o " + off, 3, "no grip 'x'"},
          Case{"equip " + k_diver + " --put nothing.glb@head -o " + off, 3, "nothing.glb"},
          Case{"equip " + k_diver + " --put " + k_lantern + "@head", 2, "-o OUT.glb"},
          Case{"equip " + k_diver + " --take lantern -o " + off, 3, "no prop"},
          Case{"equip " + k_diver + " --put " + k_lantern + "@head -o " + k_lantern, 2, ""}}) {
        CAPTURE(c.words);
        const auto refused = run_tool(c.words);
        CHECK(refused.status == c.status);
        CHECK(refused.err.find(c.told) != std::string::npos);
        CHECK(std::count(refused.err.begin(), refused.err.end(), '\n') == 1);
    }
    CHECK(scratch.file_count() == files);
}

TEST_CASE("the mallet strikes in the window in which it is live") {
    const auto struck = workshop::run(DENDRAXIS_EXAMPLES "/08_mallet_strikes");
    REQUIRE_MESSAGE(struck.status == 0, struck.err);
    CHECK(struck.out.find("1 touched\n  float in frame") != std::string::npos);
    CHECK(struck.out.find("0 touched") != std::string::npos);
    CHECK(struck.out.find("let go in frame") != std::string::npos);
}

TEST_CASE("examples of both hands, three places, guards, hat and hook run and tell the truth") {
    workshop::Scratch scratch;
    const std::string folder = DENDRAXIS_EXAMPLES;
    const std::string file = (scratch / "out.glb").string();
    const auto both = workshop::run(folder + "/09_both_hands " + k_diver + " swing-mallet " + file);
    REQUIRE_MESSAGE(both.status == 0, both.err);
    CHECK(both.out.find("of 73 frames") != std::string::npos);
    CHECK(json::parse(run_tool("equip " + file + " --json").out)["props"].size() == 1);
    CHECK(workshop::run(folder + "/09_both_hands " + k_diver + " swing-malet " + file)
              .err.find("swing-mallet") != std::string::npos);
    const auto switched = workshop::run(folder + "/10_hand_belt_back " + file);
    CHECK(switched.out.find("switch 1: jumps 0.00 m") != std::string::npos);
    CHECK(json::parse(run_tool("equip " + file + " --json").out)["props"].size() == 3);
    const auto guards = workshop::run(folder + "/11_guards_that_fit " + k_diver + " " + k_bosun);
    REQUIRE_MESSAGE(guards.status == 0, guards.err);
    CHECK(guards.out.find("shin.right") != std::string::npos);
    CHECK(guards.out.find("piece.") == std::string::npos);
    const auto hat = workshop::run(folder + "/12_hat_and_hook");
    REQUIRE_MESSAGE(hat.status == 0, hat.err);
    CHECK(hat.out.find("the jet meets the hat") != std::string::npos);
    CHECK(hat.out.find("it lies, 0.000 m/s") != std::string::npos);
    CHECK(hat.out.find("the hook strikes") != std::string::npos);
}

TEST_CASE("sockets are drawn over the bones") {
    workshop::Scratch scratch;
    const std::string plain = (scratch / "plain.png").string();
    const std::string marked = (scratch / "marked.png").string();
    CHECK(run_tool("draw " + k_diver + " --view front -o " + plain).status == 0);
    CHECK(run_tool("draw " + k_diver + " --view front --sockets -o " + marked).status == 0);
    CHECK(fs::file_size(marked) > fs::file_size(plain) + 1000);
}

TEST_CASE("clothing is fitted by name, mirrored, and taken off") {
    workshop::Scratch scratch;
    const std::string guards = workshop::demo("guards.glb").string();
    const std::string pad = workshop::demo("chest-pad.glb").string();
    const std::string out = (scratch / "dressed.glb").string();
    const auto put =
        run_tool("equip " + k_bosun + " --fit " + guards + " '" + guards + "#shin.left@shin.right' " + pad +
                 "@chest,at=0.4 --put " + k_lantern + "@chest -o " + out + " --json");
    REQUIRE(put.status == 0);
    const json told = json::parse(put.out);
    REQUIRE(told["pieces"].size() == 6);
    for (const json& piece : told["pieces"]) {
        CHECK(piece["through_at_rest"].get<double>() <= 0.02);
        CHECK(piece["through_in_clips"].is_null());  // it has no clips: nothing was measured
    }
    for (const json& finding : told["findings"]) CHECK(finding["code"] == "piece.comes-off");
    CHECK(told["props"].size() == 7);
    if (workshop::has_validator()) CHECK(workshop::validator_errors(out) == "");
    const std::string off = (scratch / "off.glb").string();
    CHECK(run_tool("equip " + out + " --take shin.right chest-pad lantern -o " + off).status == 0);
    CHECK(json::parse(run_tool("equip " + off + " --json").out)["props"].size() == 4);
    const auto both = run_tool("equip " + k_diver + " --fit " + guards + ",both-sides " + pad +
                               "@chest,both-sides -o " + out + " --json");
    REQUIRE_MESSAGE(both.status == 0, both.err);
    const json on_both = json::parse(both.out);
    CHECK(on_both["pieces"].size() == 9);
    for (const json& piece : on_both["pieces"]) CHECK(piece["covered_in_clips"].get<double>() > 0.9);
    CHECK(on_both["findings"].empty());
    const auto text = run_tool("equip " + k_diver + " --fit '" + guards +
                               "#forearm.left@forearm.left,scale=0.75' -o " + out);
    CHECK(text.out.find("piece.pokes-through") != std::string::npos);

    check_refused(
        [&](const std::string& words) { return "equip " + k_diver + " --fit '" + words + "' -o " + off; },
        {{pad + "@cheest", "chest"},
         {pad, "@PART"},
         {pad + "@chest,at=3", "0 to 1"},
         {guards + "#shin.lft@chest", "shin.left"},
         {guards + ",mirrored", "@PART"},
         {"@chest", "give a file"}});
}

TEST_CASE("a thing changes its place in a clip, and takes both hands") {
    workshop::Scratch scratch;
    const std::string mallet = workshop::demo("mallet.glb").string();
    const std::string out = (scratch / "carried.glb").string();
    const auto put = run_tool("equip " + k_diver + " --put " + mallet +
                              "@hand.right+belt.left+back --switch stroll:10=mallet@belt.left,over=6 "
                              "stroll:24=mallet@back -o " +
                              out + " --json");
    REQUIRE(put.status == 0);
    const json told = json::parse(put.out);
    REQUIRE(told["changes"].size() == 2);
    CHECK(told["changes"][0]["jump"].get<double>() == 0.0);
    CHECK(told["changes"][1]["jump"].get<double>() > 0.1);
    CHECK(told["props"].size() == 3);
    CHECK(run_tool("draw " + out + " --clip stroll --frame 5 14 26 -o " + (scratch / "a.png").string())
              .status == 0);
    const std::string off = (scratch / "off.glb").string();
    CHECK(run_tool("equip " + out + " --take mallet -o " + off).status == 0);
    CHECK(json::parse(run_tool("equip " + off + " --json").out)["props"].empty());

    const auto both = run_tool("equip " + k_diver + " --put " + mallet + "@hand.right,second=hand.left -o " +
                               out + " --json");
    CHECK(both.status == 0);
    const json findings = json::parse(both.out)["findings"];
    for (const json& finding : findings) CHECK(finding["code"] == "prop.second-grip-far");
    const std::string one_clip = (scratch / "one-clip.glb").string();
    CHECK(run_tool("equip " + k_diver + " --put " + mallet +
                   "@hand.right,second=hand.left,in=swing-mallet -o " + one_clip)
              .status == 0);
    const dendraxis::Character held = dendraxis::io::load_character(one_clip);
    const auto moved = [&](const char* clip) {
        const auto& now = held.clip(clip).transforms;
        const auto& before = workshop::diver().clip(clip).transforms;
        REQUIRE(now.size() == before.size());
        float most = 0.0f;
        for (std::size_t i = 0; i < now.size(); ++i)
            most = std::max(most, now[i].rotation.angularDistance(before[i].rotation));
        return most;
    };
    CHECK(moved("swing-mallet") > 0.2f);
    CHECK(moved("crouch") == 0.0f);
    const auto nowhere =
        run_tool("equip " + k_diver + " --put " + mallet + "@hand.right,second=hand.left,in=chop -o " + out);
    CHECK(nowhere.status == 3);
    check_refused(
        [&](const std::string& words) { return "equip " + k_diver + " --put " + words + " -o " + out; },
        {{workshop::demo("mooring-post.glb").string() + "@hand.right,second=hand.left", "grip.second"},
         {k_lantern + "@hand.right,second=hand.left", "grip.second"},
         {mallet + "@hand.right,second=head", "on no arm or leg"},
         {mallet + "@hand.right,in=stroll", "second=SOCKET"},
         {mallet + "@hand.right+back,second=hand.left", "no second hand"}});
    CHECK(nowhere.err.find("no clip 'chop'") != std::string::npos);

    const std::string start = "equip " + k_diver + " --put " + mallet + "@hand.right+back -o " + off;
    const std::size_t files = scratch.file_count();
    check_refused(
        [&](const std::string& words) { return start + words; },
        {{" --switch stroll:10=malet@back", "mallet"},
         {" --switch strol:10=mallet@back", "stroll"},
         {" --switch stroll:10=mallet@head", "has no place"},
         {" --switch stroll:9999=mallet@back", "ends at frame"},
         {" --switch stroll=mallet@back", "give a clip"},
         {" --switch stroll:5=mallet@back,over=9 stroll:7=mallet@hand.right", "before it has got"}});
    CHECK(scratch.file_count() == files);
}

TEST_CASE("a hat is let go in a clip: it falls, no longer follows, and goes without a trace") {
    workshop::Scratch scratch;
    const std::string hat = workshop::demo("oilskin-hat.glb").string();
    const std::string out = (scratch / "hat.glb").string();
    const auto put = run_tool("equip " + k_diver + " --put " + hat +
                              "@head --let-go stroll:20=oilskin-hat crouch:5=oilskin-hat --push "
                              "oilskin-hat=0,0.5,-1.2 -o " +
                              out + " --json");
    REQUIRE_MESSAGE(put.status == 0, put.err);
    const json told = json::parse(put.out);
    CHECK(told["props"].size() == 1);
    REQUIRE(told["falls"].size() == 2);
    CHECK(told["falls"][1]["lies"] == true);
    CHECK(told["falls"][1]["ends"][1].get<double>() < 0.3);
    if (workshop::has_validator()) CHECK(workshop::validator_errors(out) == "");

    // What shows of it in each frame, as any viewer has it.
    using namespace dendraxis;
    const Character diver = io::load_character(out);
    const Chart own = chart(diver);
    CHECK(diver.skeleton.size() == workshop::diver().skeleton.size());
    const auto middle = [&](const std::string& clip, std::size_t frame) {
        std::vector<Affine> matrices(diver.skeleton.size());
        to_model_matrices(diver.skeleton, diver.clip(clip).frame(frame), matrices);
        Vec3 sum = Vec3::Zero();
        int shown = 0;
        for (const SkinnedMesh& mesh : props_at(diver, clip, frame)) {
            std::vector<Vec3> positions(mesh.positions.size());
            deform(mesh, matrices, positions);
            if ((positions[0] - positions[positions.size() / 2]).norm() < 1e-4f) continue;
            ++shown;
            for (const Vec3& position : positions) sum += position / static_cast<float>(positions.size());
        }
        CHECK(shown == 1);
        return sum;
    };
    const auto head = [&](const std::string& clip, std::size_t frame) {
        std::vector<Transform> model(diver.skeleton.size());
        to_model_space(diver.skeleton, diver.clip(clip).frame(frame), model);
        return model[static_cast<std::size_t>(own.find("head")->bones[0])].translation;
    };
    for (const std::size_t f : {0, 10, 19, 20})
        CHECK((middle("stroll", f) - head("stroll", f)).norm() < 0.35f);
    // No jump: from one frame to the next at most what the push can do, 3 m/s and walking.
    for (std::size_t f = 1; f < diver.clip("stroll").frame_count(); ++f)
        CHECK((middle("stroll", f) - middle("stroll", f - 1)).norm() < 0.25f);
    const std::size_t last = diver.clip("crouch").frame_count() - 1;
    CHECK(middle("crouch", last).y() < 0.3f);
    CHECK((middle("crouch", last) - head("crouch", last)).norm() > 0.8f);
    CHECK((middle("idle", 20) - head("idle", 20)).norm() < 0.35f);

    const std::string off = (scratch / "off.glb").string();
    CHECK(run_tool("equip " + out + " --take oilskin-hat -o " + off).status == 0);
    CHECK(json::parse(run_tool("equip " + off + " --json").out)["props"].empty());
    CHECK(io::load_character(off).props.empty());
    CHECK(fs::file_size(off) == fs::file_size(k_diver));

    const std::string start = "equip " + k_diver + " --put " + hat + "@head -o " + off + ' ';
    check_refused([&](const std::string& words) { return start + words; },
                  {{"--let-go stroll:20=oilskin-cap", "oilskin-hat"},
                   {"--let-go stroll:9999=oilskin-hat", "its frames are 0 to"},
                   {"--let-go stroll:2.5=oilskin-hat", "whole"},
                   {"--let-go stroll:5=oilskin-hat stroll:9=oilskin-hat", "gone since frame 5"},
                   {"--put " + k_lantern + "@hand.left --let-go stroll:5=oilskin-hat --push lantern=0,0,1",
                    "'lantern' is let go"},
                   {"--let-go oilskin-hat", "give a clip"},
                   {"--let-go strol:20=oilskin-hat", "stroll"},
                   {"--let-go stroll:20=oilskin-hat --push oilskin-hat=1,2", "give a name and a position"},
                   {"--push oilskin-hat=0,0,1", "--let-go"},
                   {"--let-go stroll:20=oilskin-hat --terrain nothing.glb", "nothing.glb"}});
}

TEST_CASE("a puppet without a skin carries, switches and drops things, and they are no bones of it") {
    workshop::Scratch scratch;
    const std::string puppet = workshop::demo("lantern-man.glb").string();
    const std::string sheet = (scratch / "puppet.rig.json").string();
    const auto survey = json::parse(run_tool("survey " + puppet + " --json").out);
    REQUIRE(run_tool("socket add " + puppet + " paw --bone forearm_left --kind grip -o " + sheet).status ==
            0);
    REQUIRE(run_tool("socket add " + sheet + " hook --bone breast --kind holster -o " + sheet).status == 0);
    const std::string out = (scratch / "out.glb").string();
    const auto put =
        run_tool("equip " + sheet + " --put " + k_lantern + "@paw+hook,scale=0.3 " +
                 workshop::demo("oilskin-hat.glb").string() +
                 "@head,scale=0.3 --switch bow:10=lantern@hook --let-go bow:12=oilskin-hat -o " + out);
    REQUIRE_MESSAGE(put.status == 0, put.err);
    const auto after = json::parse(run_tool("survey " + out + " --json").out);
    CHECK(after["bones"].size() == survey["bones"].size());
    const std::string off = (scratch / "off.glb").string();
    CHECK(run_tool("equip " + out + " --take-all -o " + off).status == 0);
    CHECK(fs::file_size(off) == fs::file_size(puppet));
}

TEST_CASE("a swing is swept against a mesh and a body, by windows of the line and of the sheet") {
    workshop::Scratch scratch;
    const std::string mallet = workshop::demo("mallet.glb").string();
    const std::string post = workshop::demo("mooring-post.glb").string();
    const std::string out = (scratch / "armed.glb").string();
    REQUIRE(run_tool("equip " + k_diver + " --put " + mallet + "@hand.right -o " + out).status == 0);
    const std::string tall = (scratch / "tall.glb").string();
    CHECK(run_tool("equip " + workshop::demo("stoker.glb").string() + " --put " + mallet + "@hand.right -o " +
                   tall)
              .out.find("prop.in-metres") != std::string::npos);
    CHECK(run_tool("equip " + workshop::demo("stoker.glb").string() + " --put " + mallet +
                   "@hand.right,scale=1 -o " + tall)
              .out.find("prop.in-metres") == std::string::npos);
    const std::string sheet = (scratch / "armed.rig.json").string();
    const std::string swing = "sweep " + out + " --clip swing-mallet --volume mallet.head --window ";
    const auto hits = run_tool(swing + "0..60 --against " + k_bosun + " --at 0,0,0.8 --json -o " + sheet);
    REQUIRE(hits.status == 0);
    const json window = json::parse(hits.out)["windows"][0];
    REQUIRE(!window["touches"].empty());
    double last = 0.0;
    for (const json& touch : window["touches"]) {
        CHECK(touch["frame"].get<double>() >= last);
        last = touch["frame"].get<double>();
        CHECK(touch["bone"].get<std::string>().starts_with("Bo."));
    }
    // The same from the sheet, and in seconds.
    const auto kept = run_tool("sweep " + sheet + " --against " + k_bosun + " --at 0,0,0.8 --json");
    CHECK(json::parse(kept.out)["windows"][0]["touches"] == window["touches"]);
    const auto seconds = run_tool(swing + "0s..2s --against " + k_bosun + " --at 0,0,0.8 --json");
    CHECK(json::parse(seconds.out)["windows"][0]["touches"] == window["touches"]);
    const auto only = [&](const char* group) {
        const std::string words = std::string("0..60 --group ") + group + " --against " + k_bosun;
        return json::parse(run_tool(swing + words + " --at 0,0,0.8 --json").out)["windows"][0]["touches"];
    };
    // One that is ten times as large in its file is as large in metres.
    const auto stoker = json::parse(
        run_tool(swing + "0..60 --against " + workshop::demo("stoker.glb").string() + " --at 0,0,0.8 --json")
            .out);
    const json& first = stoker["windows"][0]["touches"][0];
    CHECK(first["target"] == "chest");
    CHECK(std::abs(first["frame"].get<double>() - window["touches"][0]["frame"].get<double>()) < 1.0);
    CHECK(std::abs(first["point"][1].get<double>() - window["touches"][0]["point"][1].get<double>()) < 0.1);
    CHECK(only("trunk") == window["touches"]);  // chest and spine
    CHECK(only("head").empty());
    const auto mesh = run_tool(swing + "0..60 --against " + post + " --at 0,0.4,0.9");
    CHECK(mesh.status == 0);
    CHECK(mesh.out.find("mooring-post") != std::string::npos);
    const auto nothing = run_tool(swing + "0..60 --against " + post + " --at 9,0,9");
    CHECK(nothing.out.find("touches nothing") != std::string::npos);
    CHECK(run_tool(swing + "0..600 --against " + post).out.find("window.outside-clip") != std::string::npos);

    check_refused(
        [&](const std::string& words) { return words; },
        {{swing + "40..20 --against " + post, "earlier time first"},
         {swing + "forty --against " + post, "20..40"},
         {swing + "1s..20 --against " + post, "20..40"},
         {"sweep " + out + " --clip swing-mallet --volume mallet.haed --window 1..2 --against " + post,
          "mallet.head"},
         {"sweep " + out + " --against " + post, "no window"},
         {swing + "0..60", "--against"},
         {swing + "0..60 --against nothing.glb", "nothing.glb"},
         {swing + "0..60 --against-clip x --against " + post, "no body"}});
    std::ifstream in(sheet);
    json text = json::parse(in);
    text["windows"][0]["to"] = 0;
    text["windows"][0]["from"] = 9;
    std::ofstream(sheet) << text.dump(2);
    CHECK(run_tool("sweep " + sheet + " --against " + post).err.find("/windows/0/to") != std::string::npos);
}
