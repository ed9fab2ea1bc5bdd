// `dendraxis ragdoll` as a user runs it.
#include "workshop.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using nlohmann::json;
using workshop::run_tool;

namespace {
using workshop::k_diver;
}

TEST_CASE("build, check, edit, drop, export and draw from the command line") {
    workshop::Scratch scratch;
    const std::string sheet = (scratch / "diver.rig.json").string();
    const auto built = run_tool("ragdoll build " + k_diver + " -o " + sheet);
    CHECK(built.status == 0);
    CHECK(built.out.find("upper-arm.left") != std::string::npos);
    CHECK(run_tool("ragdoll check " + sheet).status == 0);
    CHECK(run_tool("ragdoll build " + sheet + " --mirror left -o " + sheet).status == 0);
    CHECK(run_tool("ragdoll build " + sheet + " --learn " + k_diver + " -o " + sheet).status == 0);
    const auto told = json::parse(run_tool("ragdoll check " + sheet + " --json").out);
    CHECK(told["ragdoll"]["bodies"].size() == 16);

    const std::string fall = (scratch / "fall.glb").string();
    const std::string picture = (scratch / "fall.png").string();
    const auto dropped = run_tool("ragdoll drop " + k_diver + " --sheet " + sheet +
                                  " --height 1 --seed 3 --seconds 2 --fps 30 -o " + fall + " --picture " +
                                  picture + " --json");
    REQUIRE(dropped.status == 0);
    const json figures = json::parse(dropped.out);
    CHECK(figures["separation_mm"].get<double>() < 16.0);
    CHECK(figures["overshoot_p999_degrees"].get<double>() < 1.0);
    CHECK(figures["drops"] == 1);
    const dendraxis::Character fallen = dendraxis::io::load_character(fall);
    CHECK(fallen.clip("drop").frame_count() == 61);
    CHECK(std::filesystem::file_size(picture) > 20000);

    const std::string physics = (scratch / "physics.glb").string();
    CHECK(run_tool("ragdoll export " + sheet + " -o " + physics).status == 0);
    CHECK(run_tool("draw " + sheet + " --ragdoll --ranges -o " + picture).status == 0);
    const auto pushed = run_tool("ragdoll drop " + k_diver +
                                 " --clip stroll --frame 12 --seconds 1 --push chest=0,0,1e30 --terrain " +
                                 workshop::demo("steps.glb").string() + " --json");
    CHECK(pushed.status == 0);
    CHECK(pushed.out.find("ragdoll.push-clamped") != std::string::npos);
}

TEST_CASE("a ragdoll that is wrong fails its check, wrong usage is told in one line") {
    workshop::Scratch scratch;
    const std::string sheet = (scratch / "diver.rig.json").string();
    REQUIRE(run_tool("ragdoll build " + k_diver + " -o " + sheet).status == 0);
    REQUIRE(workshop::run("sed -i 's/\"mass\": [0-9.]*/\"mass\": 4, \"kinematic\": true/' " + sheet).status ==
            0);
    const auto checked = run_tool("ragdoll check " + sheet);
    CHECK(checked.status == 1);
    CHECK(checked.out.find("ragdoll.kinematic") != std::string::npos);

    struct Case {
        std::string arguments;
        int status;
        const char* words;
    };
    for (const Case& one :
         {Case{"ragdoll", 2, "subcommand"}, Case{"ragdoll drop " + k_diver, 2, "nothing to write"},
          Case{"ragdoll drop " + k_diver + " --push tail=0,0,1 --json", 2, "there is no body 'tail'"},
          Case{"ragdoll drop " + k_diver + " --speed 1,2 --json", 2, "give three numbers"},
          Case{"ragdoll drop " + k_diver + " --seconds 0 --json", 3, "cannot last that long"},
          Case{"ragdoll drop " + k_diver + " --fps 0 --json", 2, "no rate from 1 to 960"},
          Case{"ragdoll drop " + k_diver + " --clip strol --json", 3, "did you mean 'stroll'"},
          Case{"ragdoll drop " + k_diver + " --clip stroll --frame 9999 --json", 3, "has no frame"},
          Case{"ragdoll export " + k_diver + " -o " + k_diver, 2, "written over"},
          Case{"ragdoll build nothing.glb", 3, "nothing.glb"}}) {
        const auto outcome = run_tool(one.arguments);
        CAPTURE(one.arguments);
        CHECK(outcome.status == one.status);
        CHECK(outcome.err.find(one.words) != std::string::npos);
        CHECK(std::count(outcome.err.begin(), outcome.err.end(), '\n') == 1);
    }
}

