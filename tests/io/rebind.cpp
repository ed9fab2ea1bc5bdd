// A surface put on another skeleton must stand and move as it did on its own.
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/skeleton/compare.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using namespace dendraxis;
using nlohmann::json;

namespace {

void write(const workshop::fs::path& path, const Character& character) {
    io::write_files(std::vector<io::OutputFile>{{path, io::new_glb(character)}});
}

std::vector<Vec3> surface(const Character& character, std::span<const Transform> local) {
    std::vector<Affine> bones(character.skeleton.size());
    to_model_matrices(character.skeleton, local, bones);
    std::vector<Vec3> all;
    for (const SkinnedMesh& mesh : character.meshes) {
        std::vector<Vec3> positions(mesh.positions.size());
        deform(mesh, bones, positions);
        all.insert(all.end(), positions.begin(), positions.end());
    }
    return all;
}

float worst(const std::vector<Vec3>& a, const std::vector<Vec3>& b) {
    if (a.size() != b.size()) return 1e9f;
    float most = 0.0f;
    for (std::size_t i = 0; i < a.size(); ++i) most = std::max(most, (a[i] - b[i]).norm());
    return most;
}

// The surface of the diver on another file's bones must follow the diver's stroll as it does on the diver.
void check_rebound(const Character& visual, const std::string& why) {
    CAPTURE(why);
    const workshop::Scratch scratch;
    write(scratch / "visual.glb", visual);
    const std::string diver = workshop::demo("diver.glb").string();
    const auto outcome = workshop::run_tool("rebind " + (scratch / "visual.glb").string() + " --onto " +
                                            diver + " -o " + (scratch / "out.glb").string());
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    CHECK(outcome.out.find("finding") == std::string::npos);
    const Character result = io::load_character(scratch / "out.glb");
    CHECK(result.clips.size() == workshop::diver().clips.size());
    const auto pose = workshop::diver().clip("stroll").frame(20);
    CHECK(worst(surface(workshop::diver(), pose), surface(result, pose)) < 1e-4f);
    if (workshop::has_validator()) CHECK(workshop::validator_errors(scratch / "out.glb") == "");
}

}  // namespace

TEST_CASE("a surface is rebound by name, by place, whatever its bones' axes, units and order") {
    const Character& diver = workshop::diver();
    check_rebound(diver, "itself");
    check_rebound(variants::with_affixes(diver, "Suit:", "_jnt"), "stray prefix and suffix");
    check_rebound(variants::nameless(diver), "no names, same places");
    check_rebound(variants::reaxed(diver, 4), "other axes");
    check_rebound(variants::under_scaled_node(diver, 100.0f), "centimetres under a node");
    check_rebound(variants::renamed(variants::reaxed(diver, 9)), "renamed and other axes");
}

TEST_CASE("bones that the character lacks give their vertices to the bone above, and that is told") {
    const workshop::Scratch scratch;
    // The visual has one more bone in the left forearm, which moves all its flesh.
    Character visual = workshop::diver();
    std::vector<Bone> bones(visual.skeleton.bones().begin(), visual.skeleton.bones().end());
    const int forearm = visual.skeleton.find("forearm_left");
    bones.push_back({"sleeve", "sleeve", forearm, {}});
    bones.back().rest.translation = Vec3(0, 0.1f, 0);
    visual.skeleton = Skeleton(bones);
    for (SkinnedMesh& mesh : visual.meshes) {
        for (int& bone : mesh.bones) {
            if (bone == forearm) bone = static_cast<int>(bones.size()) - 1;
        }
        const auto index =
            std::find(mesh.bones.begin(), mesh.bones.end(), static_cast<int>(bones.size()) - 1) -
            mesh.bones.begin();
        mesh.inverse_bind[static_cast<std::size_t>(index)].pretranslate(Vec3(0, -0.1f, 0));
    }
    visual.clips.clear();
    write(scratch / "visual.glb", visual);
    const auto outcome =
        workshop::run_tool("rebind --json " + (scratch / "visual.glb").string() + " --onto " +
                           workshop::demo("diver.glb").string() + " -o " + (scratch / "out.glb").string());
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    const json report = json::parse(outcome.out);
    REQUIRE(report["findings"].size() == 1);
    CHECK(report["findings"][0]["code"] == "rebind.unmatched-bone");
    CHECK(report["findings"][0]["where"] == "sleeve");
    CHECK(report["findings"][0]["message"].get<std::string>().find("forearm_left") != std::string::npos);
    const Character result = io::load_character(scratch / "out.glb");
    const auto pose = workshop::diver().clip("stroll").frame(20);
    CHECK(worst(surface(workshop::diver(), pose), surface(result, pose)) < 1e-4f);
}

