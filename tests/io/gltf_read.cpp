// Files as they come: odd node trees, samplers and accessors. Each is made by hand with values that are
// known.
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <cmath>

using namespace dendraxis;
using nlohmann::json;

namespace {

Vec3 rest_position(const Character& character, const std::string& bone) {
    const int index = character.skeleton.find(bone);
    REQUIRE(index != k_no_bone);
    return rest_in_model_space(character.skeleton)[static_cast<std::size_t>(index)].translation;
}

}  // namespace

TEST_CASE("what stands above the joints is one transform, what stands between them is a bone") {
    const workshop::Scratch scratch;
    workshop::RawGltf file;
    file.json["scenes"] = {{{"nodes", {0}}}};
    file.json["nodes"] = {
        {{"name", "export"}, {"scale", {0.01, 0.01, 0.01}}, {"children", {1}}},
        {{"name", "turned"}, {"rotation", {-std::sqrt(0.5), 0, 0, std::sqrt(0.5)}}, {"children", {2}}},
        {{"name", "a"}, {"translation", {0, 0, 100}}, {"children", {3}}},
        {{"name", "gap"}, {"matrix", {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 50, 1}}, {"children", {4}}},
        {{"name", "b"}, {"translation", {10, 0, 0}}, {"children", {5, 6}}},
        {{"name", "b_end"}, {"translation", {10, 0, 0}}},
        {{"name", "hat"}, {"mesh", 0}}};
    file.json["meshes"] = {
        {{"primitives",
          {{{"attributes", {{"POSITION", file.floats({0, 0, 0, 1, 0, 0, 0, 1, 0}, "VEC3")}}}}}}}};
    file.json["skins"] = {{{"joints", {2, 4}}}};
    const Character character = io::load_character(file.write(scratch, "gap"));
    CHECK(character.skeleton.size() == 4);  // a, gap, b, b_end
    CHECK(character.skeleton.bone(0).name == "a");
    CHECK(character.skeleton.find("hat") == k_no_bone);
    CHECK(character.skeleton.above().scale.x() == doctest::Approx(0.01));
    // Z-up centimetres became Y-up metres.
    CHECK((rest_position(character, "a") - Vec3(0, 1, 0)).norm() < 1e-6f);
    CHECK((rest_position(character, "b") - Vec3(0.1f, 1.5f, 0)).norm() < 1e-6f);
    CHECK(character.meshes.size() == 1);  // the hat hangs on b
    CHECK(character.meshes[0].bones == std::vector{2});
}

TEST_CASE("several skins, several roots, names missing or standing twice") {
    const workshop::Scratch scratch;
    workshop::RawGltf file;
    file.json["nodes"] = {{{"name", "holder"}, {"children", {1, 3}}},
                          {{"name", "body"}, {"children", {2}}},
                          {{"name", "x"}},
                          {{"name", "armature"}, {"children", {4, 5}}},
                          {{"name", "x"}},
                          json::object()};
    file.json["skins"] = {{{"joints", {1, 2}}}, {{"joints", {4, 5}}}};
    const Character character = io::load_character(file.write(scratch, "roots"));
    CHECK(character.skeleton.size() == 6);  // `holder` joins two trees of joints, `armature` stands between
    CHECK(character.skeleton.find("holder") == 0);
    CHECK(character.skeleton.find("#2") != k_no_bone);
    CHECK(character.skeleton.find("#4") != k_no_bone);
    CHECK(character.skeleton.find("#5") != k_no_bone);
    CHECK(character.skeleton.find("armature") != k_no_bone);
}

