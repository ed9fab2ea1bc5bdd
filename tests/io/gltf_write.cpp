#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <doctest/doctest.h>

#include <fstream>

using namespace dendraxis;
using nlohmann::json;

namespace {

json json_of_glb(const workshop::fs::path& path) {
    const auto bytes = io::read_bytes(path);
    const std::size_t length = bytes.at(12) | bytes.at(13) << 8 | bytes.at(14) << 16 | bytes.at(15) << 24;
    return json::parse(bytes.begin() + 20, bytes.begin() + 20 + static_cast<std::ptrdiff_t>(length));
}

void write_glb(const workshop::fs::path& path, const std::vector<std::uint8_t>& bytes) {
    io::write_files(std::vector<io::OutputFile>{{path, bytes}});
}

void check_same(const Character& a, const Character& b) {
    REQUIRE(a.skeleton.size() == b.skeleton.size());
    for (std::size_t i = 0; i < a.skeleton.size(); ++i) {
        const Bone& x = a.skeleton.bones()[i];
        const Bone& y = b.skeleton.bones()[i];
        CHECK(x.name == y.name);
        CHECK(x.parent == y.parent);
        CHECK((x.rest.translation - y.rest.translation).norm() <= 1e-6f * x.rest.translation.norm());
        CHECK(angle_between(x.rest.rotation, y.rest.rotation) < 1e-6f);
        CHECK(x.rest.scale == y.rest.scale);
    }
    REQUIRE(a.meshes.size() == b.meshes.size());
    for (std::size_t m = 0; m < a.meshes.size(); ++m) {
        CHECK(a.meshes[m].positions == b.meshes[m].positions);
        CHECK(a.meshes[m].triangles == b.meshes[m].triangles);
        CHECK(a.meshes[m].joints == b.meshes[m].joints);
        CHECK(a.meshes[m].bones == b.meshes[m].bones);
        float apart = 0.0f;
        for (std::size_t v = 0; v < a.meshes[m].weights.size(); ++v) {
            for (std::size_t k = 0; k < 4; ++k)
                apart = std::max(apart, std::abs(a.meshes[m].weights[v][k] - b.meshes[m].weights[v][k]));
        }
        CHECK(apart < 1e-6f);
        for (std::size_t k = 0; k < a.meshes[m].bones.size(); ++k) {
            CHECK(a.meshes[m].inverse_bind[k].matrix() == b.meshes[m].inverse_bind[k].matrix());
        }
    }
    REQUIRE(a.clips.size() == b.clips.size());
    for (const Clip& clip : a.clips) {
        CHECK(b.clip(clip.name).fps == clip.fps);
        CHECK(variants::worst_distance(a.skeleton, clip, b.skeleton, b.clip(clip.name)) < 0.05e-3f);
    }
}

}  // namespace

TEST_CASE("read, write, read: rest, skins and clips are the same") {
    const workshop::Scratch scratch;
    for (const Character* character : {&workshop::diver(), &workshop::bosun()}) {
        write_glb(scratch / "again.glb", io::glb_with_clips(*character, {}));
        check_same(*character, io::load_character(scratch / "again.glb"));
        write_glb(scratch / "new.glb", io::new_glb(*character));
        check_same(*character, io::load_character(scratch / "new.glb"));
    }
}

TEST_CASE("a document in memory reads and is written as the file is") {
    const workshop::fs::path file = workshop::demo("stoker.glb");
    const std::vector<std::uint8_t> bytes = io::read_bytes(file);
    const Character from_file = io::load_character(file);
    const Character from_memory = io::read_character(bytes, "stoker");
    CHECK(from_memory.file.empty());
    CHECK(from_memory.name == from_file.name);
    REQUIRE(from_memory.skeleton.size() == from_file.skeleton.size());
    REQUIRE(from_memory.clips.size() == from_file.clips.size());
    CHECK(io::glb_with_clips(bytes, from_memory, from_memory.clips) ==
          io::glb_with_clips(from_file, from_file.clips));

    const std::string beside = R"({"asset":{"version":"2.0"},"buffers":[{"byteLength":4,"uri":"a.bin"}]})";
    const std::span text(reinterpret_cast<const std::uint8_t*>(beside.data()), beside.size());
    CHECK_THROWS_WITH_AS(io::read_character(text, "crate"),
                         doctest::Contains("names a file beside it (a.bin); embed it"), Error);
}

