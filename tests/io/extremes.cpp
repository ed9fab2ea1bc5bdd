// Files at the edge of what makes sense: little text that asks for much, and what is odd but usable.
#include "workshop.hpp"

#include <dendraxis/io/bvh/bvh.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <doctest/doctest.h>

#include <cmath>
#include <fstream>
#include <locale>

using namespace dendraxis;
using nlohmann::json;

namespace {

workshop::RawGltf two_joints() {
    workshop::RawGltf file;
    file.json["nodes"] = {{{"name", "hips"}, {"children", {1}}},
                          {{"name", "leg"}, {"translation", {0, -1, 0}}}};
    file.json["skins"] = {{{"joints", {0, 1}}}};
    const int times = file.floats({0, 1}, "SCALAR");
    file.channel(1, "translation", times, file.floats({0, 0, 0, 0, 0, 2}, "VEC3"));
    return file;
}

bool all_finite(const Character& character) {
    for (const Clip& clip : character.clips) {
        for (const Transform& transform : clip.transforms) {
            if (!transform.translation.allFinite() || !transform.rotation.coeffs().allFinite()) return false;
        }
    }
    return true;
}

// Decimal commas and grouped digits, as many a host program sets them.
class Comma final : public std::numpunct<char> {
    char do_decimal_point() const override { return ','; }
    char do_thousands_sep() const override { return '.'; }
    std::string do_grouping() const override { return "\3"; }
};

}  // namespace

TEST_CASE("tracks without keys, and tangents without bounds, are told and leave no number undefined") {
    const workshop::Scratch scratch;
    workshop::RawGltf empty = two_joints();
    empty.json["accessors"][0]["count"] = 0;
    empty.json["accessors"][1]["count"] = 0;
    const auto refused = workshop::run_tool("survey " + empty.write(scratch, "empty").string());
    CHECK(refused.status == 3);
    CHECK(refused.err.find("empty") != std::string::npos);

    workshop::RawGltf steep = two_joints();
    const float most = 3e38f;
    steep.json["animations"][0]["samplers"][0]["interpolation"] = "CUBICSPLINE";
    steep.json["animations"][0]["samplers"][0]["output"] =
        steep.floats({0, 0, 0, 0, 0, 0, 0, most, 0, 0, -most, 0, 0, 0, 2, 0, 0, 0}, "VEC3");
    const auto told = workshop::run_tool("survey " + steep.write(scratch, "steep").string());
    CHECK(told.status == 3);
    CHECK(told.err.find("not a number below") != std::string::npos);
}

TEST_CASE("a clip's name of any length and any letters becomes a file of its folder") {
    const workshop::Scratch scratch;
    Character diver = workshop::diver();
    diver.clips.resize(1);
    diver.clips[0].name = std::string(300, 'x');
    const auto long_name = scratch / "long.glb";
    io::write_files(std::vector<io::OutputFile>{{long_name, io::new_glb(diver)}});
    const std::string tool = "retarget --source " + long_name.string() + " --target " + long_name.string();
    const auto written = workshop::run_tool(tool + " --out-dir " + (scratch / "out").string());
    CHECK_MESSAGE(written.status == 0, written.err, written.out);
    int files = 0;
    for (const auto& entry : workshop::fs::recursive_directory_iterator(scratch / "out")) {
        CHECK(entry.path().filename().string().size() < 256);
        ++files;
    }
    CHECK(files == 1);

    // Letters of an old code page are no UTF-8: JSON does not hold them.
    std::string text = io::read_text(two_joints().write(scratch, "old"));
    text.replace(text.find("hips"), 4, "h\xe4ps");
    std::ofstream(scratch / "old.gltf", std::ios::binary) << text;
    const auto old = workshop::run_tool("survey " + (scratch / "old.gltf").string());
    CHECK(old.status == 3);
    CHECK(std::count(old.err.begin(), old.err.end(), '\n') == 1);
    CHECK(old.err.find("old.gltf") != std::string::npos);
}

