// The commands as a user runs them, and the examples.
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <doctest/doctest.h>

#include <fstream>
#include <regex>
#include <set>
#include <sstream>

using namespace dendraxis;
using nlohmann::json;

namespace {

using workshop::k_bosun;
using workshop::k_diver;

json json_from(const std::string& arguments) {
    const auto outcome = workshop::run_tool(arguments);
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    return json::parse(outcome.out);
}

bool is_png(const workshop::fs::path& path) {
    return io::read_text(path).starts_with("\x89PNG");
}

}  // namespace

TEST_CASE("survey tells what a file holds") {
    const json survey = json_from("survey --json " + k_bosun);
    CHECK(survey["hips"] == "Bo.Pelvis");
    CHECK(survey["root"] == "Bo.Base");
    CHECK(survey["character"]["stance"] == "A");
    CHECK(survey["character"]["height"].get<double>() == doctest::Approx(1.64).epsilon(0.02));
    CHECK(survey["bones"].size() == workshop::bosun().skeleton.size());
    const std::string text = workshop::run_tool("survey " + k_diver).out;
    for (const char* wanted : {"stance   T", "metre", "stroll", "arm.left 1/3", "helper: end"})
        CHECK(text.find(wanted) != std::string::npos);
    CHECK(text.find('\033') == std::string::npos);  // no color where no terminal is
}

TEST_CASE("survey names an odd unit and up axis, a clip that never moves, a rest that is not the bind") {
    const workshop::Scratch scratch;
    Character odd = variants::scaled(
        variants::turned(workshop::diver(), Quat(Eigen::AngleAxisf(1.5707963f, Vec3::UnitX()))), 100.0f);
    Clip still{"stand", 30.0f, odd.skeleton.size(), {}};
    for (const Bone& bone : odd.skeleton.bones()) still.transforms.push_back(bone.rest);
    odd.clips = {still};
    for (std::size_t k = 0; k < 6; ++k) odd.meshes[0].inverse_bind[k].translate(Vec3(0, 0, 30));
    io::write_files(std::vector<io::OutputFile>{{scratch / "odd.glb", io::new_glb(odd)}});
    std::set<std::string> codes;
    const json survey = json_from("survey --json " + (scratch / "odd.glb").string());
    for (const json& finding : survey["findings"]) codes.insert(finding["code"].get<std::string>());
    for (const char* wanted :
         {"survey.unit", "survey.up-axis", "survey.still-clip", "survey.rest-is-not-bind"})
        CHECK(codes.contains(wanted));
}

TEST_CASE("chart --json is the sheet, a sheet stands for its character, and its edits count") {
    const workshop::Scratch scratch;
    const auto sheet = scratch / "diver.rig.json";
    json chart = json_from("chart --json " + k_diver + " -o " + sheet.string());
    CHECK(chart["format"] == "dendraxis-rig");
    CHECK(chart["chains"].size() == 23);
    CHECK(json_from("chart --json " + sheet.string())["hips"] == "hips");

    // Without its left arm in the sheet the arm is left over.
    json edited = json::parse(io::read_text(sheet));
    for (std::size_t i = 0; i < edited["chains"].size(); ++i) {
        if (edited["chains"][i]["name"] == "arm.left") edited["chains"].erase(i--);
    }
    std::ofstream(sheet) << edited.dump(2);
    const json pairing = json_from("pair --json " + sheet.string() + " " + k_bosun);
    const auto& leftovers = pairing["leftovers"];
    CHECK(std::any_of(leftovers.begin(), leftovers.end(),
                      [](const json& l) { return l["chain"] == "arm.left" && l["of"] == "target"; }));
}