TEST_CASE("what was not changed comes back as it was: extras, unknown extensions, images, other animations") {
    const workshop::Scratch scratch;
    const json note{
        {"by", "rigger"}, {"count", 3}, {"share", 0.1}, {"list", {1, 2.5, "x"}}, {"none", nullptr}};
    workshop::RawGltf file;
    file.json["asset"]["extras"] = note;
    file.json["extensionsUsed"] = {"ACME_unheard_of"};
    file.json["extensions"] = {{"ACME_unheard_of", {{"table", {{"a", 1}}}}}};
    file.json["extras"] = note;
    file.json["scene"] = 0;
    file.json["scenes"] = {{{"nodes", {0}}, {"extras", note}}};
    file.json["nodes"] = {{{"name", "hips"},
                           {"extras", note},
                           {"extensions", {{"ACME_unheard_of", {{"role", "hips"}}}}},
                           {"children", {1, 2}}},
                          {{"name", "leg"}, {"translation", {0, -1, 0}}},
                          {{"name", "eye"}, {"camera", 0}}};
    file.json["cameras"] = {
        {{"type", "perspective"}, {"perspective", {{"yfov", 0.7}, {"znear", 0.01}}}, {"extras", note}}};
    const int corners = file.floats({0, 0, 0, 1, 0, 0, 0, 1, 0}, "VEC3");
    file.json["accessors"][0]["name"] = "corners";
    file.json["accessors"][0]["extras"] = note;
    file.json["accessors"][0]["min"] = {0, 0, 0};
    file.json["accessors"][0]["max"] = {1, 1, 0};
    file.json["bufferViews"][0]["extras"] = note;
    file.json["meshes"] = {
        {{"primitives", {{{"attributes", {{"POSITION", corners}}}, {"material", 0}, {"extras", note}}}},
         {"extras", note}}};
    file.json["materials"] = {{{"name", "coat"},
                               {"extensions", {{"ACME_unheard_of", {{"weave", 2}}}}},
                               {"emissiveFactor", {0.25, 0.5, 1}},
                               {"extras", note}}};
    file.json["images"] = {{{"uri", "picture.png"}, {"name", "cloth"}, {"extras", note}}};
    file.json["textures"] = {{{"source", 0}}};
    file.json["skins"] = {{{"joints", {0, 1}}, {"skeleton", 0}, {"name", "skin"}, {"extras", note}}};
    file.channel(1, "translation", file.floats({0, 1}, "SCALAR"), file.floats({0, 0, 0, 0, 0, 2}, "VEC3"));
    file.json["animations"][0]["extras"] = note;
    const auto path = file.write(scratch, "full");
    const std::string picture = "\x89PNG and so on";
    std::ofstream(scratch / "picture.png", std::ios::binary) << picture;

    const Character character = io::load_character(path);
    Clip clip = character.clips.at(0);
    clip.name = "new one";
    write_glb(scratch / "out.glb", io::glb_with_clips(character, {&clip, 1}));
    json before = json::parse(io::read_text(path));
    json after = json_of_glb(scratch / "out.glb");

    // Added at the ends of lists; the image and the buffer came into the GLB.
    CHECK(after["animations"].size() == 2);
    after["animations"].erase(1);
    for (const char* list : {"accessors", "bufferViews"}) {
        CHECK(after[list].size() > before[list].size());
        after[list].erase(after[list].begin() + static_cast<std::ptrdiff_t>(before[list].size()),
                          after[list].end());
    }
    CHECK(after["images"][0]["mimeType"] == "image/png");
    after["images"][0].erase("mimeType");
    after["images"][0].erase("bufferView");
    before["images"][0].erase("uri");
    before.erase("buffers");
    after.erase("buffers");
    CHECK(before == after);
    const auto bytes = io::read_bytes(scratch / "out.glb");
    CHECK(std::string(bytes.begin(), bytes.end()).find(picture) != std::string::npos);
}

