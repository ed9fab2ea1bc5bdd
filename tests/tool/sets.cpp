// Whole sets of motion, review and conversion through the tool.
#include "workshop.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <doctest/doctest.h>

#include <fstream>

using namespace dendraxis;
using nlohmann::json;

namespace {

using workshop::k_bosun;
using workshop::k_diver;

// A folder of three clips as BVH.
workshop::fs::path motion_folder(const workshop::Scratch& scratch) {
    const auto folder = scratch / "motion";
    for (const std::string clip : {"idle", "stroll", "crouch"}) {
        const auto outcome = workshop::run_tool("convert " + k_diver + " " +
                                                (folder / (clip + ".bvh")).string() + " --clip " + clip);
        REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    }
    return folder;
}

json report_of(const std::string& arguments, int status = 0) {
    const auto outcome = workshop::run_tool(arguments + " --json");
    REQUIRE_MESSAGE(outcome.status == status, outcome.err);
    return json::parse(outcome.out);
}

}  // namespace

TEST_CASE("a folder of BVH files in one call: names, threads, what is up to date, what fails") {
    const workshop::Scratch scratch;
    const auto folder = motion_folder(scratch);
    const std::string call =
        "retarget --target " + k_bosun + " --motion " + folder.string() + " --prefix b_ --suffix _v1";
    const json first = report_of(call + " --jobs 1 --out-dir " + (scratch / "one").string());
    REQUIRE(first["clips"].size() == 3);
    CHECK(first["clips"][0]["clip"] == "b_crouch_v1");
    CHECK(first["clips"][0]["status"] == "done");
    report_of(call + " --jobs 4 --out-dir " + (scratch / "four").string());
    for (const char* name : {"b_crouch_v1.glb", "b_idle_v1.glb", "b_stroll_v1.glb"}) {
        CHECK(io::read_bytes(scratch / "one" / name) == io::read_bytes(scratch / "four" / name));
        if (workshop::has_validator()) CHECK(workshop::validator_errors(scratch / "one" / name) == "");
    }
    // Nothing is redone; a changed motion is, and a broken one is told while the others stay.
    const auto written = workshop::fs::last_write_time(scratch / "one/b_idle_v1.glb");
    io::write_text(folder / "stroll.bvh", io::read_text(folder / "crouch.bvh"));
    io::write_text(folder / "zz.bvh", "HIERARCHY\nROOT a\n{\n");
    const json again = report_of(call + " --out-dir " + (scratch / "one").string(), 1);
    CHECK(again["clips"][0]["status"] == "up to date");
    CHECK(again["clips"][1]["status"] == "up to date");
    CHECK(again["clips"][2]["status"] == "done");
    CHECK(again["clips"][3]["status"] == "failed");
    CHECK(again["clips"][3]["error"].get<std::string>().find("zz.bvh: the file ends") != std::string::npos);
    CHECK(workshop::fs::last_write_time(scratch / "one/b_idle_v1.glb") == written);
    // Into one file; another setting does it anew.
    workshop::fs::remove(folder / "zz.bvh");
    const std::string all = call + " -o " + (scratch / "all.glb").string();
    CHECK(report_of(all)["clips"][0]["status"] == "done");
    CHECK(report_of(all)["clips"][0]["status"] == "up to date");
    CHECK(report_of(all + " --fps 60")["clips"][0]["status"] == "done");
    CHECK(io::load_character(scratch / "all.glb").clips.size() == 3);
}

TEST_CASE("motion of the source's own bones goes by the source and its pairing") {
    const workshop::Scratch scratch;
    const std::string pairing = (scratch / "p.json").string();
    REQUIRE(workshop::run_tool("pair " + k_diver + " " + k_bosun + " -o " + pairing).status == 0);
    const std::string call =
        "retarget --source " + k_diver + " --target " + k_bosun + " --pairing " + pairing;
    report_of(call + " --clip stroll -o " + (scratch / "a.glb").string());
    report_of(call + " --motion " + k_diver + " --clip stroll -o " + (scratch / "b.glb").string());
    const Clip a = io::load_character(scratch / "a.glb").clip("stroll");
    const Clip b = io::load_character(scratch / "b.glb").clip("stroll");
    CHECK(a.transforms.size() == b.transforms.size());
    CHECK(a.frame(9)[7].rotation.coeffs() == b.frame(9)[7].rotation.coeffs());
    CHECK(workshop::run_tool("retarget --target " + k_bosun + " --pairing " + pairing + " --motion " +
                             k_diver + " -o x.glb")
              .status == 2);
    CHECK(workshop::run_tool("retarget --target " + k_bosun + " -o x.glb").status == 2);
}

