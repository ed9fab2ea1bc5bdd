// Props and pieces of clothing from files.
#include "../gltf/gltf_file.hpp"
#include "../json/json_text.hpp"
#include "prop_volumes.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/props/props.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;

void read_side_file(const fs::path& file, Prop& prop) {
    std::error_code ignored;
    if (!fs::exists(file, ignored)) return;
    const JsonDocument document = open_document(file, Schema::prop);
    const Json grips = document.json.value("grips", Json::object());
    for (const auto& entry : grips.items()) {
        PropGrip grip{entry.key(), Vec3::Zero(), Quat::Identity()};
        if (entry.value().contains("at")) grip.at = vector_of(entry.value()["at"]);
        if (entry.value().contains("turn")) grip.turn = turn_of(entry.value()["turn"]);
        std::erase_if(prop.grips, [&](const PropGrip& known) { return known.name == grip.name; });
        prop.grips.push_back(std::move(grip));
    }
    if (document.json.contains("mass")) prop.mass = document.json["mass"].get<float>();
    prop.volumes = volumes_of(document.json.value("volumes", Json::object()));
}

Prop load_whole(const fs::path& file) {
    Prop prop;
    prop.model = load_character(file);
    prop.name = prop.model.name;
    prop.findings = prop.model.findings;
    std::size_t shown = 0;
    for (const SkinnedMesh& mesh : prop.model.meshes) shown += mesh.triangles.size();
    if (shown == 0)
        throw Error(file.string(), "shows nothing: it has no triangles", "", "name a file with a mesh");
    std::size_t primitives = 0;
    const Json json = Json::parse(read_gltf_file(file).json);
    for (const Json& node : json["nodes"]) {
        if (!node.contains("mesh")) continue;
        for (const Json& one : json["meshes"][node["mesh"].get<std::size_t>()]["primitives"])
            primitives += one["attributes"].contains("POSITION") ? 1 : 0;
    }
    if (primitives != prop.model.meshes.size())
        throw Error(file.string(), "has loose meshes beside skinned ones", "", "export it without its skin");
    return prop;
}

// Whether all of a mesh hangs on this bone or below it; throws where only a part does.
bool hangs_on(const SkinnedMesh& mesh, const Skeleton& skeleton, int bone, const fs::path& file) {
    std::size_t count = 0;
    for (std::size_t v = 0; v < mesh.positions.size(); ++v) {
        const auto& weights = mesh.weights[v];
        const auto most =
            static_cast<std::size_t>(std::max_element(weights.begin(), weights.end()) - weights.begin());
        const int holder = mesh.bones[mesh.joints[v][most]];
        count += holder == bone || skeleton.is_above(bone, holder) ? 1 : 0;
    }
    if (count != 0 && count != mesh.positions.size())
        throw Error(
            file.string(),
            "the mesh '" + mesh.name + "' hangs on '" + skeleton.bone(bone).label + "' and on other nodes",
            "", "give each piece a mesh of its own");
    return count != 0;
}

bool follows_several_bones(const SkinnedMesh& mesh) {
    if (mesh.joints.empty()) return false;
    const int first = mesh.bones[mesh.joints.front()[0]];
    for (std::size_t v = 0; v < mesh.positions.size(); ++v) {
        for (std::size_t k = 0; k < 4; ++k) {
            if (mesh.weights[v][k] > 0.0f && mesh.bones[mesh.joints[v][k]] != first) return true;
        }
    }
    return false;
}

}  // namespace

Prop load_prop(const fs::path& file) {
    Prop prop = load_whole(file);
    prop.has_parts = !prop.model.clips.empty() ||
                     std::any_of(prop.model.meshes.begin(), prop.model.meshes.end(), follows_several_bones);
    const std::vector<Transform> rest = rest_in_model_space(prop.model.skeleton);
    for (std::size_t b = 0; b < rest.size(); ++b) {
        const std::string& name = prop.model.skeleton.bone(static_cast<int>(b)).name;
        if (name.starts_with("grip"))
            prop.grips.push_back({name, rest[b].translation, rest[b].rotation.normalized()});
    }
    fs::path side = file;
    read_side_file(side.replace_extension(".prop.json"), prop);
    return prop;
}

std::vector<std::string> names_in_prop(const fs::path& file) {
    std::vector<std::string> names;
    const Character whole = load_character(file);
    for (const Bone& bone : whole.skeleton.bones()) names.push_back(bone.name);
    return names;
}

Prop load_piece(const fs::path& file, const std::string& node) {
    Prop piece = load_whole(file);
    if (node.empty()) return piece;
    const Skeleton& skeleton = piece.model.skeleton;
    const int bone = skeleton.find(node);
    if (bone == k_no_bone) {
        const std::vector<std::string> names = names_in_prop(file);
        throw Error(ErrorCode::unknown_name, file.string(), "has no node '" + node + "'", "",
                    did_you_mean(node, names, "see what it holds: `dendraxis survey`"));
    }
    piece.name = node;
    std::size_t shown = 0;
    for (SkinnedMesh& mesh : piece.model.meshes) {
        if (hangs_on(mesh, skeleton, bone, file)) {
            shown += mesh.triangles.size();
            continue;
        }
        SkinnedMesh nothing;
        nothing.name = mesh.name;
        mesh = std::move(nothing);
    }
    if (shown == 0)
        throw Error(file.string(), "its node '" + node + "' shows nothing", "", "name a node with a mesh");
    // A piece's own origin is its node's.
    const Vec3 origin = rest_in_model_space(skeleton)[static_cast<std::size_t>(bone)].translation;
    std::vector<Bone> bones(skeleton.bones().begin(), skeleton.bones().end());
    for (Bone& one : bones) {
        if (one.parent == k_no_bone) one.rest.translation -= origin;
    }
    piece.model.skeleton = Skeleton(std::move(bones));
    return piece;
}

}  // namespace dendraxis::io
