// Bad input: one line that says what and where, exit status 3 (2 for wrong usage), nothing left behind.
#include "workshop.hpp"

#include <dendraxis/io/write_file.hpp>

#include <doctest/doctest.h>

#include <cstdint>
#include <cstring>
#include <fstream>
#include <functional>
#include <limits>

using nlohmann::json;

namespace {

void check_refused(const workshop::Scratch& scratch, const workshop::fs::path& bad, const std::string& says) {
    const std::size_t files = scratch.file_count();
    const auto expect = [&](const workshop::Outcome& outcome) {
        CAPTURE(bad.string());
        CAPTURE(outcome.err);
        CHECK(outcome.status == 3);
        CHECK(outcome.out.empty());
        CHECK(std::count(outcome.err.begin(), outcome.err.end(), '\n') == 1);
        CHECK(outcome.err.starts_with("dendraxis: "));
        CHECK(outcome.err.find(bad.filename().string()) != std::string::npos);
        CHECK(outcome.err.find(says) != std::string::npos);
        CHECK(scratch.file_count() == files);
    };
    expect(workshop::run_tool("survey " + bad.string()));
    expect(workshop::run_tool("retarget --source " + bad.string() + " --target " +
                              workshop::demo("bosun.glb").string() + " -o " + (scratch / "o.glb").string()));
    expect(workshop::run_tool("retarget --source " + workshop::demo("diver.glb").string() + " --target " +
                              bad.string() + " --out-dir " + (scratch / "o").string()));
    expect(workshop::run_tool("draw " + bad.string() + " -o " + (scratch / "o.png").string()));
}

workshop::fs::path write(const workshop::Scratch& scratch, const std::string& name, const std::string& text) {
    std::ofstream(scratch / name, std::ios::binary) << text;
    return scratch / name;
}

// Two joints and one clip, all right; each case breaks one thing.
workshop::RawGltf sound_file() {
    workshop::RawGltf file;
    file.json["nodes"] = {{{"name", "hips"}, {"children", {1}}}, {{"name", "leg"}}};
    file.json["skins"] = {{{"joints", {0, 1}}}};
    const int times = file.floats({0, 1}, "SCALAR");
    file.channel(1, "translation", times, file.floats({0, 0, 0, 0, 0, 2}, "VEC3"));
    return file;
}

// Breaks one thing of a sound file and checks that it is refused.
struct Breaker {
    workshop::Scratch scratch;

    void operator()(const std::string& name, const std::string& says,
                    const std::function<void(workshop::RawGltf&)>& breaking) const {
        workshop::RawGltf file = sound_file();
        breaking(file);
        check_refused(scratch, file.write(scratch, name), says);
    }
};

}  // namespace

TEST_CASE("files that are cut off, empty, or something else") {
    const workshop::Scratch scratch;
    const std::string whole = dendraxis::io::read_text(workshop::demo("diver.glb"));
    check_refused(scratch, write(scratch, "cut.glb", whole.substr(0, whole.size() / 2)), "cut off");
    check_refused(scratch, write(scratch, "cut.glb", whole.substr(0, 9)), "cut off");
    // Its header agrees with the file, the second chunk goes on behind it.
    std::string short_chunk = whole.substr(0, whole.size() - 3);
    const auto size = static_cast<std::uint32_t>(short_chunk.size());
    std::memcpy(short_chunk.data() + 8, &size, sizeof(size));
    check_refused(scratch, write(scratch, "chunk.glb", short_chunk), "second chunk is cut off");
    check_refused(scratch, write(scratch, "empty.glb", ""), "empty");
    check_refused(scratch, write(scratch, "text.glb", "hello"), "not a glTF");
    check_refused(scratch, write(scratch, "list.gltf", "{\"name\": 3}"), "not a glTF");
    check_refused(scratch,
                  write(scratch, "comma.gltf", "{\"asset\": {\"version\": \"2.0\"},\n \"nodes\": [\n ,]}"),
                  "line 3");
    check_refused(scratch, scratch / "missing.glb", "No such file");
    CHECK(workshop::run_tool("survey " + scratch.path().string()).status == 3);
}

