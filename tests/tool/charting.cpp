// Charting from the command line: explained, drawn with its runners-up, refused where there is no body.
#include "crowd.hpp"
#include "workshop.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <doctest/doctest.h>
#include <nlohmann/json.hpp>

#include <algorithm>

using namespace dendraxis;
using nlohmann::json;

namespace {

const std::string k_stoker = workshop::demo("stoker.glb").string();

}  // namespace

TEST_CASE("chart --explain tells evidence and runner-up, and names the nearest bone where there is none") {
    const auto text = workshop::run_tool("chart " + k_stoker + " --explain palm_L");
    CHECK(text.status == 0);
    for (const char* wanted :
         {"palm_L is arm.left", "it ends in several digits", "it hangs on 'LoArmL'", "runner-up:"})
        CHECK(text.out.find(wanted) != std::string::npos);
    const auto found = json::parse(workshop::run_tool("chart " + k_stoker + " --explain foot.R --json").out);
    CHECK(found["role"] == "leg.right");
    CHECK(found["confidence"] > 0.9);
    CHECK(found["evidence"].size() >= 4);
    CHECK(found["margin"] > 0.5);
    const auto wrong = workshop::run_tool("chart " + k_stoker + " --explain palm_l");
    CHECK(wrong.status == 3);
    CHECK(wrong.err.find("did you mean 'palm_L'?") != std::string::npos);
}

TEST_CASE("draw --readings shows the best ways to read a body, and refuses what is none") {
    const workshop::Scratch scratch;
    const auto drawn =
        workshop::run_tool("draw " + k_stoker + " --readings 3 --json -o " + (scratch / "r.png").string());
    CHECK(drawn.status == 0);
    CHECK(json::parse(drawn.out)["panels"] == 3);
    const auto none = workshop::run_tool("draw " + workshop::demo("mallet.glb").string() +
                                         " --readings 3 -o " + (scratch / "n.png").string());
    CHECK(none.status == 3);
    CHECK(none.err.find("has no body to read") != std::string::npos);
    CHECK(!workshop::fs::exists(scratch / "n.png"));
}

TEST_CASE("what needs hips stops with one line where there are none, and writes nothing") {
    const workshop::Scratch scratch;
    const crowd::Body thing = crowd::plain_body(2, crowd::Kind::none, crowd::Names::none);
    const std::string file = (scratch / "thing.glb").string();
    io::write_files(std::vector<io::OutputFile>{{file, io::new_glb(thing.character)}});
    const std::string out = (scratch / "out").string();
    for (const std::string& line :
         {"ragdoll build " + file + " -o " + out + ".rig.json",
          "retarget --source " + k_stoker + " --target " + file + " -o " + out + ".glb"}) {
        CAPTURE(line);
        const auto refused = workshop::run_tool(line);
        CHECK(refused.status == 3);
        CHECK(refused.err.find("has no hips") != std::string::npos);
        CHECK(std::count(refused.err.begin(), refused.err.end(), '\n') == 1);
    }
    CHECK(!workshop::fs::exists(out + ".rig.json"));
    CHECK(!workshop::fs::exists(out + ".glb"));
}

TEST_CASE("survey names the two units that would suit a figure of an odd size") {
    const auto survey = json::parse(workshop::run_tool("survey " + k_stoker + " --json").out);
    std::string message;
    for (const json& finding : survey["findings"]) {
        if (finding["code"] == "survey.unit") message = finding["message"].get<std::string>();
    }
    CHECK(message.find("decimetre (1.80 m tall)") != std::string::npos);
    CHECK(survey["confidence"] > 0.9);
}