TEST_CASE("what is written passes the Khronos validator") {
    if (!workshop::has_validator()) {
        MESSAGE("the validator is not installed (./test.sh installs it where npm is there): not checked");
        return;
    }
    const workshop::Scratch scratch;
    for (const char* name : {"diver.glb", "bosun.glb"})
        CHECK(workshop::validator_errors(workshop::demo(name)) == "");
    const std::string both = "retarget --source " + workshop::demo("diver.glb").string() + " --target " +
                             workshop::demo("bosun.glb").string();
    REQUIRE(workshop::run_tool(both + " -o " + (scratch / "out.glb").string()).status == 0);
    CHECK(workshop::validator_errors(scratch / "out.glb") == "");
    REQUIRE(workshop::run_tool(both + " --out-dir " + (scratch / "many").string()).status == 0);
    CHECK(workshop::validator_errors(scratch / "many/stroll.glb") == "");

    Character still = workshop::diver();
    Clip rest{"rest", 30.0f, still.skeleton.size(), {}};
    for (const Bone& bone : still.skeleton.bones()) rest.transforms.push_back(bone.rest);
    write_glb(scratch / "rest.glb", io::glb_with_clips(still, {&rest, 1}));
    CHECK(workshop::validator_errors(scratch / "rest.glb") == "");

    // The check itself can fail: a node that is its own parent.
    workshop::RawGltf broken;
    broken.json["nodes"] = {{{"children", {0}}}};
    CHECK(workshop::validator_errors(broken.write(scratch, "broken")) != "");
}

TEST_CASE("clips whose start and end are still keep their length") {
    const workshop::Scratch scratch;
    Clip clip{"pause", 30.0f, workshop::diver().skeleton.size(), {}};
    for (int f = 0; f < 40; ++f) {
        for (const Bone& bone : workshop::diver().skeleton.bones()) clip.transforms.push_back(bone.rest);
    }
    write_glb(scratch / "pause.glb", io::glb_with_clips(workshop::diver(), {&clip, 1}));
    CHECK(io::load_character(scratch / "pause.glb").clip("pause").frame_count() == 40);
}

TEST_CASE("step keys stay steps: read, seen between frames, and written again") {
    const workshop::Scratch scratch;
    workshop::RawGltf file;
    file.json["nodes"] = {{{"name", "a"}, {"children", {1}}}, {{"name", "b"}, {"translation", {0, 1, 0}}}};
    const int times = file.floats({0.0f, 0.1f, 0.4f, 1.0f}, "SCALAR");
    file.channel(0, "translation", times, file.floats({0, 0, 0, 1, 0, 0, 5, 0, 0, 6, 0, 0}, "VEC3"), "STEP");
    file.channel(1, "translation", times, file.floats({0, 1, 0, 0, 2, 0, 0, 3, 0, 0, 4, 0}, "VEC3"));
    const Character character = io::load_character(file.write(scratch, "steps"));
    const Clip& clip = character.clips.at(0);
    CHECK(clip.fps == 30.0f);  // no rate makes a line of a step
    CHECK(clip.holds(0, k_translation_steps));
    CHECK_FALSE(clip.holds(0, k_rotation_steps));
    CHECK_FALSE(clip.holds(1, k_translation_steps));
    CHECK(clip.frame(2)[0].translation.x() == 0.0f);
    CHECK(clip.frame(3)[0].translation.x() == 1.0f);
    CHECK(clip.frame(12)[0].translation.x() == 5.0f);
    std::vector<Transform> pose(2);
    sample(clip, 0.399f, pose);
    CHECK(pose[0].translation.x() == 1.0f);
    CHECK(pose[1].translation.y() == doctest::Approx(2.997f).epsilon(0.001));

    const auto path = scratch / "again.glb";
    write_glb(path, io::glb_with_clips(character, character.clips));
    const json written = json_of_glb(path);
    int steps = 0;
    for (const auto& sampler : written["animations"][0]["samplers"]) {
        if (sampler["interpolation"] != "STEP") continue;
        ++steps;
        CHECK(written["accessors"][sampler["input"].get<std::size_t>()]["count"] == 4);
    }
    CHECK(steps == 1);
    const Clip again = io::load_character(path).clips.at(0);
    CHECK(again.steps == clip.steps);
    for (std::size_t f = 0; f < clip.frame_count(); ++f)
        CHECK((again.frame(f)[0].translation - clip.frame(f)[0].translation).norm() < 1e-6f);
}