TEST_CASE("settings in the pairing file are read, and wrong ones told where they stand") {
    const workshop::Scratch scratch;
    const auto file = scratch / "p.json";
    REQUIRE(workshop::run_tool("pair " + k_diver + " " + k_bosun + " -o " + file.string()).status == 0);
    const json plain = json::parse(io::read_text(file));
    const auto run = [&](const json& pairing) {
        io::write_text(file, pairing.dump(1));
        return workshop::run_tool("retarget --source " + k_diver + " --target " + k_bosun + " --pairing " +
                                  file.string() + " --clip stroll -o " + (scratch / "o.glb").string());
    };
    json good = plain;
    good["root_motion"] = {{{"clips", "str*"}, {"how", "in-place"}}};
    good["positions"] = {{{"clips", "*"}, {"chains", "arm.*"}, {"how", "dropped"}}};
    good["turns"] = {{{"bone", "Bo.L.UpArm"}, {"degrees", {0, 0, 10}}}};
    good["source_stance"] = {{"clip", "idle"}, {"frame", 0}};
    good["contacts"] = {{{"clip", "stroll"}, {"leg", "leg.left"}, {"from", 1}, {"to", 9}}};
    good["offsets"] = {{{"chain", "arm.left"}, {"metres", {0.02, 0, 0}}}};
    good["passes"]["ranges"] = false;
    good["gate"]["pops"] = 3;
    CHECK(run(good).status == 0);
    const auto wrong = [&](const char* key, const json& value, const std::string& says) {
        json bad = plain;
        bad[key] = value;
        const auto outcome = run(bad);
        CAPTURE(outcome.err);
        CHECK(outcome.status == 3);
        CHECK(outcome.err.find(says) != std::string::npos);
    };
    wrong("root_motion", {{{"clips", "*"}, {"how", "sideways"}}}, "/root_motion/0");
    wrong("positions", {{{"clips", "*"}, {"how", "kept"}}}, "/positions/0");
    wrong("turns", {{{"bone", "Bo.L.UpArn"}, {"degrees", {0, 0, 10}}}}, "did you mean 'Bo.L.UpArm'");
    wrong("source_stance", {{"clip", "idel"}, {"frame", 0}}, "did you mean 'idle'");
    wrong("source_stance", {{"clip", "idle"}, {"frame", 999}}, "/source_stance/frame");
    wrong("target_stance", "carry", "/target_stance");
    wrong("contacts", {{{"clip", "stroll"}, {"leg", "leg.left"}, {"from", 9}, {"to", 1}}}, "/contacts/0/to");
    wrong("offsets", {{{"chain", "spine"}, {"metres", {0, 0, 0}}}}, "only arms and legs");
    wrong("gate", {{"foot_slid_mm", 3}}, "did you mean 'foot_slide_mm'");
}

