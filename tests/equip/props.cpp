// Props: where they are in every frame, in the library and in the file; taken off without a trace.
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/equip/bring_sockets.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/props/props.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <doctest/doctest.h>

#include <fstream>

using namespace dendraxis;

namespace fs = std::filesystem;

namespace {

fs::path write(const workshop::Scratch& scratch, const std::string& name, std::vector<std::uint8_t> bytes) {
    const io::OutputFile file{scratch / name, std::move(bytes)};
    io::write_files({&file, 1});
    return file.path;
}

// Every bone turned to and fro about its own axis.
Clip writhing(const Skeleton& skeleton) {
    Clip clip{"writhe", 30.0f, skeleton.size(), {}};
    for (int f = 0; f < 30; ++f) {
        std::vector<Transform> pose = rest_pose(skeleton);
        for (std::size_t b = 0; b < pose.size(); ++b) {
            const auto n = static_cast<float>(b);
            const Vec3 axis(std::sin(n), std::cos(2.0f * n), std::sin(3.0f * n) + 0.1f);
            const float angle = 0.4f * std::sin(0.2f * static_cast<float>(f) + n);
            pose[b].rotation = pose[b].rotation * Quat(Eigen::AngleAxisf(angle, axis.normalized()));
        }
        clip.transforms.insert(clip.transforms.end(), pose.begin(), pose.end());
    }
    return clip;
}

// How far a mounted prop's vertices in the file are from where the library has them, metres, at the most.
float worst_in_file(const Character& equipped, const Character& character, const SocketBinding& sockets,
                    const PropMount& mount, const Clip& clip) {
    const Surface own = surface_of(mount.prop->model);
    const Transform placement = placement_of(*mount.prop, mount.fit);
    const Affine mirror = mirror_of(*mount.prop, mount.fit);
    std::vector<Transform> model(character.skeleton.size());
    std::vector<Affine> matrices(equipped.skeleton.size());
    float worst = 0.0f;
    REQUIRE(equipped.clip(clip.name).frame_count() == clip.frame_count());
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(character.skeleton, clip.frame(f), model);
        const Transform frame = sockets.frame(mount.socket, model) * placement;
        to_model_matrices(equipped.skeleton, equipped.clip(clip.name).frame(f), matrices);
        std::size_t v = 0;
        for (const SkinnedMesh& mesh : equipped.props) {
            if (mesh.name != mount.prop->name) continue;
            std::vector<Vec3> positions(mesh.positions.size());
            deform(mesh, matrices, positions);
            REQUIRE(v + positions.size() <= own.positions.size());
            for (const Vec3& position : positions)
                worst = std::max(worst, (position - apply(frame, mirror * own.positions[v++])).norm());
        }
        CHECK(v == own.positions.size());
    }
    return worst;
}

}  // namespace

TEST_CASE("a mounted prop is where its socket is, in every frame, in the library and in the file") {
    workshop::Scratch scratch;
    const Prop lantern = io::load_prop(workshop::demo("lantern.glb"));
    const Prop mallet = io::load_prop(workshop::demo("mallet.glb"));
    CHECK(mallet.grips.size() == 2);
    Character short_diver = workshop::diver();
    short_diver.clips.clear();
    const Quat quarter(Eigen::AngleAxisf(1.5707963f, Vec3::UnitX()));
    const Character& bosun = workshop::bosun();
    for (Character character : {short_diver, bosun, variants::reaxed(short_diver, 3),
                                variants::under_scaled_node(short_diver, 100.0f),
                                variants::under_turned_node(short_diver, quarter)}) {
        character.clips = {writhing(character.skeleton)};
        character = io::load_character(write(scratch, "plain.glb", io::new_glb(character)));
        const Chart chart = dendraxis::chart(character);
        const SocketBinding sockets(suggested_sockets(character, chart), chart);
        const std::vector<PropMount> mounts{{&lantern, 0, {}}, {&mallet, 1, {"grip", 0.8f, true}}};
        CHECK(check_mounts(character, chart, sockets, mounts).empty());
        const fs::path file = write(scratch, "equipped.glb", io::glb_with_props(character, sockets, mounts));
        if (workshop::has_validator()) CHECK(workshop::validator_errors(file) == "");
        const Character equipped = io::load_character(file);
        CHECK(equipped.skeleton.size() == character.skeleton.size());
        CHECK(equipped.meshes.size() == character.meshes.size());
        CHECK(dendraxis::chart(equipped).height == chart.height);
        for (const PropMount& mount : mounts)
            CHECK(worst_in_file(equipped, character, sockets, mount, character.clips[0]) < 1e-5f);

        // Off again: one, and all.
        const std::vector<std::string> first{"lantern"};
        const fs::path one = write(scratch, "one.glb", io::glb_without_props(file, first));
        if (workshop::has_validator()) CHECK(workshop::validator_errors(one) == "");
        REQUIRE(io::mounted_props(one).size() == 1);
        CHECK(io::mounted_props(one)[0].prop == "mallet");
        CHECK(worst_in_file(io::load_character(one), character, sockets, mounts[1], character.clips[0]) <
              1e-5f);
        CHECK(io::glb_without_props(one) == io::glb_with_clips(character, {}));
        CHECK(io::glb_without_props(file) == io::glb_with_clips(character, {}));
    }
}