TEST_CASE("nesting, counts and numbers have limits that are told") {
    const workshop::Scratch scratch;
    const auto many = [](const std::string& text, int count) {
        std::string all;
        for (int i = 0; i < count; ++i) all += text;
        return all;
    };
    const std::string asset = "{\"asset\": {\"version\": \"2.0\"}, ";
    check_refused(
        scratch,
        write(scratch, "lists.gltf", asset + "\"extras\": " + many("[", 100000) + many("]", 100000) + "}"),
        "nested more than 200 deep");
    check_refused(scratch,
                  write(scratch, "objects.gltf",
                        asset + "\"extras\": " + many("{\"a\":", 100000) + "1" + many("}", 100001)),
                  "nested more than 200 deep");
    std::string members;
    for (int i = 0; i < 30000; ++i) members += "\"k" + std::to_string(i) + "\": 1, ";
    check_refused(scratch, write(scratch, "members.gltf", asset + members + "\"nodes\": []}"),
                  "an object of its JSON has more than 20000 members");
    check_refused(scratch,
                  write(scratch, "short.gltf",
                        asset + "\"buffers\": [{\"byteLength\": 100, \"uri\": "
                                "\"data:application/octet-stream;base64,AAAA\"}], \"nodes\": []}"),
                  "a buffer has fewer bytes than it says (buffer 0: 3 of 100 bytes)");
    const auto nodes = [&](const std::string& first) {
        return write(scratch, "nodes.gltf", asset + "\"nodes\": [" + first + ", {\"name\": \"b\"}]}");
    };
    check_refused(scratch, nodes("{\"children\": \"1\"}"), "'children' is no list of indices (/nodes/0)");
    check_refused(scratch, nodes("{\"children\": [1099511627776]}"), "no 1099511627776 in its nodes");
    check_refused(scratch, nodes("{\"children\": [-1]}"),
                  "there is no -1 in its nodes (/nodes/0/children/0)");
    check_refused(scratch, nodes("{\"name\": null}"), "a name is not a string (/nodes/0/name)");
    check_refused(scratch, nodes("{\"translation\": [0, 1]}"), "'translation' is not 3 numbers");
    check_refused(scratch, nodes("{\"scale\": [1e30, 1, 1]}"), "'scale' is not 3 numbers");
    check_refused(scratch, nodes("{\"scale\": [1e999, 1, 1]}"), "a number that is too large");
    std::string chain;
    for (int i = 1; i <= 2000; ++i) chain += "{\"children\": [" + std::to_string(i) + "]}, ";
    check_refused(scratch, write(scratch, "chain.gltf", asset + "\"nodes\": [" + chain + "{}]}"),
                  "hang more than 1000 deep");

    const std::string joint = "{\nOFFSET 0 1 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n";
    check_refused(scratch,
                  write(scratch, "deep.bvh", "HIERARCHY\nROOT a\n" + many(joint + "JOINT b\n", 100000)),
                  "hang more than 1000 deep");
    check_refused(scratch,
                  write(scratch, "ends.bvh", "HIERARCHY\nROOT a\n{\n" + many("End Site\n{\n", 100000)),
                  "hang more than 1000 deep");
    const std::string motion = "}\nMOTION\nFrames: 1\nFrame Time: 0.1\n0 0 0\n";
    check_refused(scratch, write(scratch, "inf.bvh", "HIERARCHY\nROOT a\n{\nOFFSET inf 1 0\n" + motion),
                  "'inf' is no finite number");
    check_refused(scratch,
                  write(scratch, "channels.bvh",
                        "HIERARCHY\nROOT a\n{\nOFFSET 0 0 0\nCHANNELS 4294967296 x\n" + motion),
                  "at most 16 channels");
    // Claims that the file cannot hold are told and not believed.
    for (const std::string frames : {"1000000000", "18446744073709551616"}) {
        const auto file = write(scratch, "claims.bvh",
                                "HIERARCHY\nROOT a\n" + joint +
                                    "End Site\n{\nOFFSET 0 1 0\n}\n}\nMOTION\nFrames: " + frames +
                                    "\nFrame Time: 0.1\n0 0 0\n");
        const auto outcome = workshop::run_tool("survey " + file.string());
        CHECK_MESSAGE(outcome.status == 0, outcome.err);
        CHECK(outcome.out.find("bvh.frame-count") != std::string::npos);
    }
}