TEST_CASE(
    "images and buffers come only from where a document may point, and only if they are what they are for") {
    const workshop::Scratch scratch;
    const std::string png = "\x89PNG\r\n\x1a\n and so on";
    const auto file_with = [&](const std::string& uri) {
        workshop::RawGltf file;
        file.json["nodes"] = {{{"name", "a"}, {"children", {1}}},
                              {{"name", "b"}, {"translation", {0, 1, 0}}}};
        file.channel(0, "translation", file.floats({0, 1}, "SCALAR"),
                     file.floats({0, 0, 0, 1, 0, 0}, "VEC3"));
        file.json["images"] = {{{"uri", uri}}};
        return file.write(scratch, "pictured");
    };
    const auto write = [&](const std::string& uri) {
        const Character character = io::load_character(file_with(uri));
        write_glb(scratch / "out.glb", io::glb_with_clips(character, {}));
        return json_of_glb(scratch / "out.glb")["images"][0];
    };
    io::write_text(scratch / "a coat.png", png);
    io::write_text(scratch / "secret.txt", "root:x:0:0");
    CHECK(write("a%20coat.png")["mimeType"] == "image/png");
    workshop::fs::create_directories(scratch / "models");
    CHECK(write("models/../a%20coat.png")["mimeType"] == "image/png");
    for (const char* uri : {"secret.txt", "/etc/passwd", "../../../../../../etc/passwd", "/dev/zero",
                            "file:///etc/passwd", "nowhere.png", "models", "%2Fdev%2Fzero"}) {
        CAPTURE(uri);
        CHECK_THROWS_AS(write(uri), Error);
        CHECK_NOTHROW(io::load_character(file_with(uri)));  // bones need no pictures
    }
    workshop::fs::create_symlink("/dev/zero", scratch / "endless.png");
    CHECK_THROWS_AS(write("endless.png"), Error);

    workshop::RawGltf odd;
    odd.json["nodes"] = {{{"name", "a"}}};
    odd.json["asset"]["extras"] = {1, 2};
    const Character bare = io::load_character(odd.write(scratch, "odd"));
    write_glb(scratch / "odd.glb", io::glb_with_clips(bare, {}));
    CHECK(io::stamp_of(scratch / "odd.glb").empty());
    odd.json["images"] = {3, nullptr};
    CHECK_THROWS_WITH_AS(io::load_character(odd.write(scratch, "odd")), doctest::Contains("odd.gltf"), Error);

    for (const char* uri : {"/etc/passwd", "../secret.txt", "/dev/zero", "models"}) {
        CAPTURE(uri);
        workshop::RawGltf file;
        file.json["nodes"] = {{{"name", "a"}}};
        file.json["buffers"] = {{{"uri", uri}, {"byteLength", 4}}};
        const auto path = scratch / "buffered.gltf";
        io::write_text(path, file.json.dump());
        CHECK_THROWS_AS(io::load_character(path), Error);
    }
}