TEST_CASE("textures come along and go again") {
    workshop::Scratch scratch;
    workshop::RawGltf raw;
    const int positions = raw.floats({0, 0, 0, 1, 0, 0, 0, 1, 0}, "VEC3");
    raw.json["accessors"][static_cast<std::size_t>(positions)]["min"] = {0, 0, 0};
    raw.json["accessors"][static_cast<std::size_t>(positions)]["max"] = {1, 1, 0};
    const int corners = raw.floats({0, 0, 1, 0, 0, 1}, "VEC2");
    raw.json["images"] = {{{"uri",
                            "data:image/png;base64,iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42m"
                            "NkYPhfDwAChwGA60e6kgAAAABJRU5ErkJggg=="}}};
    raw.json["samplers"] = {{{"magFilter", 9728}}};
    raw.json["textures"] = {{{"source", 0}, {"sampler", 0}}};
    raw.json["materials"] = {{{"pbrMetallicRoughness", {{"baseColorTexture", {{"index", 0}}}}},
                              {"extensions", {{"KHR_materials_unlit", nlohmann::json::object()}}}}};
    raw.json["extensionsUsed"] = {"KHR_materials_unlit"};
    raw.json["meshes"] = {
        {{"primitives",
          {{{"attributes", {{"POSITION", positions}, {"TEXCOORD_0", corners}}}, {"material", 0}}}}}};
    raw.json["nodes"] = {{{"name", "flag"}, {"mesh", 0}, {"scale", {-0.2, 0.2, 0.2}}}};
    raw.json["scenes"] = {{{"nodes", {0}}}};
    const Prop flag = io::load_prop(raw.write(scratch, "flag"));
    const Character& diver = workshop::diver();
    const Chart chart = dendraxis::chart(diver);
    const SocketBinding sockets(suggested_sockets(diver, chart), chart);
    const std::vector<PropMount> mounts{{&flag, 4, {}}};
    const fs::path file = write(scratch, "with.glb", io::glb_with_props(diver, sockets, mounts));
    if (workshop::has_validator()) CHECK(workshop::validator_errors(file) == "");
    const Character equipped = io::load_character(file);
    CHECK(worst_in_file(equipped, diver, sockets, mounts[0], diver.clip("crouch")) < 1e-5f);
    CHECK(io::glb_without_props(file) == io::glb_with_clips(diver, {}));
}

TEST_CASE("a thing on a mirrored or unevenly scaled bone is told of, and the file is whole") {
    workshop::Scratch scratch;
    Character diver = workshop::diver();
    diver.clips = {writhing(diver.skeleton)};
    std::vector<Bone> bones(diver.skeleton.bones().begin(), diver.skeleton.bones().end());
    bones[static_cast<std::size_t>(diver.skeleton.find("forearm_left"))].rest.scale = Vec3(-1, 1, 1);
    bones[static_cast<std::size_t>(diver.skeleton.find("forearm_right"))].rest.scale = Vec3(1, 1.5f, 1);
    diver.skeleton = Skeleton(bones);
    const std::string file = write(scratch, "odd.glb", io::new_glb(diver)).string();
    const std::string lantern = workshop::demo("lantern.glb").string();
    const std::string out = (scratch / "out.glb").string();
    const auto put = workshop::run_tool("equip " + file + " --put " + lantern + "@hand.left " + lantern +
                                        "@hand.right " + lantern + "@back -o " + out);
    REQUIRE_MESSAGE(put.status == 0, put.err);
    CHECK(put.out.find("socket.mirrored-bone [hand.left]") != std::string::npos);
    CHECK(put.out.find("socket.uneven-scale [hand.right]") != std::string::npos);
    CHECK(put.out.find("[back]") == std::string::npos);
    if (workshop::has_validator()) CHECK(workshop::validator_errors(out) == "");
    CHECK(io::load_character(out).props.size() == 3 * io::load_prop(lantern).model.meshes.size());
}

TEST_CASE("props that make no sense are refused, and odd ones told") {
    workshop::Scratch scratch;
    const Chart chart = dendraxis::chart(workshop::diver());
    const std::vector<Socket> sockets = suggested_sockets(workshop::diver(), chart);
    Prop lantern = io::load_prop(workshop::demo("lantern.glb"));
    CHECK_THROWS_AS(placement_of(lantern, {"grip", 0.0f, false}), Error);
    CHECK_THROWS_AS(placement_of(lantern, {"grap", 1.0f, false}), Error);
    CHECK(workshop::has(check_prop(lantern, {"grip", 100.0f, false}, sockets[0], chart), "prop.large"));
    lantern.grips[0].at.y() = 3.0f;
    CHECK(workshop::has(check_prop(lantern, {}, sockets[0], chart), "prop.far-from-socket"));

    workshop::RawGltf raw;
    raw.json["nodes"] = {{{"name", "nothing"}}};
    raw.json["scenes"] = {{{"nodes", {0}}}};
    CHECK_THROWS_AS(io::load_prop(raw.write(scratch, "nothing")), Error);

    fs::copy_file(workshop::demo("lantern.glb"), scratch / "lamp.glb");
    std::ofstream(scratch / "lamp.prop.json")
        << R"({"format": "dendraxis-prop", "version": 1, "grips": {"hook": {"at": [0, 1]}}})";
    CHECK_THROWS_AS(io::load_prop(scratch / "lamp.glb"), Error);
    std::ofstream(scratch / "lamp.prop.json")
        << R"({"format": "dendraxis-prop", "version": 1, "grips": {"grip": {"at": [0, 0.1, 0], "turn": [0, 90, 0]}}})";
    const Prop lamp = io::load_prop(scratch / "lamp.glb");
    CHECK(lamp.grip().at.y() == doctest::Approx(0.1f));
    CHECK(angle_between(lamp.grip().turn, Quat(Eigen::AngleAxisf(1.5707963f, Vec3::UnitY()))) < 1e-3f);
}