TEST_CASE("files that hold together badly") {
    const Breaker broken;
    broken("no-nodes", "no bones",
           [](auto& f) { f.json.erase("nodes"), f.json.erase("skins"), f.json.erase("animations"); });
    broken("circle", "circle", [](auto& f) { f.json["nodes"] = {{{"children", {1}}}, {{"children", {0}}}}; });
    broken("two-parents", "below two nodes", [](auto& f) {
        f.json["nodes"] = {{{"children", {1}}}, json::object(), {{"children", {1}}}};
    });
    broken("child", "no 9 in its nodes", [](auto& f) { f.json["nodes"][0]["children"] = {9}; });
    broken("joint", "no 7 in its nodes (/skins/0/joints/1)", [](auto& f) {
        f.json["skins"][0]["joints"] = {0, 7};
    });
    broken("target", "no 5 in its nodes",
           [](auto& f) { f.json["animations"][0]["channels"][0]["target"]["node"] = 5; });
    broken("sampler", "'sampler' is no whole number from 0 to 0",
           [](auto& f) { f.json["animations"][0]["channels"][0]["sampler"] = 4; });
    broken("accessor", "no 77 in its accessors",
           [](auto& f) { f.json["animations"][0]["samplers"][0]["output"] = 77; });
    broken("reaches", "outside its buffer", [](auto& f) { f.json["accessors"][1]["count"] = 4000; });
    broken("view", "no 50 in its bufferViews", [](auto& f) { f.json["accessors"][1]["bufferView"] = 50; });
    broken("type", "another type", [](auto& f) { f.json["accessors"][1]["type"] = "VEC2"; });
    broken("few", "fewer values", [](auto& f) { f.json["accessors"][1]["count"] = 1; });
    broken("backward", "run backward", [](auto& f) {
        f.json["animations"][0]["samplers"][0]["input"] = f.floats({1, 0}, "SCALAR");
    });
    broken("nan", "not a number", [](auto& f) {
        f.json["animations"][0]["samplers"][0]["output"] =
            f.floats({0, 0, 0, std::numeric_limits<float>::quiet_NaN(), 0, 0}, "VEC3");
    });
    broken("endless", "million frames", [](auto& f) {
        f.json["animations"][0]["samplers"][0]["input"] = f.floats({0, 1e9f}, "SCALAR");
    });
}

TEST_CASE("what has the wrong type, sign or word, or asks for what is not read") {
    const Breaker broken;
    broken("nodes", "its nodes are no list", [](auto& f) { f.json["nodes"] = json::object(); });
    broken("version", "version 3.0", [](auto& f) { f.json["asset"]["version"] = "3.0"; });
    broken("needs", "version 2.9", [](auto& f) { f.json["asset"]["minVersion"] = "2.9"; });
    broken("extension", "requires the extension 'EXT_packed'", [](auto& f) {
        f.json["extensionsRequired"] = {"KHR_materials_unlit", "EXT_packed"};
    });
    broken("word", "'interpolation' is \"BEZIER\"",
           [](auto& f) { f.json["animations"][0]["samplers"][0]["interpolation"] = "BEZIER"; });
    broken("path", "'path' is \"color\"",
           [](auto& f) { f.json["animations"][0]["channels"][0]["target"]["path"] = "color"; });
    broken("text", "'sampler' is no whole number",
           [](auto& f) { f.json["animations"][0]["channels"][0]["sampler"] = "0"; });
    broken("negative", "'byteOffset' is no whole number",
           [](auto& f) { f.json["accessors"][1]["byteOffset"] = -4; });
    broken("half", "'count' is no whole number", [](auto& f) { f.json["accessors"][1]["count"] = 1.5; });
    broken("sparse", "'indices' names no buffer view", [](auto& f) {
        f.json["accessors"][1]["sparse"] = {{"count", 1}, {"values", {{"bufferView", 0}}}};
    });
    broken("no-type", "'type' is missing", [](auto& f) { f.json["accessors"][1].erase("type"); });
    broken("component", "'componentType' is no whole number from 5120 to 5126",
           [](auto& f) { f.json["accessors"][1]["componentType"] = 6000; });
    broken("no-buffer", "'buffer' is missing", [](auto& f) { f.json["bufferViews"][0].erase("buffer"); });
    broken("no-path", "'path' is missing",
           [](auto& f) { f.json["animations"][0]["channels"][0]["target"].erase("path"); });
    broken("target", "there is no 99 in its accessors", [](auto& f) {
        f.json["meshes"] = {
            {{"primitives", {{{"attributes", {{"POSITION", 1}}}, {"targets", {{{"POSITION", 99}}}}}}}}};
    });
    broken("image", "'uri' is no text", [](auto& f) { f.json["images"] = {{{"uri", 3}}}; });
    broken("from-nothing", "'count' is no whole number from 0 to 4194304", [](auto& f) {
        f.json["accessors"][1].erase("bufferView");
        f.json["accessors"][1]["count"] = 1 << 26;
    });
    broken("far", "lasts 30000 seconds", [](auto& f) {
        f.json["animations"][0]["samplers"][0]["input"] = f.floats({0, 3e4f}, "SCALAR");
        for (int i = 0; i < 25; ++i) {
            f.json["nodes"].push_back({{"name", "more" + std::to_string(i)}});
            f.json["nodes"][0]["children"].push_back(2 + i);
            f.json["skins"][0]["joints"].push_back(2 + i);
        }
    });
    broken("large", "not a number below 1e+12", [](auto& f) {
        f.json["animations"][0]["samplers"][0]["output"] = f.floats({0, 0, 0, 1e20f, 0, 0}, "VEC3");
    });
}

