// Joins two glTF documents: the visual's lists are added behind the other's, with every index moved on.
#include <dendraxis/io/gltf/rebind.hpp>

#include "glb_builder.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/skeleton/match_bones.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

namespace dendraxis::io {
namespace {

std::size_t size_of(const Json& document, const char* list) {
    return document.contains(list) ? document[list].size() : 0;
}

void move_on(Json& object, const char* key, std::size_t by) {
    if (object.is_object() && object.contains(key)) object[key] = object[key].get<std::size_t>() + by;
}

// Every texture that a material names, in its extensions too, is an object with an `index`.
void move_textures(Json& value, std::size_t by) {
    if (value.is_object()) {
        move_on(value, "index", by);
        for (auto& [key, member] : value.items()) {
            if (key != "extras") move_textures(member, by);
        }
    } else if (value.is_array()) {
        for (Json& member : value) move_textures(member, by);
    }
}

void append(Json& to, Json from, const char* list) {
    if (!from.contains(list)) return;
    for (Json& item : from[list]) to[list].push_back(std::move(item));
}

// Adds accessors, materials, textures and meshes of `visual`; returns the index of its first mesh.
std::size_t join(Glb& glb, Glb visual) {
    Json& to = glb.json;
    Json& from = visual.json;
    align(glb.binary, 0);
    const std::size_t base = glb.binary.size();
    glb.binary.insert(glb.binary.end(), visual.binary.begin(), visual.binary.end());
    const std::size_t views = size_of(to, "bufferViews");
    const std::size_t accessors = size_of(to, "accessors");
    const std::size_t images = size_of(to, "images");
    const std::size_t samplers = size_of(to, "samplers");
    const std::size_t textures = size_of(to, "textures");
    const std::size_t materials = size_of(to, "materials");
    const std::size_t meshes = size_of(to, "meshes");
    if (size_of(to, "buffers") == 0) to["buffers"] = Json::array({Json::object()});
    for (Json& view : from["bufferViews"])
        view["byteOffset"] = view.value("byteOffset", std::size_t{0}) + base;
    for (Json& accessor : from["accessors"]) {
        move_on(accessor, "bufferView", views);
        if (!accessor.contains("sparse")) continue;
        move_on(accessor["sparse"]["indices"], "bufferView", views);
        move_on(accessor["sparse"]["values"], "bufferView", views);
    }
    if (from.contains("images")) {
        for (Json& image : from["images"]) move_on(image, "bufferView", views);
    }
    if (from.contains("textures")) {
        for (Json& texture : from["textures"]) {
            move_on(texture, "source", images);
            move_on(texture, "sampler", samplers);
            if (!texture.contains("extensions")) continue;
            for (auto& [name, extension] : texture["extensions"].items())
                move_on(extension, "source", images);
        }
    }
    if (from.contains("materials")) {
        for (Json& material : from["materials"]) move_textures(material, textures);
    }
    for (Json& mesh : from["meshes"]) {
        for (Json& primitive : mesh["primitives"]) {
            move_on(primitive, "indices", accessors);
            move_on(primitive, "material", materials);
            for (auto& [name, accessor] : primitive["attributes"].items())
                accessor = accessor.get<std::size_t>() + accessors;
            if (!primitive.contains("targets")) continue;
            for (Json& target : primitive["targets"]) {
                for (auto& [name, accessor] : target.items())
                    accessor = accessor.get<std::size_t>() + accessors;
            }
        }
    }
    for (const char* list :
         {"bufferViews", "accessors", "images", "samplers", "textures", "materials", "meshes"})
        append(to, from, list);
    for (const char* list : {"extensionsUsed", "extensionsRequired"}) {
        if (!from.contains(list)) continue;
        for (const Json& name : from[list]) {
            if (!to.contains(list) || std::find(to[list].begin(), to[list].end(), name) == to[list].end())
                to[list].push_back(name);
        }
    }
    return meshes;
}

// By name, else by build, else by role and order in the charts' chains: whichever of the first two matches
// more bones, completed by the roles.
std::vector<int> match_bones(const Character& visual, const Character& onto) {
    std::vector<int> match = match_by_name(visual.skeleton, onto.skeleton);
    const std::vector<int> build = match_by_build(visual.skeleton, onto.skeleton);
    const auto count = [](const std::vector<int>& list) {
        return std::count_if(list.begin(), list.end(), [](int bone) { return bone != k_no_bone; });
    };
    if (count(build) > count(match)) match = build;
    if (count(match) == static_cast<std::ptrdiff_t>(match.size())) return match;
    std::vector<char> used(onto.skeleton.size(), 0);
    for (const int bone : match) {
        if (bone != k_no_bone) used[static_cast<std::size_t>(bone)] = 1;
    }
    const Chart a = chart(visual);
    const Chart b = chart(onto);
    const auto take = [&](int bone, int other) {
        if (bone == k_no_bone || other == k_no_bone || match[static_cast<std::size_t>(bone)] != k_no_bone ||
            used[static_cast<std::size_t>(other)])
            return;
        match[static_cast<std::size_t>(bone)] = other;
        used[static_cast<std::size_t>(other)] = 1;
    };
    take(a.hips, b.hips);
    take(a.root, b.root);
    for (const Chain& chain : a.chains) {
        const Chain* answer = b.find(chain.name);
        if (answer == nullptr || answer->bones.empty()) continue;
        const bool one_to_one = answer->bones.size() == chain.bones.size();
        for (std::size_t i = 0; i < chain.bones.size(); ++i) {
            if (one_to_one) {
                take(chain.bones[i], answer->bones[i]);
                continue;
            }
            // Of five on three, some share one.
            int& own = match[static_cast<std::size_t>(chain.bones[i])];
            if (own == k_no_bone) own = answer->bones[i * answer->bones.size() / chain.bones.size()];
        }
    }
    return match;
}

// Whether matched bones stand at the same positions, within a two-hundredth of the size.
bool rests_alike(const Character& visual, const Character& onto, const std::vector<int>& match) {
    const auto a = rest_in_model_space(visual.skeleton);
    const auto b = rest_in_model_space(onto.skeleton);
    Eigen::AlignedBox3f box;
    for (const Transform& bone : b) box.extend(bone.translation);
    const float limit = box.isEmpty() ? 0.0f : 0.005f * box.sizes().maxCoeff();
    for (std::size_t i = 0; i < match.size(); ++i) {
        if (match[i] != k_no_bone &&
            (a[i].translation - b[static_cast<std::size_t>(match[i])].translation).norm() > limit)
            return false;
    }
    return true;
}

// A skin names no node twice: of two bones that fall onto one, the second stands below it, still.
int joint_node(Glb& glb, const Json& joints, int node, const std::string& name) {
    if (std::find(joints.begin(), joints.end(), Json(node)) == joints.end()) return node;
    const int below = push(glb.json, "nodes", {{"name", name}});
    glb.json["nodes"][static_cast<std::size_t>(node)]["children"].push_back(below);
    return below;
}

int matched_above(const Skeleton& skeleton, const std::vector<int>& match, int bone) {
    while (bone != k_no_bone && match[static_cast<std::size_t>(bone)] == k_no_bone)
        bone = skeleton.parent(bone);
    return bone;
}

}  // namespace

Rebound rebind(const Character& visual, const Character& onto) {
    const GltfFile source = read_gltf_file(visual.file);
    const GltfFile base = read_gltf_file(onto.file);
    if (source.model.skins.empty())
        throw Error(visual.file, "has no skinned mesh to put on other bones", "",
                    "name a file whose surface is bound to bones");
    const std::vector<int> match = match_bones(visual, onto);
    if (std::all_of(match.begin(), match.end(), [](int bone) { return bone == k_no_bone; })) {
        throw Error(visual.file, "none of its bones is one of " + onto.file, "",
                    "see `dendraxis compare`, or retarget instead");
    }
    Rebound result;
    const bool alike = rests_alike(visual, onto, match);
    if (!alike) {
        result.findings.push_back(
            {Severity::warning, "rebind.rest-differs", visual.name,
             "its bones rest elsewhere than " + onto.name + "'s; the surface follows them there",
             "look at the result; where it is bent, bring both to one rest first"});
    }
    std::vector<Affine> place_visual(visual.skeleton.size());
    std::vector<Affine> place_onto(onto.skeleton.size());
    to_model_matrices(visual.skeleton, rest_pose(visual.skeleton), place_visual);
    to_model_matrices(onto.skeleton, rest_pose(onto.skeleton), place_onto);
    std::vector<int> bone_of(source.model.nodes.size(), k_no_bone);
    for (std::size_t i = 0; i < visual.nodes.size(); ++i)
        bone_of[static_cast<std::size_t>(visual.nodes[i])] = static_cast<int>(i);

    Glb glb = open_for_editing(base);
    for (Json& node : glb.json["nodes"]) {
        if (!node.contains("skin")) continue;
        node.erase("mesh");
        node.erase("skin");
        node.erase("weights");
    }
    const std::size_t first_mesh = join(glb, open_for_editing(source));

    std::vector<int> skins;
    std::vector<char> told(visual.skeleton.size(), 0);
    for (const tinygltf::Skin& skin : source.model.skins) {
        const std::vector<float> numbers = skin.inverseBindMatrices == -1
                                               ? std::vector<float>()
                                               : read_numbers(source, skin.inverseBindMatrices, 16);
        std::vector<Eigen::Matrix4f> binds;
        Json joints = Json::array();
        for (std::size_t k = 0; k < skin.joints.size(); ++k) {
            const int bone = bone_of[static_cast<std::size_t>(skin.joints[k])];
            const int holder = matched_above(visual.skeleton, match, bone);
            const int target = holder == k_no_bone ? 0 : match[static_cast<std::size_t>(holder)];
            const auto b = static_cast<std::size_t>(bone);
            if (!told[b]) {
                told[b] = 1;
                ++result.bones;
                result.matched += holder == bone ? 1 : 0;
                if (holder != bone) {
                    result.findings.push_back({Severity::warning, "rebind.unmatched-bone",
                                               visual.skeleton.bone(bone).label,
                                               onto.name + " has no such bone; its vertices were given to " +
                                                   onto.skeleton.bone(target).label,
                                               "rename it, or add the bone, where its motion matters"});
                }
            }
            Affine bind = Affine::Identity();
            if (16 * k + 16 <= numbers.size())
                bind.matrix() = Eigen::Map<const Eigen::Matrix4f>(numbers.data() + 16 * k);
            const Affine in_model = place_visual[b] * bind;
            const bool keep_place = alike || holder == k_no_bone;
            const Affine& frame = keep_place ? place_onto[static_cast<std::size_t>(target)]
                                             : place_visual[static_cast<std::size_t>(holder)];
            Affine made = frame.inverse() * in_model;
            made.makeAffine();
            binds.push_back(made.matrix());
            joints.push_back(joint_node(glb, joints, onto.nodes[static_cast<std::size_t>(target)],
                                        visual.skeleton.bone(bone).label));
        }
        Json item{{"joints", joints}, {"inverseBindMatrices", add_vectors(glb, binds, 16)}};
        if (!skin.name.empty()) item["name"] = skin.name;
        skins.push_back(push(glb.json, "skins", std::move(item)));
    }
    const int scene = std::max(base.model.defaultScene, 0);
    if (size_of(glb.json, "scenes") == 0) glb.json["scenes"] = Json::array({{{"nodes", Json::array()}}});
    for (const tinygltf::Node& node : source.model.nodes) {
        if (node.mesh == -1 || node.skin == -1) continue;
        const int added = push(glb.json, "nodes",
                               {{"name", node.name},
                                {"mesh", first_mesh + static_cast<std::size_t>(node.mesh)},
                                {"skin", skins[static_cast<std::size_t>(node.skin)]}});
        glb.json["scenes"][static_cast<std::size_t>(scene)]["nodes"].push_back(added);
    }
    result.glb = to_bytes(glb);
    return result;
}

}  // namespace dendraxis::io