TEST_CASE("review: a table for people, JSON for scripts, a gate for the night") {
    const workshop::Scratch scratch;
    const std::string good = (scratch / "good.glb").string();
    const std::string bare = (scratch / "bare.glb").string();
    const auto pairing = scratch / "p.json";
    REQUIRE(workshop::run_tool("pair " + k_diver + " " + k_bosun + " -o " + pairing.string()).status == 0);
    const std::string call = "retarget --source " + k_diver + " --target " + k_bosun;
    REQUIRE(workshop::run_tool(call + " -o " + good).status == 0);
    json off = json::parse(io::read_text(pairing));
    off["passes"] = {{"feet", false}, {"hands", false}, {"clearance", false}, {"ranges", false}};
    io::write_text(pairing, off.dump(1));
    REQUIRE(workshop::run_tool(call + " --pairing " + pairing.string() + " -o " + bare).status == 0);
    const std::string review = "review --source " + k_diver + " --result ";
    const auto passed = workshop::run_tool(review + good + " --gate");
    CHECK(passed.status == 0);
    CHECK(passed.out.find("all gates hold") != std::string::npos);
    CHECK(passed.out.find("haul-rope") != std::string::npos);
    const auto failed = workshop::run_tool(review + bare + " --gate");
    CHECK(failed.status == 1);
    CHECK(failed.out.find("review.foot-slide [stroll, frame") != std::string::npos);
    CHECK(workshop::run_tool(review + bare).status == 0);
    const json report = report_of(review + bare + " --clip crouch");
    REQUIRE(report["clips"].size() == 1);
    CHECK(report["clips"][0]["measures"]["clipping_mm"]["value"] > 50.0);
    CHECK(report["passed"] == false);
    CHECK(workshop::run_tool(review + k_bosun).status == 3);
    CHECK(workshop::run_tool(review + good + " --clip crouhc").err.find("did you mean") != std::string::npos);
}

TEST_CASE("converting between BVH and GLB") {
    const workshop::Scratch scratch;
    const std::string glb = (scratch / "stroll.glb").string();
    const std::string bvh = (scratch / "stroll.bvh").string();
    CHECK(workshop::run_tool("convert " + k_diver + " " + bvh).status == 3);  // which of the clips?
    REQUIRE(workshop::run_tool("convert " + k_diver + " " + bvh + " --clip stroll").status == 0);
    REQUIRE(workshop::run_tool("convert " + bvh + " " + glb).status == 0);
    CHECK(io::load_character(glb).clip("stroll").frame_count() == 67);
    if (workshop::has_validator()) CHECK(workshop::validator_errors(glb) == "");
    CHECK(workshop::run_tool("survey " + bvh).status == 0);
    CHECK(workshop::run_tool("convert " + bvh + " " + (scratch / "a.txt").string()).status == 2);
}

TEST_CASE("the motion that is read is never written over, nor is another character's sheet") {
    const workshop::Scratch scratch;
    const auto folder = scratch / "motion";
    workshop::fs::create_directories(folder);
    workshop::fs::copy_file(k_diver, folder / "stroll.glb");
    const auto before = io::read_bytes(folder / "stroll.glb");
    const std::string call =
        "retarget --target " + k_bosun + " --motion " + folder.string() + " --clip stroll";
    for (const std::string& out :
         {" --out-dir " + folder.string(), " -o " + (folder / "stroll.glb").string()}) {
        const auto outcome = workshop::run_tool(call + out);
        CHECK(outcome.status == 3);
        CHECK(outcome.err.find("would be written over while it is read") != std::string::npos);
        CHECK(io::read_bytes(folder / "stroll.glb") == before);
    }

    const auto sheet = scratch / "bosun.rig.json";
    REQUIRE(workshop::run_tool("chart " + k_bosun + " -o " + sheet.string()).status == 0);
    const std::string text = io::read_text(sheet);
    for (const std::string& command :
         {"chart " + k_diver, "ragdoll build " + k_diver, "socket list " + k_diver + " --suggest"}) {
        const auto outcome = workshop::run_tool(command + " -o " + sheet.string());
        CAPTURE(command);
        CHECK(outcome.status == 2);
        CHECK(io::read_text(sheet) == text);
    }
    CHECK(workshop::run_tool("chart " + sheet.string() + " -o " + sheet.string()).status == 0);

    // A sheet stands for its character's file.
    workshop::fs::copy_file(k_bosun, scratch / "own.glb");
    const auto own = scratch / "own.rig.json";
    REQUIRE(workshop::run_tool("chart " + (scratch / "own.glb").string() + " -o " + own.string()).status ==
            0);
    const auto bytes = io::read_bytes(scratch / "own.glb");
    for (const std::string& command :
         {"solve " + own.string() + " --reach hand.left=0,1,0", "ragdoll drop " + own.string()}) {
        const auto outcome = workshop::run_tool(command + " -o " + (scratch / "own.glb").string());
        CAPTURE(command);
        CHECK(outcome.status != 0);
        CHECK(io::read_bytes(scratch / "own.glb") == bytes);
    }
}