TEST_CASE("old files, names that a terminal would act on, and buffers that are gone") {
    const workshop::Scratch scratch;
    std::string old = dendraxis::io::read_text(workshop::demo("diver.glb"));
    old[4] = 1;
    check_refused(scratch, write(scratch, "old.glb", old), "GLB of version 1");
    // A name that a terminal would act on is not spoken.
    workshop::RawGltf escape = sound_file();
    escape.json["nodes"][1]["name"] = "leg\x1b[31m\n";
    const auto spoken = workshop::run_tool("survey " + escape.write(scratch, "escape").string());
    CHECK(spoken.status == 0);
    CHECK(spoken.out.find('\x1b') == std::string::npos);
    CHECK(spoken.out.find("#1") != std::string::npos);

    workshop::RawGltf no_buffer = sound_file();
    const auto path = no_buffer.write(scratch, "no-buffer");
    workshop::fs::remove(scratch / "no-buffer.bin");
    check_refused(scratch, path, "no-buffer");
}

TEST_CASE("wrong usage and wrong names") {
    const workshop::Scratch scratch;
    const std::string diver = workshop::demo("diver.glb").string();
    const std::string bosun = workshop::demo("bosun.glb").string();
    const std::string both = "retarget --source " + diver + " --target " + bosun;
    const auto refused = [&](const std::string& arguments, int status, const std::string& says) {
        const auto outcome = workshop::run_tool(arguments);
        CAPTURE(arguments);
        CAPTURE(outcome.err);
        CHECK(outcome.status == status);
        CHECK(std::count(outcome.err.begin(), outcome.err.end(), '\n') == 1);
        CHECK(outcome.err.find(says) != std::string::npos);
        CHECK(scratch.file_count() == 0);
    };
    refused("", 2, "subcommand");
    refused("dance", 2, "no command 'dance'");
    refused("retraget", 2, "did you mean 'retarget'");
    refused("socket brung x.glb", 2, "did you mean 'bring'");
    refused("ragdoll build x.glb --bogus", 2, "see `dendraxis ragdoll build --help`");
    refused("survey", 2, "CHARACTER");
    refused("survey " + diver + " --jsno", 2, "--jsno");
    refused(both, 2, "-o OUT.glb");
    refused(both + " -o " + (scratch / "a.fbx").string(), 2, ".glb");
    refused(both + " -o " + (scratch / "a.glb").string() + " --out-dir " + (scratch / "b").string(), 2,
            "either");
    refused(
        "retarget --source " + diver + " --target " + bosun + " --fps 0 -o " + (scratch / "a.glb").string(),
        2, "--fps");
    for (const char* rate : {"-1", "nan", "inf", "1e9"})
        refused(both + " --fps=" + rate + " -o " + (scratch / "a.glb").string(), 2, "--fps");
    refused(both + " -o " + bosun, 2, "written over");
    refused(both + " --clip strol -o " + (scratch / "a.glb").string(), 3, "did you mean 'stroll'");
    refused("retarget --source " + bosun + " --target " + diver + " -o " + (scratch / "a.glb").string(), 3,
            "no clips");
    refused(both + " -o /proc/nowhere/a.glb", 3, "cannot be written");
    refused("draw " + diver + " --clip stroll --frame 900 -o " + (scratch / "a.png").string(), 3, "0 to 66");
    refused("draw " + diver + " --frame 2 -o " + (scratch / "a.png").string(), 2, "--clip");
    refused("draw " + diver + " -o " + (scratch / "a.jpg").string(), 2, ".png");
    refused("draw " + diver + " --view under -o " + (scratch / "a.png").string(), 2, "under");
}

