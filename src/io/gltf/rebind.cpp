// Joins two glTF documents: the visual's lists are added behind the other's, with every index moved on.
#include <dendraxis/io/gltf/rebind.hpp>

#include "glb_builder.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/skeleton/match_bones.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <cmath>

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

// The rest, with bones of no size as large as their parents: what a clip makes them grow to.
std::vector<Transform> shown_at_rest(const Skeleton& skeleton) {
    constexpr float k_no_size = 1e-6f;
    std::vector<Transform> pose = rest_pose(skeleton);
    for (Transform& bone : pose) {
        for (float& size : bone.scale) size = std::abs(size) < k_no_size ? 1.0f : size;
    }
    return pose;
}

// The joints of a skin have one node above them all (glTF 2.0, section 3.7.3.1). Where they stand in several
// trees of the file, one is made.
void join_roots(Glb& glb, const Json& joints) {
    std::vector<int> parents(glb.json["nodes"].size(), -1);
    for (std::size_t i = 0; i < parents.size(); ++i) {
        for (const Json& child : glb.json["nodes"][i].value("children", Json::array()))
            parents[child.get<std::size_t>()] = static_cast<int>(i);
    }
    std::vector<int> roots;
    for (const Json& joint : joints) {
        int root = joint.get<int>();
        while (parents[static_cast<std::size_t>(root)] >= 0) root = parents[static_cast<std::size_t>(root)];
        if (std::find(roots.begin(), roots.end(), root) == roots.end()) roots.push_back(root);
    }
    if (roots.size() < 2) return;
    const int above = push(glb.json, "nodes", {{"name", "skeleton"}, {"children", roots}});
    for (Json& scene : glb.json["scenes"]) {
        Json kept = Json::array();
        for (const Json& node : scene.value("nodes", Json::array())) {
            if (std::find(roots.begin(), roots.end(), node.get<int>()) == roots.end()) kept.push_back(node);
        }
        if (kept.size() == scene.value("nodes", Json::array()).size()) continue;
        kept.push_back(above);
        scene["nodes"] = kept;
    }
}

// Two characters laid on each other, and what is told of it.
class Rebinding {
 public:
    Rebinding(const Character& visual, const Character& onto, const GltfFile& source)
        : visual_(visual), onto_(onto), source_(source), match_(match_bones(visual, onto)) {
        if (std::all_of(match_.begin(), match_.end(), [](int bone) { return bone == k_no_bone; }))
            throw Error(visual.file, "none of its bones is one of " + onto.file, "",
                        "see `dendraxis compare`, or retarget instead");
        rests_alike_ = rests_alike(visual, onto, match_);
        if (!rests_alike_)
            result.findings.push_back(
                {Severity::warning, "rebind.rest-differs", visual.name,
                 "its bones rest elsewhere than " + onto.name + "'s; the surface follows them there",
                 "look at the result; where it is bent, bring both to one rest first"});
        place_visual_.resize(visual.skeleton.size());
        place_onto_.resize(onto.skeleton.size());
        to_model_matrices(visual.skeleton, shown_at_rest(visual.skeleton), place_visual_);
        to_model_matrices(onto.skeleton, shown_at_rest(onto.skeleton), place_onto_);
        bone_of_.resize(source.model.nodes.size(), k_no_bone);
        for (std::size_t i = 0; i < visual.nodes.size(); ++i)
            bone_of_[static_cast<std::size_t>(visual.nodes[i])] = static_cast<int>(i);
        told_.resize(visual.skeleton.size(), 0);
    }

    // The visual's skin on the other one's joints; returns which skin of the document it is.
    int add_skin(Glb& glb, const tinygltf::Skin& skin) {
        const std::vector<float> numbers = skin.inverseBindMatrices == -1
                                               ? std::vector<float>()
                                               : read_numbers(source_, skin.inverseBindMatrices, 16);
        std::vector<Eigen::Matrix4f> binds;
        Json joints = Json::array();
        for (std::size_t k = 0; k < skin.joints.size(); ++k) {
            const int bone = bone_of_[static_cast<std::size_t>(skin.joints[k])];
            const int holder = matched_above(visual_.skeleton, match_, bone);
            const int target = holder == k_no_bone ? 0 : match_[static_cast<std::size_t>(holder)];
            tell(bone, holder, target);
            Affine bind = Affine::Identity();
            if (16 * k + 16 <= numbers.size())
                bind.matrix() = Eigen::Map<const Eigen::Matrix4f>(numbers.data() + 16 * k);
            const bool keep_place = rests_alike_ || holder == k_no_bone;
            const Affine& frame = keep_place ? place_onto_[static_cast<std::size_t>(target)]
                                             : place_visual_[static_cast<std::size_t>(holder)];
            Affine made = frame.inverse() * (place_visual_[static_cast<std::size_t>(bone)] * bind);
            made.makeAffine();
            binds.push_back(made.matrix());
            joints.push_back(joint_node(glb, joints, onto_.nodes[static_cast<std::size_t>(target)],
                                        visual_.skeleton.bone(bone).label));
        }
        join_roots(glb, joints);
        Json item{{"joints", joints}, {"inverseBindMatrices", add_vectors(glb, binds, 16)}};
        if (!skin.name.empty()) item["name"] = skin.name;
        return push(glb.json, "skins", std::move(item));
    }

    Rebound result;

 private:
    // Counts a bone once, and says so if it has no counterpart.
    void tell(int bone, int holder, int target) {
        if (told_[static_cast<std::size_t>(bone)]) return;
        told_[static_cast<std::size_t>(bone)] = 1;
        ++result.bones;
        result.matched += holder == bone ? 1 : 0;
        if (holder == bone) return;
        result.findings.push_back({Severity::warning, "rebind.unmatched-bone",
                                   visual_.skeleton.bone(bone).label,
                                   onto_.name + " has no such bone; its vertices were given to " +
                                       onto_.skeleton.bone(target).label,
                                   "rename it, or add the bone, where its motion matters"});
    }

    const Character& visual_;
    const Character& onto_;
    const GltfFile& source_;
    std::vector<int> match_;
    bool rests_alike_ = false;
    std::vector<Affine> place_visual_;
    std::vector<Affine> place_onto_;
    std::vector<int> bone_of_;  // by node
    std::vector<char> told_;
};

// The document without what its skinned meshes show.
Glb without_surface(const GltfFile& base) {
    Glb glb = open_for_editing(base);
    for (Json& node : glb.json["nodes"]) {
        if (!node.contains("skin")) continue;
        node.erase("mesh");
        node.erase("skin");
        node.erase("weights");
    }
    return glb;
}

}  // namespace

Rebound rebind(const Character& visual, const Character& onto) {
    const GltfFile source = read_gltf_file(visual.file);
    const GltfFile base = read_gltf_file(onto.file);
    if (source.model.skins.empty())
        throw Error(visual.file, "has no skinned mesh to put on other bones", "",
                    "name a file whose surface is bound to bones");
    Rebinding rebinding(visual, onto, source);
    Glb glb = without_surface(base);
    const std::size_t first_mesh = join(glb, open_for_editing(source));
    std::vector<int> skins;
    for (const tinygltf::Skin& skin : source.model.skins) skins.push_back(rebinding.add_skin(glb, skin));
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
    rebinding.result.glb = to_bytes(glb);
    return std::move(rebinding.result);
}

}  // namespace dendraxis::io