TEST_CASE("bones of no size, and bones in several trees of the file, carry the surface") {
    const workshop::Scratch scratch;
    const Character& diver = workshop::diver();
    std::vector<Bone> bones(diver.skeleton.bones().begin(), diver.skeleton.bones().end());
    const int hand = diver.skeleton.find("hand_left");
    const int head = diver.skeleton.find("head");
    Character visual = diver;
    bones[static_cast<std::size_t>(hand)].rest.scale.setZero();
    visual.skeleton = Skeleton(bones);
    Character onto = diver;
    bones[static_cast<std::size_t>(hand)].rest.scale.setOnes();
    bones[static_cast<std::size_t>(head)].rest =
        rest_in_model_space(diver.skeleton)[static_cast<std::size_t>(head)];
    bones[static_cast<std::size_t>(head)].parent = k_no_bone;
    onto.skeleton = Skeleton(bones);
    onto.clips.clear();
    write(scratch / "visual.glb", visual);
    write(scratch / "onto.glb", onto);
    const auto outcome =
        workshop::run_tool("rebind " + (scratch / "visual.glb").string() + " --onto " +
                           (scratch / "onto.glb").string() + " -o " + (scratch / "out.glb").string());
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    const Character result = io::load_character(scratch / "out.glb");
    CHECK(worst(surface(diver, rest_pose(diver.skeleton)), surface(result, rest_pose(result.skeleton))) <
          1e-4f);
    // One node stands above all joints, as glTF asks.
    const auto bytes = io::read_bytes(scratch / "out.glb");
    const std::size_t length = bytes[12] + 256u * bytes[13] + 65536u * bytes[14];
    const json document = json::parse(bytes.begin() + 20, bytes.begin() + 20 + static_cast<int>(length));
    CHECK(std::any_of(document["nodes"].begin(), document["nodes"].end(),
                      [](const json& node) { return node.value("name", "") == "skeleton"; }));
    if (workshop::has_validator()) CHECK(workshop::validator_errors(scratch / "out.glb") == "");
}

TEST_CASE("materials, textures and images come along") {
    const workshop::Scratch scratch;
    workshop::RawGltf coat;
    const std::string picture = "\x89PNG coat cloth";
    coat.json["scene"] = 0;
    coat.json["scenes"] = {{{"nodes", {0, 1}}}};
    coat.json["nodes"] = {{{"name", "hips"}, {"translation", {0, 0.98, 0}}},
                          {{"name", "coat"}, {"mesh", 0}, {"skin", 0}}};
    coat.json["skins"] = {{{"joints", {0}}}};
    const int corners = coat.floats({0, 0, 0, 1, 0, 0, 0, 1, 0}, "VEC3");
    coat.json["accessors"][0]["min"] = {0, 0, 0};
    coat.json["accessors"][0]["max"] = {1, 1, 0};
    const int weights = coat.floats({1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0}, "VEC4");
    const std::vector<std::uint8_t> zeros(12, 0);
    const int joints = coat.accessor({{"bufferView", coat.view(zeros.data(), 12)},
                                      {"componentType", 5121},
                                      {"count", 3},
                                      {"type", "VEC4"}});
    const int image = coat.view(picture.data(), picture.size());
    coat.json["images"] = {{{"bufferView", image}, {"mimeType", "image/png"}}};
    coat.json["samplers"] = {{{"magFilter", 9729}}};
    coat.json["textures"] = {{{"source", 0}, {"sampler", 0}}};
    coat.json["materials"] = {{{"name", "cloth"},
                               {"pbrMetallicRoughness", {{"baseColorTexture", {{"index", 0}}}}},
                               {"normalTexture", {{"index", 0}}}}};
    coat.json["meshes"] = {
        {{"primitives",
          {{{"attributes", {{"POSITION", corners}, {"WEIGHTS_0", weights}, {"JOINTS_0", joints}}},
            {"material", 0}}}}}};
    // Onto the result of a rebind, so that both sides have textures and every index has to move.
    const auto visual = coat.write(scratch, "coat");
    const auto once = scratch / "once.glb";
    const auto twice = scratch / "twice.glb";
    const auto first = workshop::run_tool("rebind " + visual.string() + " --onto " +
                                          workshop::demo("diver.glb").string() + " -o " + once.string());
    REQUIRE_MESSAGE(first.status == 0, first.err);
    const auto second = workshop::run_tool("rebind " + visual.string() + " --onto " + once.string() + " -o " +
                                           twice.string());
    REQUIRE_MESSAGE(second.status == 0, second.err);
    for (const auto& file : {once, twice}) {
        const auto bytes = io::read_bytes(file);
        const std::size_t length = bytes.at(12) | bytes.at(13) << 8 | bytes.at(14) << 16 | bytes.at(15) << 24;
        const json document =
            json::parse(bytes.begin() + 20, bytes.begin() + 20 + static_cast<std::ptrdiff_t>(length));
        const json& mesh = document["meshes"].back();
        const json& material = document["materials"][mesh["primitives"][0]["material"].get<std::size_t>()];
        CHECK(material["name"] == "cloth");
        const json& texture = document["textures"][material["normalTexture"]["index"].get<std::size_t>()];
        CHECK(texture["sampler"] == document["samplers"].size() - 1);
        const json& view =
            document["bufferViews"][document["images"][texture["source"].get<std::size_t>()]["bufferView"]
                                        .get<std::size_t>()];
        const auto start = bytes.begin() + 28 + static_cast<std::ptrdiff_t>(length) +
                           static_cast<std::ptrdiff_t>(view["byteOffset"].get<std::size_t>());
        CHECK(std::string(start, start + static_cast<std::ptrdiff_t>(picture.size())) == picture);
        // Only the new surface shows, where the hips are.
        const Character result = io::load_character(file);
        REQUIRE(result.meshes.size() == 1);
        CHECK(rest_extents(result.skeleton, result.meshes).high.y() == doctest::Approx(1.98).epsilon(1e-4));
        CHECK(result.clips.size() == workshop::diver().clips.size());
    }
}