TEST_CASE("chains sway in clips, the sheet holds how, and a person changes it there") {
    const workshop::Scratch scratch;
    const std::string hound = workshop::demo("hound.glb").string();
    const std::string out = (scratch / "sways.glb").string();
    const std::string sheet = (scratch / "hound.rig.json").string();
    const auto swayed =
        run_tool("ragdoll sway " + hound + " -o " + out + " --page " + (scratch / "sways.html").string());
    REQUIRE_MESSAGE(swayed.status == 0, swayed.err);
    CHECK(swayed.out.find("tail") != std::string::npos);
    CHECK(std::filesystem::file_size(scratch / "sways.html") > 100000);
    const dendraxis::Character again = dendraxis::io::load_character(out);
    CHECK(again.clips.size() == workshop::hound().clips.size());
    if (workshop::has_validator()) CHECK(workshop::validator_errors(out) == "");

    REQUIRE(run_tool("ragdoll build " + hound + " -o " + sheet).status == 0);
    json own = json::parse(dendraxis::io::read_text(sheet));
    REQUIRE(own["sway"].size() == 3);
    const auto with = [&](const json& sway) {
        own["sway"] = sway;
        dendraxis::io::write_text(sheet, own.dump(1));
        return run_tool("ragdoll sway " + sheet + " --clip trot --json");
    };
    const auto most = [](const workshop::Outcome& outcome) {
        return json::parse(outcome.out)["clips"][0]["chains"]["tail"]["most_turned_deg"].get<double>();
    };
    const auto soft = with({{{"name", "tail"}, {"frequency", 0.5}}});
    const auto stiff = with({{{"name", "tail"}, {"frequency", 20}}});
    REQUIRE_MESSAGE(soft.status == 0, soft.err);
    CHECK(most(soft) > 4.0 * most(stiff));
    CHECK(json::parse(soft.out)["sway"].size() == 1);
    const auto wrong = [&](const json& sway, const char* what) {
        const auto refused = with(sway);
        CHECK(refused.status == 3);
        CHECK(refused.err.find(what) != std::string::npos);
        CHECK(refused.err.find("hound.rig.json") != std::string::npos);
    };
    wrong({{{"name", "tale"}}}, "did you mean 'tail'");
    wrong({{{"name", "a"}, {"bones", {"tail_2", "tail_1"}}}}, "do not hang from each other");
    wrong({{{"name", "a"}, {"bones", {"tail_9"}}}}, "/sway/0/bones/0");
    wrong({{{"name", "tail"}}, {{"name", "tail"}}}, "two swaying chains");
    wrong({{{"name", "tail"}, {"frequency", -1}}}, "/sway/0/frequency");
    CHECK(run_tool("ragdoll sway " + hound).status == 2);
    CHECK(run_tool("ragdoll sway " + hound + " -o " + hound).status == 2);
    const auto bare = run_tool("ragdoll sway " + workshop::k_bosun + " -o " + out);
    CHECK(bare.status == 3);
    CHECK(bare.err.find("no clips") != std::string::npos);
    const auto none = run_tool("ragdoll sway " + workshop::k_diver + " --clip idle --json");
    CHECK(none.out.find("sway.no-chains") != std::string::npos);
}

TEST_CASE("of many findings of one kind a few are printed with their number, all are in the JSON") {
    const workshop::Scratch scratch;
    const std::string sheet = (scratch / "many.rig.json").string();
    REQUIRE(run_tool("ragdoll build " + k_diver + " -o " + sheet).status == 0);
    json own = json::parse(dendraxis::io::read_text(sheet));
    for (json& joint : own["ragdoll"]["joints"]) joint["twist"] = {-179, 179};
    dendraxis::io::write_text(sheet, own.dump(1));
    const auto told = run_tool("ragdoll check " + sheet);
    CHECK(told.status == 1);
    std::size_t lines = 0;
    for (std::size_t at = told.out.find("ragdoll.free-axis ["); at != std::string::npos;
         at = told.out.find("ragdoll.free-axis [", at + 1))
        ++lines;
    CHECK(lines == 4);
    CHECK(told.out.find("more ragdoll.free-axis") != std::string::npos);
    const json all = json::parse(run_tool("ragdoll check " + sheet + " --json").out);
    const auto count = std::count_if(all["findings"].begin(), all["findings"].end(), [](const json& finding) {
        return finding["code"] == "ragdoll.free-axis";
    });
    CHECK(count == static_cast<std::ptrdiff_t>(own["ragdoll"]["joints"].size()));
}
