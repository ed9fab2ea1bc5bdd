// Which nodes of a glTF file are bones, and the skeleton they make.
#include "gltf_parts.hpp"

#include <dendraxis/base/error.hpp>

#include <cmath>
#include <map>
#include <numeric>

namespace dendraxis::io {
namespace {

using Marks = std::vector<char>;

const tinygltf::Node& node_at(const GltfFile& file, int node) {
    return file.model.nodes[static_cast<std::size_t>(node)];
}

// A collider or the end of a joint (KHR_physics_rigid_bodies) hangs from a bone and is none.
bool is_of_a_rigid_body(const tinygltf::Node& node) {
    const auto found = node.extensions.find("KHR_physics_rigid_bodies");
    return found != node.extensions.end() && !found->second.Has("motion");
}

bool shows_something(const tinygltf::Node& node) {
    return is_of_a_rigid_body(node) || node.mesh != -1 || node.camera != -1 ||
           node.extensions.contains("KHR_lights_punctual");
}

int parent_of(const GltfFile& file, int node) {
    return file.parents[static_cast<std::size_t>(node)];
}

Transform rest_of(const GltfFile& file, int index) {
    const tinygltf::Node& node = node_at(file, index);
    Transform rest;
    if (node.matrix.size() == 16) {
        rest = from_affine(node_matrix(node));
    } else {
        // Taken as it stands rather than through a matrix, so that it survives a round trip to the last bit.
        for (int axis = 0; axis < 3; ++axis) {
            const auto i = static_cast<std::size_t>(axis);
            if (node.translation.size() == 3)
                rest.translation[axis] = static_cast<float>(node.translation[i]);
            if (node.scale.size() == 3) rest.scale[axis] = static_cast<float>(node.scale[i]);
        }
        if (node.rotation.size() == 4) {
            rest.rotation = Quat(static_cast<float>(node.rotation[3]), static_cast<float>(node.rotation[0]),
                                 static_cast<float>(node.rotation[1]), static_cast<float>(node.rotation[2]));
        }
    }
    if (!rest.translation.allFinite() || !rest.scale.allFinite() || !rest.rotation.coeffs().allFinite()) {
        throw Error(file.path, "a transform holds a value that is not a number", node_label(file, index),
                    "export it again");
    }
    const float length = rest.rotation.norm();
    if (length < 1e-6f) {
        rest.rotation = Quat::Identity();
    } else if (std::abs(length - 1.0f) > 1e-6f) {
        rest.rotation.normalize();
    }
    return rest;
}

// Marks every node from the parent of `node` up to, but not with, the first that is marked; only where there
// is one.
void mark_path_up(const GltfFile& file, int node, Marks& bones) {
    int top = parent_of(file, node);
    while (top != -1 && !bones[static_cast<std::size_t>(top)]) top = parent_of(file, top);
    if (top == -1) return;
    for (int n = parent_of(file, node); n != top; n = parent_of(file, n))
        bones[static_cast<std::size_t>(n)] = 1;
}

void mark_quiet_descendants(const GltfFile& file, int node, Marks& bones) {
    for (const int child : node_at(file, node).children) {
        if (!bones[static_cast<std::size_t>(child)] && shows_something(node_at(file, child))) continue;
        if (is_a_prop(node_at(file, child))) continue;
        bones[static_cast<std::size_t>(child)] = 1;
        mark_quiet_descendants(file, child, bones);
    }
}

Marks find_bones(const GltfFile& file) {
    Marks bones(file.model.nodes.size(), 0);
    std::vector<int> joints;
    for (const auto& skin : file.model.skins)
        joints.insert(joints.end(), skin.joints.begin(), skin.joints.end());
    std::erase_if(joints, [&](int joint) { return prop_of(file, joint) != -1; });  // its own, not the body's
    if (joints.empty()) {
        for (std::size_t i = 0; i < bones.size(); ++i) {
            const tinygltf::Node& node = file.model.nodes[i];
            bones[i] =
                prop_of(file, static_cast<int>(i)) == -1 && (node.mesh != -1 || !shows_something(node));
        }
        return bones;
    }
    for (const int joint : joints) bones[static_cast<std::size_t>(joint)] = 1;
    for (const int joint : joints) mark_path_up(file, joint, bones);
    for (const int joint : joints) mark_quiet_descendants(file, joint, bones);
    return bones;
}

// The lowest node that is above every bone and is none itself; -1 for the scene. Where several bones have no
// bone above them, the node that joins them and what lies between become bones: it is part of the body, and a
// clip may move it. What clips move is not asked, so that the same character always has the same bones.
int join_roots(const GltfFile& file, Marks& bones) {
    std::vector<int> tops;
    for (std::size_t i = 0; i < bones.size(); ++i) {
        const int parent = file.parents[i];
        if (bones[i] && (parent == -1 || !bones[static_cast<std::size_t>(parent)]))
            tops.push_back(static_cast<int>(i));
    }
    const auto path_to_scene = [&](int node) {
        std::vector<int> path;
        for (int n = parent_of(file, node); n != -1; n = parent_of(file, n)) path.insert(path.begin(), n);
        return path;
    };
    std::vector<int> shared = path_to_scene(tops.front());
    for (const int top : tops) {
        const std::vector<int> path = path_to_scene(top);
        std::size_t same = 0;
        while (same < shared.size() && same < path.size() && shared[same] == path[same]) ++same;
        shared.resize(same);
    }
    int above = shared.empty() ? -1 : shared.back();
    if (tops.size() > 1 && above != -1) {
        bones[static_cast<std::size_t>(above)] = 1;
        above = parent_of(file, above);
    }
    for (const int top : tops) {
        for (int n = parent_of(file, top); n != above; n = parent_of(file, n))
            bones[static_cast<std::size_t>(n)] = 1;
    }
    return above;
}

void list_in_tree_order(const GltfFile& file, int node, const Marks& bones, std::vector<int>& order) {
    if (bones[static_cast<std::size_t>(node)]) order.push_back(node);
    for (const int child : node_at(file, node).children) list_in_tree_order(file, child, bones, order);
}

void add_rest_findings(const GltfFile& file, const Character& character, Findings& findings) {
    for (std::size_t i = 0; i < character.skeleton.size(); ++i) {
        const Bone& bone = character.skeleton.bones()[i];
        const Vec3 scale = bone.rest.scale;
        if (scale.minCoeff() < 0.0f) {
            findings.push_back({Severity::warning, "skeleton.mirrored-bone", bone.label,
                                "the bone mirrors what hangs below it",
                                "apply the negative scale where the character was made"});
        } else if (scale.maxCoeff() - scale.minCoeff() > 1e-3f * scale.maxCoeff()) {
            findings.push_back({Severity::warning, "skeleton.uneven-scale", bone.label,
                                "the bone is scaled unevenly, which shears turned bones below it",
                                "apply the scale where the character was made"});
        }
        const auto& rotation = node_at(file, character.nodes[i]).rotation;
        if (rotation.size() == 4) {
            double squared = 0.0;
            for (const double part : rotation) squared += part * part;
            if (std::abs(std::sqrt(squared) - 1.0) > 1e-3) {
                findings.push_back({Severity::note, "skeleton.rotation-not-unit", bone.label,
                                    "the rest rotation is not a unit quaternion; its length was put right",
                                    ""});
            }
        }
    }
}

}  // namespace

Affine node_matrix(const tinygltf::Node& node) {
    Affine matrix = Affine::Identity();
    if (node.matrix.size() == 16) {
        for (int i = 0; i < 16; ++i)
            matrix.matrix()(i % 4, i / 4) = static_cast<float>(node.matrix[static_cast<std::size_t>(i)]);
        return matrix;
    }
    if (node.translation.size() == 3) {
        matrix.translation() = Eigen::Vector3d(node.translation.data()).cast<float>();
    }
    if (node.rotation.size() == 4) {
        matrix.linear() =
            Eigen::Quaterniond(node.rotation.data()).normalized().cast<float>().toRotationMatrix();
    }
    if (node.scale.size() == 3)
        matrix.linear() *= Eigen::Vector3d(node.scale.data()).cast<float>().asDiagonal();
    return matrix;
}

Affine matrix_below(const GltfFile& file, int node, int above) {
    Affine matrix = Affine::Identity();
    for (; node != above; node = parent_of(file, node)) matrix = node_matrix(node_at(file, node)) * matrix;
    return matrix;
}

Affine world_matrix(const GltfFile& file, int node) {
    return matrix_below(file, node, -1);
}

bool is_a_prop(const tinygltf::Node& node) {
    return node.extras.IsObject() && node.extras.Has("dendraxis") && node.extras.Get("dendraxis").Has("prop");
}

int prop_of(const GltfFile& file, int node) {
    while (node != -1 && !is_a_prop(node_at(file, node))) node = parent_of(file, node);
    return node;
}

std::vector<int> bones_of_nodes(const GltfFile& file, const Character& character) {
    std::vector<int> bones(file.model.nodes.size(), k_no_bone);
    for (std::size_t i = 0; i < character.nodes.size(); ++i)
        bones[static_cast<std::size_t>(character.nodes[i])] = static_cast<int>(i);
    return bones;
}

void read_skeleton(const GltfFile& file, Character& character) {
    Marks marks = find_bones(file);
    if (std::accumulate(marks.begin(), marks.end(), 0) == 0) {
        throw Error(file.path, "holds no bones at all", "", "export the character with its skeleton");
    }
    const int above = join_roots(file, marks);
    for (std::size_t i = 0; i < marks.size(); ++i) {
        if (file.parents[i] == -1) list_in_tree_order(file, static_cast<int>(i), marks, character.nodes);
    }
    std::map<std::string, int> uses;
    for (const int node : character.nodes) ++uses[node_at(file, node).name];
    std::vector<int> bone_of(marks.size(), k_no_bone);
    std::vector<Bone> bones;
    for (const int node : character.nodes) {
        Bone bone;
        bone.name = node_at(file, node).name;
        // What a terminal would act on is no name to speak of.
        const bool printable = std::none_of(bone.name.begin(), bone.name.end(), [](char letter) {
            return static_cast<unsigned char>(letter) < 0x20 || letter == 0x7F;
        });
        const bool speaks =
            !bone.name.empty() && printable && bone.name.front() != '#' && uses[bone.name] == 1;
        bone.label = speaks ? bone.name : "#" + std::to_string(node);
        const int parent = parent_of(file, node);
        bone.parent = parent == -1 ? k_no_bone : bone_of[static_cast<std::size_t>(parent)];
        bone.rest = rest_of(file, node);
        bone_of[static_cast<std::size_t>(node)] = static_cast<int>(bones.size());
        bones.push_back(std::move(bone));
    }
    character.skeleton =
        Skeleton(std::move(bones), above == -1 ? Transform{} : from_affine(world_matrix(file, above)));
    add_rest_findings(file, character, character.findings);
}

}  // namespace dendraxis::io
