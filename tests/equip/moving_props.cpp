// Props with bones and clips of their own: they keep both, and go again without a trace.
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/equip/bring_sockets.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/props/props.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <doctest/doctest.h>
#include <nlohmann/json.hpp>

#include <fstream>
#include <set>

using namespace dendraxis;

namespace {

namespace fs = std::filesystem;
using nlohmann::json;

fs::path put(const workshop::Scratch& scratch, const std::string& name, std::vector<std::uint8_t> bytes) {
    const io::OutputFile file{scratch / name, std::move(bytes)};
    io::write_files({&file, 1});
    return file.path;
}

// A lamp that hangs from a hook, one mesh over both, with a clip that a wearer has, too, and one of its own.
fs::path lamp(const workshop::Scratch& scratch) {
    Character made;
    Bone hook{"hook", "hook", k_no_bone, {}};
    Bone bulb{"bulb", "bulb", 0, {}};
    bulb.rest.translation = Vec3(0.0f, -0.2f, 0.0f);
    made.skeleton = Skeleton({hook, bulb});
    SkinnedMesh mesh;
    mesh.name = "lamp";
    mesh.bones = {0, 1};
    mesh.inverse_bind = {Affine::Identity(), Affine(Eigen::Translation3f(0.0f, 0.2f, 0.0f))};
    mesh.positions = {{0.05f, 0, 0}, {-0.05f, 0, 0}, {0.08f, -0.3f, 0.02f}, {-0.02f, -0.3f, -0.04f}};
    mesh.triangles = {{0, 1, 2}, {1, 3, 2}};
    mesh.joints = {{0, 0, 0, 0}, {0, 0, 0, 0}, {1, 0, 0, 0}, {1, 0, 0, 0}};
    mesh.weights.assign(4, {1.0f, 0.0f, 0.0f, 0.0f});
    made.meshes = {mesh};
    for (const char* name : {"swing", "crouch"}) {
        Clip clip{name, 30.0f, 2, {}};
        for (int f = 0; f < 20; ++f) {
            std::vector<Transform> pose = rest_pose(made.skeleton);
            pose[1].rotation = Quat(Eigen::AngleAxisf(0.1f * static_cast<float>(f), Vec3::UnitX()));
            clip.transforms.insert(clip.transforms.end(), pose.begin(), pose.end());
        }
        made.clips.push_back(clip);
    }
    return put(scratch, "lamp.glb", io::new_glb(made));
}

json json_of(const fs::path& glb) {
    std::ifstream in(glb, std::ios::binary);
    const std::string bytes{std::istreambuf_iterator<char>(in), {}};
    const auto length = *reinterpret_cast<const std::uint32_t*>(bytes.data() + 12);
    return json::parse(bytes.substr(20, length));
}

// Each node hangs on one other at most.
bool is_a_tree(const json& document) {
    std::set<int> seen;
    for (const json& node : document["nodes"]) {
        for (const json& child : node.value("children", json::array())) {
            if (!seen.insert(child.get<int>()).second) return false;
        }
    }
    return true;
}

}  // namespace

TEST_CASE("a prop's own bones and clips come along, apart from the wearer's, and go again") {
    const workshop::Scratch scratch;
    const Prop prop = io::load_prop(lamp(scratch));
    CHECK(prop.has_parts);
    CHECK_FALSE(io::load_prop(workshop::demo("mallet.glb")).has_parts);
    const Character& diver = workshop::diver();
    const Chart chart = dendraxis::chart(diver);
    const SocketBinding sockets(suggested_sockets(diver, chart), chart);
    for (const bool mirrored : {false, true}) {
        CAPTURE(mirrored);
        const std::vector<PropMount> mounts{{&prop, 0, {"grip", 0.9f, mirrored}}};
        const fs::path file = put(scratch, "with.glb", io::glb_with_props(diver, sockets, mounts));
        if (workshop::has_validator()) CHECK(workshop::validator_errors(file) == "");
        const json document = json_of(file);
        const json plain = json_of(workshop::demo("diver.glb"));
        CHECK(document["skins"].size() == plain["skins"].size() + 1);
        CHECK(is_a_tree(document));
        const auto channels = [](const json& of, const std::string& name) {
            for (const json& one : of["animations"]) {
                if (one["name"] == name) return one["channels"].size();
            }
            return std::size_t{0};
        };
        CHECK(channels(document, "swing") > 0);
        CHECK(channels(document, "crouch") > channels(plain, "crouch"));
        CHECK(channels(document, "stroll") == channels(plain, "stroll"));

        // The wearer is who he was, and the prop is at rest where a still one would be.
        const Character worn = io::load_character(file);
        CHECK(worn.skeleton.size() == diver.skeleton.size());
        CHECK(worn.meshes.size() == diver.meshes.size());
        CHECK(worn.clips.size() == diver.clips.size());
        REQUIRE(worn.props.size() == 1);
        const std::vector<Transform> rest = rest_in_model_space(diver.skeleton);
        std::vector<Affine> matrices(worn.skeleton.size());
        to_model_matrices(worn.skeleton, rest_pose(worn.skeleton), matrices);
        std::vector<Vec3> at(worn.props[0].positions.size());
        deform(worn.props[0], matrices, at);
        const Surface still = surface_of(prop.model);
        const Transform frame = sockets.frame(0, rest) * placement_of(prop, mounts[0].fit);
        for (std::size_t v = 0; v < at.size(); ++v)
            CHECK((at[v] - apply(frame, mirror_of(prop, mounts[0].fit) * still.positions[v])).norm() < 1e-5f);

        CHECK(io::glb_without_props(file) == io::glb_with_clips(diver, {}));
    }
}

TEST_CASE("a prop with parts of its own can be carried in several places, and let go") {
    const workshop::Scratch scratch;
    const std::string file = lamp(scratch).string();
    const std::string carried = (scratch / "carried.glb").string();
    const auto switched =
        workshop::run_tool("equip " + workshop::k_diver + " --put " + file +
                           "@hand.right+belt.left --switch crouch:12=lamp@belt.left -o " + carried);
    REQUIRE_MESSAGE(switched.status == 0, switched.err);
    const std::string loose = (scratch / "loose.glb").string();
    const auto dropped = workshop::run_tool("equip " + workshop::k_diver + " --put " + file +
                                            "@hand.right --let-go crouch:20=lamp -o " + loose);
    REQUIRE_MESSAGE(dropped.status == 0, dropped.err);
    for (const std::string& one : {carried, loose}) {
        CAPTURE(one);
        if (workshop::has_validator()) CHECK(workshop::validator_errors(fs::path(one)) == "");
        const json document = json_of(one);
        CHECK(is_a_tree(document));
        CHECK(document["skins"].size() == 3);  // the diver's and one a copy
        CHECK(io::load_character(one).skeleton.size() == workshop::diver().skeleton.size());
        CHECK(io::glb_without_props(one) == io::glb_with_clips(workshop::diver(), {}));
    }
}