TEST_CASE("rebinding what cannot be rebound is refused") {
    const workshop::Scratch scratch;
    workshop::RawGltf plain;
    plain.json["nodes"] = {{{"name", "box"}}};
    const std::string diver = workshop::demo("diver.glb").string();
    const auto no_skin = workshop::run_tool("rebind " + plain.write(scratch, "plain").string() + " --onto " +
                                            diver + " -o " + (scratch / "o.glb").string());
    CHECK(no_skin.status == 3);
    CHECK(no_skin.err.find("no skinned mesh") != std::string::npos);
    CHECK(workshop::run_tool("rebind " + diver + " --onto " + workshop::demo("bosun.glb").string() + " -o " +
                             (scratch / "o.txt").string())
              .status == 2);
    CHECK_FALSE(workshop::fs::exists(scratch / "o.glb"));
}

TEST_CASE("compare tells identical, renamed, compatible and different") {
    const Character& diver = workshop::diver();
    CHECK(compare(diver.skeleton, diver.skeleton).likeness == Likeness::identical);
    CHECK(compare(diver.skeleton, diver.skeleton).differences.empty());
    const Comparison renamed = compare(diver.skeleton, variants::nameless(diver).skeleton);
    CHECK(renamed.likeness == Likeness::renamed);
    CHECK(renamed.differences.size() == diver.skeleton.size());
    CHECK(compare(diver.skeleton, variants::with_affixes(diver, "A:", "").skeleton).likeness ==
          Likeness::renamed);
    const Comparison lowered = compare(diver.skeleton, variants::arms_lowered(diver, 45.0f).skeleton);
    CHECK(lowered.likeness == Likeness::compatible);
    const auto elbow = std::find_if(lowered.differences.begin(), lowered.differences.end(),
                                    [](const BoneDifference& d) { return d.bone == "upper_arm_left"; });
    REQUIRE(elbow != lowered.differences.end());
    CHECK(elbow->what == "rest");
    CHECK(elbow->degrees == doctest::Approx(45.0).epsilon(0.001));
    CHECK(compare(diver.skeleton, workshop::bosun().skeleton).likeness == Likeness::different);
    // Without its toes' ends one skeleton is part of the other.
    std::vector<Bone> fewer(diver.skeleton.bones().begin(), diver.skeleton.bones().end());
    REQUIRE(fewer.back().name == "toes_right_end");
    fewer.pop_back();
    const Comparison part = compare(Skeleton(fewer), diver.skeleton);
    CHECK(part.likeness == Likeness::compatible);
    CHECK(part.differences.size() == 1);
    CHECK(part.differences[0].what == "extra");
    const auto outcome = workshop::run_tool("compare " + workshop::demo("diver.glb").string() + " " +
                                            workshop::demo("bosun.glb").string());
    CHECK(outcome.status == 0);
    CHECK(outcome.out.find("different") != std::string::npos);
    CHECK(json::parse(workshop::run_tool("compare --json " + workshop::demo("diver.glb").string() + " " +
                                         workshop::demo("diver.glb").string())
                          .out)["likeness"] == "identical");
}