TEST_CASE("a pairing file decides which chains move") {
    const workshop::Scratch scratch;
    const auto file = scratch / "p.pair.json";
    REQUIRE(workshop::run_tool("pair " + k_diver + " " + k_bosun + " -o " + file.string()).status == 0);
    json pairing = json::parse(io::read_text(file));
    for (std::size_t i = 0; i < pairing["chains"].size(); ++i) {
        if (pairing["chains"][i]["target"] == "head") pairing["chains"].erase(i--);
    }
    std::ofstream(file) << pairing.dump(2);
    const json report =
        json_from("retarget --json --source " + k_diver + " --target " + k_bosun + " --pairing " +
                  file.string() + " --clip idle --clip stroll -o " + (scratch / "o.glb").string());
    CHECK(report["clips"].size() == 2);
    const Character result = io::load_character(scratch / "o.glb");
    CHECK(result.clips.size() == 2);
    const auto head = static_cast<std::size_t>(result.skeleton.find("Bo.Skull"));
    const auto nape = static_cast<std::size_t>(result.skeleton.find("Bo.Nape"));
    const Clip& idle = result.clip("idle");
    CHECK(idle.frame(0)[head].rotation.coeffs() == idle.frame(60)[head].rotation.coeffs());
    CHECK(idle.frame(0)[nape].rotation.coeffs() != idle.frame(60)[nape].rotation.coeffs());
}

TEST_CASE("one file a clip, or another rate") {
    const workshop::Scratch scratch;
    const std::string both = "retarget --source " + k_diver + " --target " + k_bosun;
    REQUIRE(workshop::run_tool(both + " --out-dir " + (scratch / "clips").string()).status == 0);
    for (const char* name : {"idle", "stroll", "wave-lantern"}) {
        const Character one = io::load_character(scratch / "clips" / (std::string(name) + ".glb"));
        CHECK(one.clips.size() == 1);
        CHECK(one.clips[0].name == name);
    }
    CHECK(scratch.file_count() == 9);
    const json fast =
        json_from(both + " --json --fps 60 --clip stroll -o " + (scratch / "fast.glb").string());
    CHECK(fast["clips"][0]["frames"] == 133);
    CHECK(io::load_character(scratch / "fast.glb").clip("stroll").seconds() == doctest::Approx(2.2));
    // Same input, same bytes.
    REQUIRE(workshop::run_tool(both + " -o " + (scratch / "a.glb").string()).status == 0);
    REQUIRE(workshop::run_tool(both + " -o " + (scratch / "b.glb").string()).status == 0);
    CHECK(io::read_bytes(scratch / "a.glb") == io::read_bytes(scratch / "b.glb"));
    // A clip of the same name is replaced, not doubled.
    const json again =
        json_from("retarget --json --source " + k_diver + " --target " + (scratch / "a.glb").string() +
                  " --clip idle -o " + (scratch / "c.glb").string());
    CHECK(again["findings"][0]["code"] == "retarget.clip-replaced");
    CHECK(io::load_character(scratch / "c.glb").clips.size() == 8);
}

TEST_CASE("draw makes pictures") {
    const workshop::Scratch scratch;
    for (const std::string& arguments :
         {std::string(), " --beside " + k_bosun, std::string(" --chart"), " --chart --beside " + k_bosun,
          std::string(" --clip stroll --frame 1 20 40 --view side")}) {
        REQUIRE(workshop::run_tool("draw " + k_diver + arguments + " -o " + (scratch / "p.png").string())
                    .status == 0);
        CHECK(is_png(scratch / "p.png"));
    }
}

TEST_CASE("draw --json tells of the picture, whatever its name") {
    const workshop::Scratch scratch;
    const json picture =
        json_from("draw --json --chart " + k_diver + " -o '" + (scratch / "a \"b\" c.png").string() + "'");
    CHECK(picture["panels"] == 2);
    CHECK(is_png(picture["file"].get<std::string>()));
}

namespace {

// Checks the help of a command and of all commands in it; returns how many.
int check_help(const std::string& command) {
    CAPTURE(command);
    const auto outcome = workshop::run_tool(command + " --help");
    CHECK(outcome.status == 0);
    CHECK(outcome.err.empty());
    const std::size_t list = outcome.out.find("Subcommands:\n");
    if (list == std::string::npos) {
        const std::size_t example = outcome.out.find("Example:\n  dendraxis" + command + " ");
        REQUIRE(example != std::string::npos);
        // The JSON files that it names end as ours do.
        const std::set<std::string> endings{".rig", ".pair", ".prop", ".cast", ".puppet"};
        std::istringstream words(outcome.out.substr(example));
        for (std::string word; words >> word;) {
            if (!word.ends_with("json") || word.starts_with("--")) continue;
            CAPTURE(word);
            CHECK(endings.contains(workshop::fs::path(word).stem().extension().string()));
        }
        return 1;
    }
    int count = 1;
    std::istringstream lines(outcome.out.substr(list));
    std::string line;
    std::getline(lines, line);
    while (std::getline(lines, line) && line.starts_with("  "))
        count += check_help(command + " " + line.substr(2, line.find(' ', 2) - 2));
    return count;
}

}  // namespace

