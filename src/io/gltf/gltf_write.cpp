// Writing GLB. A file's own JSON is edited rather than written anew from a parsed model, so that all that
// this library does not know comes back as it was.
#include "glb_builder.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/skeleton/key_reduction.hpp>

#include <tbb/parallel_for.h>

#include <map>

namespace dendraxis::io {
namespace {

constexpr int k_unsigned_int = 5125;
constexpr int k_unsigned_short = 5123;
constexpr int k_vertex_data = 34962;
constexpr int k_index_data = 34963;

// Key times are shared by all properties with the same keys.
class AnimationWriter {
 public:
    AnimationWriter(Glb& glb, const Clip& clip) : glb_(glb), clip_(clip) {
        animation_ = {{"name", clip.name}, {"channels", Json::array()}, {"samplers", Json::array()}};
    }

    template <class Get>
    void add(std::size_t bone, int node, StepBits property, const std::vector<int>& frames, std::size_t width,
             const Get& get) {
        if (frames.empty()) return;
        std::vector<float> values;
        for (const int frame : frames) {
            const auto value = get(clip_.frame(static_cast<std::size_t>(frame))[bone]);
            values.insert(values.end(), value.data(), value.data() + width);
        }
        const int output = add_accessor(glb_, std::span<const float>(values), width, k_float, false);
        const char* path = property == k_rotation_steps      ? "rotation"
                           : property == k_translation_steps ? "translation"
                                                             : "scale";
        const char* curve = clip_.holds(bone, property) ? "STEP" : "LINEAR";
        animation_["samplers"].push_back(
            {{"input", times(frames)}, {"interpolation", curve}, {"output", output}});
        animation_["channels"].push_back(
            {{"sampler", animation_["samplers"].size() - 1}, {"target", {{"node", node}, {"path", path}}}});
    }

    Json finish() { return std::move(animation_); }

 private:
    int times(const std::vector<int>& frames) {
        const auto [found, is_new] = inputs_.try_emplace(frames, 0);
        if (is_new) {
            std::vector<float> seconds;
            for (const int frame : frames)
                seconds.push_back(static_cast<float>(clip_.start + static_cast<double>(frame) / clip_.fps));
            found->second = add_accessor(glb_, std::span<const float>(seconds), 1, k_float, true);
        }
        return found->second;
    }