TEST_CASE("bones do not depend on clips, and what a clip moves above them is carried by the first") {
    const workshop::Scratch scratch;
    workshop::RawGltf file;
    file.json["nodes"] = {{{"name", "character controller"}, {"children", {1}}, {"scale", {2, 2, 2}}},
                          {{"name", "hips"}, {"translation", {0, 1, 0}}}};
    file.json["skins"] = {{{"joints", {1}}}};
    const Character still = io::load_character(file.write(scratch, "still"));
    file.channel(0, "translation", file.floats({0, 1}, "SCALAR"), file.floats({0, 0, 0, 0, 0, 2}, "VEC3"));
    const Character moved = io::load_character(file.write(scratch, "moved"));
    REQUIRE(moved.skeleton.size() == 1);
    CHECK(still.skeleton.size() == 1);
    CHECK(still.skeleton.bone(0).label == moved.skeleton.bone(0).label);
    std::vector<Transform> model(1);
    to_model_space(moved.skeleton, moved.clips.at(0).frame(15), model);
    CHECK((model[0].translation - Vec3(0, 2, 1)).norm() < 1e-5f);
    CHECK((moved.clips.at(0).frame(0)[0].translation - Vec3(0, 1, 0)).norm() < 1e-6f);
}

TEST_CASE("without a skin the node tree is the skeleton, its meshes move with it") {
    const workshop::Scratch scratch;
    workshop::RawGltf file;
    const int corners = file.floats({0, 0, 0, 1, 0, 0, 0, 1, 0}, "VEC3");
    file.json["nodes"] = {{{"name", "torso"}, {"mesh", 0}, {"children", {1}}},
                          {{"name", "arm"}, {"mesh", 0}, {"translation", {0, 2, 0}}}};
    file.json["meshes"] = {{{"primitives", {{{"attributes", {{"POSITION", corners}}}}}}}};
    const Character character = io::load_character(file.write(scratch, "blocks"));
    CHECK(character.skeleton.size() == 2);
    CHECK(character.meshes.size() == 2);
    CHECK(rest_extents(character.skeleton, character.meshes).high.y() == doctest::Approx(3.0));
}

TEST_CASE("step, linear and cubic samplers give the values that the standard defines") {
    const workshop::Scratch scratch;
    workshop::RawGltf file;
    file.json["nodes"] = {{{"name", "a"}}, {{"name", "b"}}, {{"name", "c"}}};
    const int times = file.floats({0.0f, 1.0f}, "SCALAR");
    const int line = file.floats({0, 0, 0, 3, 0, 0}, "VEC3");
    // In-tangent, value, out-tangent of each key: p(t) = t^3 has slope 0 at the start and 3 at the end.
    const int cubic = file.floats({0, 0, 0, 0, 0, 0, 0, 0, 0, 3, 0, 0, 1, 0, 0, 0, 0, 0}, "VEC3");
    file.channel(0, "translation", times, line, "STEP");
    file.channel(1, "translation", times, line, "LINEAR");
    file.channel(2, "translation", times, cubic, "CUBICSPLINE");
    const Clip clip = io::load_character(file.write(scratch, "curves"), {30.0f}).clips.at(0);
    CHECK(clip.frame_count() == 31);
    const auto pose = clip.frame(15);
    CHECK(pose[0].translation.x() == 0.0f);
    CHECK(pose[1].translation.x() == doctest::Approx(1.5));
    CHECK(pose[2].translation.x() == doctest::Approx(0.125));
    CHECK(clip.frame(30)[0].translation.x() == 3.0f);
}

TEST_CASE("a clip keeps when it starts, and is sampled so that nothing between its keys is lost") {
    const workshop::Scratch scratch;
    workshop::RawGltf file;
    file.json["nodes"] = {{{"name", "a"}, {"children", {1}}}, {{"name", "b"}, {"translation", {0, 1, 0}}}};
    file.channel(0, "translation", file.floats({0.5f, 0.75f, 1.5f}, "SCALAR"),
                 file.floats({0, 0, 0, 1, 0, 0, 0, 2, 0}, "VEC3"));
    const Clip late = io::load_character(file.write(scratch, "late")).clips.at(0);
    CHECK(late.start == 0.5f);
    CHECK(late.seconds() == doctest::Approx(1.0f));

    // A wild curve: out-tangents of forty lengths a second.
    workshop::RawGltf curved;
    curved.json["nodes"] = file.json["nodes"];
    curved.channel(0, "translation", curved.floats({0.0f, 0.5f}, "SCALAR"),
                   curved.floats({0, 0, 0, 0, 0, 0, 40, 0, 0, -40, 0, 0, 0, 0, 0, 0, 0, 0}, "VEC3"),
                   "CUBICSPLINE");
    const Clip fine = io::load_character(curved.write(scratch, "fine")).clips.at(0);
    CHECK(fine.fps > 30.0f);

    // A node above the first bone that turns far between two keys carries what hangs on it along an arc.
    workshop::RawGltf above;
    above.json["nodes"] = {{{"name", "above"}, {"children", {1}}},
                           {{"name", "hips"}, {"children", {2}}, {"translation", {0, 2, 0}}},
                           {{"name", "chest"}, {"translation", {0, 0.5f, 0}}}};
    above.json["skins"] = {{{"joints", {1, 2}}}};
    above.channel(0, "rotation", above.floats({0.0f, 0.1f}, "SCALAR"),
                  above.floats({0, 0, 0, 1, 0, 0, 0.7071068f, 0.7071068f}, "VEC4"));
    const Clip arc = io::load_character(above.write(scratch, "arc")).clips.at(0);
    CHECK(arc.fps > 60.0f);
    std::vector<Transform> pose(arc.bone_count);
    sample(arc, 0.0375f, pose);
    CHECK(pose[0].translation.norm() == doctest::Approx(2.0f).epsilon(0.0005));
}