TEST_CASE("help is there for every command, with an example") {
    CHECK(check_help("") >= 25);
    CHECK(workshop::run_tool("--version").out.starts_with("dendraxis "));
}

TEST_CASE("the demo runs and names what to open") {
    const workshop::Scratch scratch;
    const auto outcome = workshop::run_tool("demo --out " + (scratch / "d").string());
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    CHECK(is_png(scratch / "d/stroll.png"));
    CHECK(io::load_character(scratch / "d/bosun-moving.glb").clips.size() == 8);
    CHECK(outcome.out.find("open these") != std::string::npos);
    CHECK(json_from("demo --json --out " + (scratch / "e").string())["clips"].size() == 8);
}

TEST_CASE("the demo characters are what their program makes") {
    const workshop::Scratch scratch;
    REQUIRE(workshop::run(std::string(DENDRAXIS_MAKE_HARBOUR) + " " + scratch.path().string()).status == 0);
    for (const char* name : {"diver.glb", "bosun.glb"}) {
        CHECK(workshop::fs::file_size(workshop::demo(name)) < 1024 * 1024);
        const Character made = io::load_character(scratch / name);
        const Character kept = io::load_character(workshop::demo(name));
        CHECK(made.skeleton.size() == kept.skeleton.size());
        for (const Clip& clip : kept.clips)
            CHECK(variants::worst_distance(kept.skeleton, clip, made.skeleton, made.clip(clip.name)) < 1e-4f);
    }
}

TEST_CASE("the example that runs every frame changes its target on the fly") {
    const auto outcome = workshop::run(DENDRAXIS_EXAMPLES "/02_every_frame " + k_diver + " stroll " +
                                       k_bosun + " " + workshop::demo("deckhand.glb").string());
    CHECK(outcome.status == 0);
    CHECK(outcome.out.find("frame   0  bosun") != std::string::npos);
    CHECK(outcome.out.find("frame  30  deckhand") != std::string::npos);
}

TEST_CASE("the examples run") {
    const workshop::Scratch scratch;
    const std::string out = (scratch / "ex.glb").string();
    const auto outcome =
        workshop::run(DENDRAXIS_EXAMPLES "/01_first_retarget " + k_diver + " " + k_bosun + " " + out);
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    CHECK(io::load_character(out).clips.size() == 8);
    CHECK(workshop::run(DENDRAXIS_EXAMPLES "/13_no_files").status == 0);
}

TEST_CASE("every finding's code is explained in the docs") {
    const std::string docs = io::read_text(workshop::fs::path(DENDRAXIS_SOURCE) / "docs" / "findings.md");
    const std::regex code(
        "\"((?:skeleton|clip|chart|survey|pair|retarget|rebind|compare|sheet|stance|review|bvh|ground|"
        "ragdoll|socket|prop|piece|window)\\.[a-"
        "z-]+)"
        "\"");
    std::size_t seen = 0;
    for (const auto& entry :
         workshop::fs::recursive_directory_iterator(workshop::fs::path(DENDRAXIS_SOURCE))) {
        const std::string path = entry.path().string();
        const bool code_file = path.ends_with(".cpp") && (path.find("/src/") != std::string::npos ||
                                                          path.find("/tool/") != std::string::npos);
        if (!code_file || path.find("/tests/") != std::string::npos ||
            path.find("/build/") != std::string::npos)
            continue;
        const std::string text = io::read_text(entry.path());
        for (std::sregex_iterator it(text.begin(), text.end(), code), end; it != end; ++it) {
            CAPTURE(it->str(1));
            CHECK(docs.find("`" + it->str(1) + "`") != std::string::npos);
            ++seen;
        }
    }
    CHECK(seen > 10);
}