TEST_CASE("a bone of no size, and one far away, give finite results") {
    const workshop::Scratch scratch;
    workshop::RawGltf far = two_joints();
    far.json["animations"][0]["samplers"][0]["output"] = far.floats({0, -1, 0, 1e8f, -1, 0}, "VEC3");
    const auto path = far.write(scratch, "far");
    const auto drawn = workshop::run_tool("draw " + path.string() + " --clip move --frame 30 -o " +
                                          (scratch / "far.png").string());
    CHECK_MESSAGE(drawn.status == 0, drawn.err);
    CHECK(workshop::fs::file_size(scratch / "far.png") > 1000);
    CHECK(all_finite(io::load_character(path)));

    Character diver = workshop::diver();
    std::vector<Bone> bones(diver.skeleton.bones().begin(), diver.skeleton.bones().end());
    for (Bone& bone : bones) {
        if (bone.name == "hand_left") bone.rest.scale.setZero();
    }
    diver.skeleton = Skeleton(std::move(bones), diver.skeleton.above());
    io::write_files(std::vector<io::OutputFile>{{scratch / "flat-hand.glb", io::new_glb(diver)}});
    const auto rebound =
        workshop::run_tool("rebind " + workshop::demo("diver.glb").string() + " --onto " +
                           (scratch / "flat-hand.glb").string() + " -o " + (scratch / "r.glb").string());
    CHECK_MESSAGE(rebound.status == 0, rebound.err);
    for (const SkinnedMesh& mesh : io::load_character(scratch / "r.glb").meshes) {
        for (const Affine& bind : mesh.inverse_bind) CHECK(bind.matrix().allFinite());
    }
}

TEST_CASE("a mesh that stands a thousand times in the scene takes memory once") {
    const workshop::Scratch scratch;
    workshop::RawGltf file = two_joints();
    const int corners = file.floats({0, 0, 0, 1, 0, 0, 0, 1, 0}, "VEC3");
    file.json["meshes"] = {{{"primitives", {{{"attributes", {{"POSITION", corners}}}}}}}};
    for (int i = 0; i < 1000; ++i) {
        file.json["nodes"].push_back({{"name", "copy" + std::to_string(i)}, {"mesh", 0}});
        file.json["nodes"][1]["children"].push_back(2 + i);
    }
    const Character character = io::load_character(file.write(scratch, "copies"));
    std::size_t vertices = 0;
    for (const SkinnedMesh& mesh : character.meshes) vertices += mesh.positions.size();
    CHECK(vertices <= 3000);
}

TEST_CASE("numbers are read and written alike in any locale") {
    const io::Rig before = io::load_rig(workshop::demo("bosun.glb"));
    const std::string sheet = io::sheet_json(before.chart);
    const std::vector<std::uint8_t> glb = io::new_glb(before.character);
    const Character captured = io::load_character(workshop::demo("capture.bvh"));
    const std::locale usual = std::locale::global(std::locale(std::locale::classic(), new Comma));
    std::setlocale(LC_ALL, "de_DE.UTF-8");  // where it is installed
    const io::Rig again = io::load_rig(workshop::demo("bosun.glb"));
    CHECK(io::sheet_json(again.chart) == sheet);
    CHECK(io::new_glb(again.character) == glb);
    const Character same = io::load_character(workshop::demo("capture.bvh"));
    REQUIRE(same.clips.at(0).transforms.size() == captured.clips.at(0).transforms.size());
    CHECK(same.clips[0].frame(9)[3].rotation.coeffs() == captured.clips[0].frame(9)[3].rotation.coeffs());
    CHECK(io::rechart(workshop::demo("bosun.rig.json")).chart.chains.size() == before.chart.chains.size());
    std::setlocale(LC_ALL, "C");
    std::locale::global(usual);
}