TEST_CASE("normalized integers and sparse accessors") {
    const workshop::Scratch scratch;
    workshop::RawGltf file;
    file.json["nodes"] = {{{"name", "a"}}, {{"name", "b"}}};
    const int times = file.floats({0.0f, 1.0f}, "SCALAR");
    const std::vector<std::int16_t> turns{0, 0, 0, 32767, 0, 23170, 0, 23170};
    const int rotation = file.accessor({{"bufferView", file.view(turns.data(), 16)},
                                        {"componentType", 5122},
                                        {"normalized", true},
                                        {"count", 2},
                                        {"type", "VEC4"}});
    file.channel(0, "rotation", times, rotation);
    const std::vector<std::uint16_t> positions{1};
    const std::vector<float> value{0, 7, 0};
    const int sparse = file.accessor(
        {{"componentType", 5126},
         {"count", 2},
         {"type", "VEC3"},
         {"sparse",
          {{"count", 1},
           {"indices", {{"bufferView", file.view(positions.data(), 2)}, {"componentType", 5123}}},
           {"values", {{"bufferView", file.view(value.data(), 12)}}}}}});
    file.channel(1, "translation", times, sparse);
    const Clip clip = io::load_character(file.write(scratch, "packed")).clips.at(0);
    CHECK(angle_between(clip.frame(30)[0].rotation, Quat(Eigen::AngleAxisf(1.5707963f, Vec3::UnitY()))) <
          1e-4f);
    CHECK(clip.frame(0)[1].translation.y() == 0.0f);
    CHECK(clip.frame(30)[1].translation.y() == 7.0f);
}

TEST_CASE("the rate is found from the keys") {
    const workshop::Scratch scratch;
    const auto rate_of = [&](const std::vector<float>& times, float asked = 0.0f) {
        workshop::RawGltf file;
        file.json["nodes"] = {{{"name", "a"}}};
        file.channel(0, "translation", file.floats(times, "SCALAR"),
                     file.floats(std::vector<float>(3 * times.size(), 1.0f), "VEC3"));
        return io::load_character(file.write(scratch, "rate"), {asked}).clips.at(0);
    };
    CHECK(rate_of({0, 1 / 30.0f, 2 / 30.0f, 1}).fps == 30.0f);
    CHECK(rate_of({0, 1 / 24.0f, 5 / 24.0f}).fps == 24.0f);
    CHECK(rate_of({0, 1 / 60.0f, 7 / 60.0f}).fps == 60.0f);
    CHECK(rate_of({0.5f, 0.5f + 1 / 25.0f, 0.5f + 3 / 25.0f}).fps == 25.0f);
    const Clip odd = rate_of({0, 0.0137f, 0.0311f, 0.0401f});
    CHECK(odd.fps >= 30.0f);
    CHECK(odd.seconds() >= 0.0390f);
    CHECK(rate_of({0, 1 / 30.0f, 1}, 60.0f).frame_count() == 61);
    CHECK(rate_of({0}).frame_count() == 1);
}