TEST_CASE("clips that would get one file's name: the first does, the same one for any number of threads") {
    const workshop::Scratch scratch;
    const auto folder = scratch / "motion";
    for (const std::string name : {"a/stroll.bvh", "b/stroll.bvh", "c/idle.bvh"})
        REQUIRE(workshop::run_tool("convert " + k_diver + " " + (folder / name).string() + " --clip " +
                                   (name.starts_with("c")   ? "idle"
                                    : name.starts_with("a") ? "stroll"
                                                            : "crouch"))
                    .status == 0);
    for (const std::string jobs : {"1", "4"}) {
        const auto out = scratch / ("out" + jobs);
        const json report = report_of("retarget --target " + k_bosun + " --motion " + folder.string() +
                                          " --out-dir " + out.string() + " --jobs " + jobs,
                                      1);
        REQUIRE(report["clips"].size() == 3);
        CHECK(report["clips"][0]["status"] == "done");
        CHECK(report["clips"][1]["status"] == "failed");
        CHECK(report["clips"][1]["error"].get<std::string>().find("two clips") != std::string::npos);
        CHECK(report["clips"][2]["status"] == "done");
    }
    CHECK(io::read_bytes(scratch / "out1/stroll.glb") == io::read_bytes(scratch / "out4/stroll.glb"));
}

TEST_CASE("a damaged result, or one whose source drew in other bytes, is made again") {
    const workshop::Scratch scratch;
    const auto out = scratch / "o";
    const std::string call =
        "retarget --source " + k_diver + " --target " + k_bosun + " --clip idle --out-dir " + out.string();
    const auto status = [&] { return report_of(call)["clips"][0]["status"].get<std::string>(); };
    CHECK(status() == "done");
    CHECK(status() == "up to date");
    const auto whole = io::read_bytes(out / "idle.glb");
    const auto write = [&](std::vector<std::uint8_t> bytes) {
        const io::OutputFile file{out / "idle.glb", std::move(bytes)};
        io::write_files({&file, 1});
    };
    write({whole.begin(), whole.end() - 40});
    CHECK(status() == "done");
    auto changed = whole;
    changed[changed.size() - 9] ^= 1;
    write(changed);
    CHECK(status() == "done");
    CHECK(io::read_bytes(out / "idle.glb") == whole);
    CHECK(status() == "up to date");
}

TEST_CASE("a result stays up to date from wherever the tool is run, until the sheet changes") {
    const workshop::Scratch scratch;
    workshop::fs::copy_file(workshop::demo("bosun.glb"), scratch / "bosun.glb");
    const auto sheet = scratch / "bosun.rig.json";
    REQUIRE(
        workshop::run_tool("chart " + (scratch / "bosun.glb").string() + " -o " + sheet.string()).status ==
        0);
    const auto status_in = [&](const std::string& folder, const std::string& target) {
        const auto outcome =
            workshop::run("cd " + folder + " && " + DENDRAXIS_TOOL + " retarget --json --source " + k_diver +
                          " --target " + target + " --clip idle --out-dir " + (scratch / "o").string());
        REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
        return json::parse(outcome.out)["clips"][0]["status"].get<std::string>();
    };
    CHECK(status_in("/", sheet.string()) == "done");
    CHECK(status_in(scratch.path().string(), "bosun.rig.json") == "up to date");
    json edited = json::parse(io::read_text(sheet));
    edited["remark"] = "by hand";
    io::write_text(sheet, edited.dump(1));
    CHECK(status_in(scratch.path().string(), "bosun.rig.json") == "done");
    // A clip that came out right but cannot be written has failed.
    const auto told = workshop::run_tool("retarget --source " + k_diver + " --target " + sheet.string() +
                                         " --clip idle --out-dir " + sheet.string());
    CHECK(told.status == 1);
    CHECK(told.out.find("30  failed") != std::string::npos);
}