TEST_CASE("sheets and pairings that are wrong") {
    const workshop::Scratch scratch;
    const std::string diver = workshop::demo("diver.glb").string();
    const std::string bosun = workshop::demo("bosun.glb").string();
    REQUIRE(workshop::run_tool("chart " + diver + " -o " + (scratch / "good.rig.json").string()).status == 0);
    const json good = json::parse(dendraxis::io::read_text(scratch / "good.rig.json"));
    const auto sheet = [&](const std::string& says, const std::function<void(json&)>& breaking) {
        json bad = good;
        breaking(bad);
        const auto outcome =
            workshop::run_tool("chart " + write(scratch, "bad.rig.json", bad.dump(2)).string());
        CAPTURE(outcome.err);
        CHECK(outcome.status == 3);
        CHECK(outcome.err.find(says) != std::string::npos);
    };
    sheet("'format'", [](json& s) { s["format"] = "other"; });
    sheet("'version'", [](json& s) { s["version"] = 99; });
    sheet("did you mean 'hips'", [](json& s) { s["hips"] = "hipps"; });
    sheet("/chains/0/bones/1", [](json& s) { s["chains"][0]["bones"][1] = "nobody"; });
    sheet("against the hierarchy", [](json& s) { s["chains"][0]["bones"] = {"shin_left", "thigh_left"}; });
    sheet("in two chains", [](json& s) { s["chains"][1]["bones"] = s["chains"][0]["bones"]; });
    sheet("stands twice", [](json& s) { s["chains"][1]["name"] = s["chains"][0]["name"]; });
    sheet("/chains/0/bones", [](json& s) { s["chains"][0]["bones"] = 4; });
    sheet("two chains", [](json& s) {
        s["chains"].push_back({{"name", "tail"}, {"bones", {s["chains"][0]["bones"][0]}}});
    });
    sheet("is the hips and in a chain",
          [](json& s) { s["chains"][0]["bones"].insert(s["chains"][0]["bones"].begin(), "hips"); });
    sheet("of another character",
          [](json& s) { s["character"]["file"] = workshop::demo("bosun.glb").string(); });
    sheet("/character", [](json& s) { s["character"].erase("file"); });
    sheet("/set/0", [](json& s) { s["set"] = {"elbows"}; });
    CHECK(workshop::run_tool("chart " + write(scratch, "cut.rig.json", "{\n \"format\": \n").string())
              .err.find("line") != std::string::npos);

    std::string two_hips = good.dump(2);
    two_hips.insert(two_hips.find('{') + 1, "\n \"hips\": \"head\",");
    const auto outcome_of_two =
        workshop::run_tool("chart " + write(scratch, "two.rig.json", two_hips).string());
    CHECK(outcome_of_two.status == 3);
    CHECK(outcome_of_two.err.find("'hips' stands twice") != std::string::npos);
    sheet("/hips", [](json& s) { s["hips"] = {"hips", "chest"}; });

    const auto pairing = [&](const std::string& says, const json& chains) {
        const json bad{{"format", "dendraxis-pairing"}, {"version", 1}, {"chains", chains}};
        const auto file = write(scratch, "bad.pair.json", bad.dump(2));
        const auto outcome =
            workshop::run_tool("retarget --source " + diver + " --target " + bosun + " --pairing " +
                               file.string() + " -o " + (scratch / "o.glb").string());
        CAPTURE(outcome.err);
        CHECK(outcome.status == 3);
        CHECK(outcome.err.find(says) != std::string::npos);
        CHECK_FALSE(workshop::fs::exists(scratch / "o.glb"));
    };
    pairing("did you mean 'spine'", {{{"source", "spin"}, {"target", "spine"}}});
    pairing("paired twice",
            {{{"source", "spine"}, {"target", "spine"}}, {{"source", "neck"}, {"target", "spine"}}});
    pairing("property 'target'", {{{"source", "spine"}}});
}