    Glb& glb_;
    const Clip& clip_;
    Json animation_;
    std::map<std::vector<int>, int> inputs_;
};

// Rounding may leave a part of a unit quaternion just over one, which is out of the range that glTF allows.
Eigen::Vector4f in_range(const Quat& rotation) {
    return rotation.coeffs().cwiseMax(-1.0f).cwiseMin(1.0f);
}

Json node_json(const std::string& name, const Transform& transform) {
    Json node = Json::object();
    if (!name.empty()) node["name"] = name;
    if (transform.translation != Vec3::Zero()) node["translation"] = list_of(transform.translation);
    if (transform.rotation.coeffs() != Quat::Identity().coeffs())
        node["rotation"] = list_of(Quat(in_range(transform.rotation)));
    if (transform.scale != Vec3::Ones()) node["scale"] = list_of(transform.scale);
    return node;
}

int add_skin(Glb& glb, const SkinnedMesh& mesh, std::span<const int> nodes) {
    std::vector<Eigen::Matrix4f> matrices;
    Json joints = Json::array();
    for (std::size_t i = 0; i < mesh.bones.size(); ++i) {
        matrices.push_back(mesh.inverse_bind[i].matrix());
        joints.push_back(nodes[static_cast<std::size_t>(mesh.bones[i])]);
    }
    return push(glb.json, "skins",
                {{"joints", joints}, {"inverseBindMatrices", add_vectors(glb, matrices, 16)}});
}

bool same_skin(const SkinnedMesh& a, const SkinnedMesh& b) {
    return a.bones == b.bones &&
           std::equal(a.inverse_bind.begin(), a.inverse_bind.end(), b.inverse_bind.begin(),
                      [](const Affine& x, const Affine& y) { return x.matrix() == y.matrix(); });
}

Json primitive_json(Glb& glb, const SkinnedMesh& mesh) {
    Json attributes{{"POSITION", add_vectors(glb, mesh.positions, 3, k_vertex_data, true)}};
    if (!mesh.normals.empty()) attributes["NORMAL"] = add_vectors(glb, mesh.normals, 3, k_vertex_data);
    const std::span joints(mesh.joints.front().data(), 4 * mesh.joints.size());
    attributes["JOINTS_0"] =
        add_accessor(glb, std::span<const std::uint16_t>(joints), 4, k_unsigned_short, false, k_vertex_data);
    attributes["WEIGHTS_0"] = add_vectors(glb, mesh.weights, 4, k_vertex_data);
    const std::span corners(mesh.triangles.front().data(), 3 * mesh.triangles.size());
    int indices = 0;
    if (mesh.positions.size() < 65535) {
        const std::vector<std::uint16_t> small(corners.begin(), corners.end());
        indices = add_accessor(glb, std::span<const std::uint16_t>(small), 1, k_unsigned_short, false,
                               k_index_data);
    } else {
        indices = add_accessor(glb, std::span<const std::uint32_t>(corners), 1, k_unsigned_int, false,
                               k_index_data);
    }
    const Json material{{"name", mesh.name},
                        {"pbrMetallicRoughness",
                         {{"baseColorFactor", {mesh.color[0], mesh.color[1], mesh.color[2], 1.0f}},
                          {"metallicFactor", 0.0},
                          {"roughnessFactor", 0.9}}}};
    return {{"attributes", attributes},
            {"indices", indices},
            {"material", push(glb.json, "materials", material)}};
}

// Meshes of the same skin become one node with several primitives.
void add_meshes(Glb& glb, const Character& character, std::span<const int> nodes, Json& scene_nodes) {
    std::vector<std::pair<const SkinnedMesh*, Json>> groups;
    for (const SkinnedMesh& mesh : character.meshes) {
        if (mesh.positions.empty() || mesh.triangles.empty()) continue;
        auto group = std::find_if(groups.begin(), groups.end(),
                                  [&](const auto& g) { return same_skin(*g.first, mesh); });
        if (group == groups.end()) group = groups.insert(groups.end(), {&mesh, Json::array()});
        group->second.push_back(primitive_json(glb, mesh));
    }
    for (auto& [first, primitives] : groups) {
        const int skin = add_skin(glb, *first, nodes);
        const int mesh =
            push(glb.json, "meshes", {{"name", character.name}, {"primitives", std::move(primitives)}});
        scene_nodes.push_back(
            push(glb.json, "nodes", {{"name", character.name + "-surface"}, {"mesh", mesh}, {"skin", skin}}));
    }
}

std::vector<std::uint8_t> with_clips(const GltfFile& file, const Character& character,
                                     std::span<const Clip> clips, const std::string& stamp) {
    Glb glb = open_for_editing(file);
    for (const Clip& clip : clips) add_clip(glb, character.skeleton, character.nodes, clip);
    if (!stamp.empty()) put_stamp(glb, stamp);
    return to_bytes(glb);
}

bool is_identity(const Transform& transform) {
    return transform.translation == Vec3::Zero() && transform.scale == Vec3::Ones() &&
           transform.rotation.coeffs() == Quat::Identity().coeffs();
}

}  // namespace

void add_clip(Glb& glb, const Skeleton& skeleton, std::span<const int> nodes, const Clip& clip) {
    const KeyReducer reducer(skeleton, clip);
    std::vector<BoneKeys> keys(skeleton.size());
    tbb::parallel_for(std::size_t{0}, keys.size(),
                      [&](std::size_t bone) { keys[bone] = reducer.keys_of(bone); });
    const auto still = [](const BoneKeys& bone) {
        return bone.rotation.empty() && bone.translation.empty() && bone.scale.empty();
    };
    // An animation without channels is not valid, and the clip's length is carried by its keys: where nothing
    // spans it, the first bone is held at its rest from the first frame to the last.
    const int last = static_cast<int>(clip.frame_count()) - 1;
    const bool spans = std::any_of(keys.begin(), keys.end(), [&](const BoneKeys& bone) {
        return (!bone.rotation.empty() && bone.rotation.back() == last) ||
               (!bone.translation.empty() && bone.translation.back() == last);
    });
    if (!spans || std::all_of(keys.begin(), keys.end(), still))
        keys.front().rotation = last > 0 ? std::vector{0, last} : std::vector{0};

    AnimationWriter writer(glb, clip);
    for (std::size_t bone = 0; bone < keys.size(); ++bone) {
        const int node = nodes[bone];
        writer.add(bone, node, k_rotation_steps, keys[bone].rotation, 4,
                   [](const Transform& t) { return in_range(t.rotation); });
        writer.add(bone, node, k_translation_steps, keys[bone].translation, 3,
                   [](const Transform& t) { return t.translation; });
        writer.add(bone, node, k_scale_steps, keys[bone].scale, 3,
                   [](const Transform& t) { return t.scale; });
    }
    Json& animations = glb.json["animations"];
    Json written = writer.finish();
    for (Json& animation : animations) {
        if (animation.value("name", "") == clip.name) {
            animation = std::move(written);
            return;
        }
    }
    animations.push_back(std::move(written));
}

std::vector<std::uint8_t> glb_with_clips(const Character& character, std::span<const Clip> clips,
                                         const std::string& stamp) {
    return with_clips(read_gltf_file(character.file), character, clips, stamp);
}

std::vector<std::uint8_t> glb_with_clips(std::span<const std::uint8_t> glb, const Character& character,
                                         std::span<const Clip> clips, const std::string& stamp) {
    return with_clips(read_gltf_bytes({glb.begin(), glb.end()}, character.name), character, clips, stamp);
}

std::string stamp_of(const std::filesystem::path& glb) {
    std::error_code ignored;
    if (!std::filesystem::exists(glb, ignored)) return "";
    return read_stamp(read_bytes(glb));
}

std::vector<std::uint8_t> new_glb(const Character& character) {
    Glb glb;
    glb.json = {{"asset", {{"version", "2.0"}, {"generator", "Dendraxis"}}},
                {"scene", 0},
                {"scenes", Json::array()},
                {"nodes", Json::array()}};
    Json scene_nodes = Json::array();
    int holder = -1;
    if (!is_identity(character.skeleton.above())) {
        holder = push(glb.json, "nodes", node_json(character.name, character.skeleton.above()));
        scene_nodes.push_back(holder);
    }
    std::vector<int> nodes;
    for (const Bone& bone : character.skeleton.bones()) {
        const int node = push(glb.json, "nodes", node_json(bone.name, bone.rest));
        const int parent = bone.parent == k_no_bone ? holder : nodes[static_cast<std::size_t>(bone.parent)];
        if (parent == -1) {
            scene_nodes.push_back(node);
        } else {
            glb.json["nodes"][static_cast<std::size_t>(parent)]["children"].push_back(node);
        }
        nodes.push_back(node);
    }
    add_meshes(glb, character, nodes, scene_nodes);
    for (const Clip& clip : character.clips) add_clip(glb, character.skeleton, nodes, clip);
    glb.json["scenes"].push_back({{"nodes", scene_nodes}});
    return to_bytes(glb);
}

}  // namespace dendraxis::io
