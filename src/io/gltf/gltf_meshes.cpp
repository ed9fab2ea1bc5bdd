// The surfaces of a glTF file that hang on bones: skinned ones, and plain ones on a bone or below one.
#include "gltf_parts.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::io {
namespace {

using Primitive = tinygltf::Primitive;

int attribute(const Primitive& primitive, const char* name) {
    const auto found = primitive.attributes.find(name);
    return found == primitive.attributes.end() ? -1 : found->second;
}

std::vector<Vec3> read_vectors(const GltfFile& file, int accessor) {
    const std::vector<float> numbers = read_numbers(file, accessor, 3);
    std::vector<Vec3> vectors(numbers.size() / 3);
    for (std::size_t i = 0; i < vectors.size(); ++i) vectors[i] = Vec3(numbers.data() + 3 * i);
    return vectors;
}

// Triangle lists, strips and fans; points and lines show no surface.
std::vector<std::array<std::uint32_t, 3>> read_triangles(const GltfFile& file, const Primitive& primitive,
                                                         std::size_t vertices, const std::string& where) {
    std::vector<std::uint32_t> corners;
    if (primitive.indices != -1) {
        corners = read_integers(file, primitive.indices, 1);
    } else {
        corners.resize(vertices);
        for (std::size_t i = 0; i < vertices; ++i) corners[i] = static_cast<std::uint32_t>(i);
    }
    if (std::any_of(corners.begin(), corners.end(),
                    [&](std::uint32_t corner) { return corner >= vertices; })) {
        throw Error(file.path, "a triangle names a vertex that does not exist", where, "export it again");
    }
    std::vector<std::array<std::uint32_t, 3>> triangles;
    const int mode = primitive.mode == -1 ? TINYGLTF_MODE_TRIANGLES : primitive.mode;
    if (mode == TINYGLTF_MODE_TRIANGLES) {
        for (std::size_t i = 0; i + 2 < corners.size(); i += 3)
            triangles.push_back({corners[i], corners[i + 1], corners[i + 2]});
    } else if (mode == TINYGLTF_MODE_TRIANGLE_STRIP) {
        for (std::size_t i = 0; i + 2 < corners.size(); ++i) {
            triangles.push_back({corners[i], corners[i + 1 + i % 2], corners[i + 2 - i % 2]});
        }
    } else if (mode == TINYGLTF_MODE_TRIANGLE_FAN) {
        for (std::size_t i = 1; i + 1 < corners.size(); ++i)
            triangles.push_back({corners[0], corners[i], corners[i + 1]});
    }
    return triangles;
}

// Up to eight influences a vertex; the four strongest are kept and made to sum to one.
void read_influences(const GltfFile& file, const Primitive& primitive, SkinnedMesh& mesh,
                     const std::string& where) {
    struct Influence {
        float weight;
        std::uint32_t joint;
    };
    const std::size_t vertices = mesh.positions.size();
    std::vector<std::vector<Influence>> influences(vertices);
    for (const char* set : {"0", "1"}) {
        const int joints = attribute(primitive, (std::string("JOINTS_") + set).c_str());
        const int weights = attribute(primitive, (std::string("WEIGHTS_") + set).c_str());
        if (joints == -1 || weights == -1) continue;
        const std::vector<std::uint32_t> joint = read_integers(file, joints, 4);
        const std::vector<float> weight = read_numbers(file, weights, 4);
        for (std::size_t i = 0; i < 4 * vertices && i < joint.size() && i < weight.size(); ++i) {
            if (weight[i] > 0.0f) influences[i / 4].push_back({weight[i], joint[i]});
        }
    }
    mesh.joints.assign(vertices, {0, 0, 0, 0});
    mesh.weights.assign(vertices, {1.0f, 0.0f, 0.0f, 0.0f});
    for (std::size_t v = 0; v < vertices; ++v) {
        auto& list = influences[v];
        std::stable_sort(list.begin(), list.end(),
                         [](const auto& a, const auto& b) { return a.weight > b.weight; });
        if (list.size() > 4) list.resize(4);
        float sum = 0.0f;
        for (const Influence& influence : list) sum += influence.weight;
        for (std::size_t k = 0; k < list.size(); ++k) {
            if (list[k].joint >= mesh.bones.size()) {
                throw Error(file.path, "a vertex names a joint that its skin does not have", where,
                            "export it again");
            }
            mesh.joints[v][k] = static_cast<std::uint16_t>(list[k].joint);
            mesh.weights[v][k] = list[k].weight / sum;
        }
    }
}

void bind_to_skin(const GltfFile& file, const tinygltf::Skin& skin, const std::vector<int>& bone_of,
                  SkinnedMesh& mesh, const std::string& where) {
    for (const int joint : skin.joints) mesh.bones.push_back(bone_of[static_cast<std::size_t>(joint)]);
    mesh.inverse_bind.assign(mesh.bones.size(), Affine::Identity());
    if (skin.inverseBindMatrices == -1) return;
    const std::vector<float> numbers = read_numbers(file, skin.inverseBindMatrices, 16);
    if (numbers.size() < 16 * mesh.bones.size()) {
        throw Error(file.path, "a skin has fewer bind matrices than joints", where, "export it again");
    }
    for (std::size_t i = 0; i < mesh.bones.size(); ++i) {
        mesh.inverse_bind[i].matrix() = Eigen::Map<const Eigen::Matrix4f>(numbers.data() + 16 * i);
    }
}

// A plain mesh moves with the bone that its node is or hangs below; `false` where there is none. A prop that
// was let go stands free in the scene and is told by the first bone.
bool bind_to_node(const GltfFile& file, int node, const Character& character, const std::vector<int>& bone_of,
                  SkinnedMesh& mesh) {
    int holder = node;
    while (holder != -1 && bone_of[static_cast<std::size_t>(holder)] == k_no_bone)
        holder = file.parents[static_cast<std::size_t>(holder)];
    if (holder == -1 && is_a_prop(file.model.nodes[static_cast<std::size_t>(node)]) &&
        !character.nodes.empty())
        holder = character.nodes.front();
    if (holder == -1) return false;
    mesh.bones = {bone_of[static_cast<std::size_t>(holder)]};
    mesh.inverse_bind = {world_matrix(file, holder).inverse() * world_matrix(file, node)};
    return true;
}

// What a prop's file shows at rest, told in the space of the node that is the prop: its own bones are none of
// the body's.
void settle_in_prop(const GltfFile& file, int node, int prop, SkinnedMesh& mesh) {
    const tinygltf::Node& shown = file.model.nodes[static_cast<std::size_t>(node)];
    std::vector<Affine> matrices{matrix_below(file, node, prop)};
    if (shown.skin != -1) {
        matrices.clear();
        for (const int joint : file.model.skins[static_cast<std::size_t>(shown.skin)].joints)
            matrices.push_back(matrix_below(file, joint, prop));
    }
    for (std::size_t i = 0; i < mesh.bones.size(); ++i) mesh.bones[i] = static_cast<int>(i);
    SkinnedMesh ends = mesh;
    for (std::size_t v = 0; v < mesh.normals.size(); ++v) ends.positions[v] += mesh.normals[v];
    std::vector<Vec3> at(mesh.positions.size());
    std::vector<Vec3> to(mesh.positions.size());
    deform(mesh, matrices, at);
    deform(ends, matrices, to);
    mesh.positions = at;
    for (std::size_t v = 0; v < mesh.normals.size(); ++v)
        mesh.normals[v] = (to[v] - at[v]).stableNormalized();
}

// The same mesh, moving with the node alone.
bool bind_to_prop(const GltfFile& file, int node, int prop, const Character& character,
                  const std::vector<int>& bone_of, const Primitive& primitive, SkinnedMesh& mesh,
                  const std::string& where) {
    const int skin = file.model.nodes[static_cast<std::size_t>(node)].skin;
    if (skin != -1) {
        bind_to_skin(file, file.model.skins[static_cast<std::size_t>(skin)], bone_of, mesh, where);
    } else {
        mesh.bones = {0};
        mesh.inverse_bind = {Affine::Identity()};
    }
    read_influences(file, primitive, mesh, where);
    settle_in_prop(file, node, prop, mesh);
    mesh.joints.assign(mesh.positions.size(), {0, 0, 0, 0});
    mesh.weights.assign(mesh.positions.size(), {1.0f, 0.0f, 0.0f, 0.0f});
    return bind_to_node(file, prop, character, bone_of, mesh);
}

std::array<float, 3> color_of(const GltfFile& file, int material) {
    if (material < 0 || static_cast<std::size_t>(material) >= file.model.materials.size())
        return {0.8f, 0.8f, 0.8f};
    const auto& factor =
        file.model.materials[static_cast<std::size_t>(material)].pbrMetallicRoughness.baseColorFactor;
    return {static_cast<float>(factor[0]), static_cast<float>(factor[1]), static_cast<float>(factor[2])};
}

// The picture of a material's base color, and where in it the vertices are (glTF 2.0, section 3.9.2).
void read_picture(const GltfFile& file, const Primitive& primitive, SkinnedMesh& mesh) {
    const auto& materials = file.model.materials;
    if (primitive.material < 0 || static_cast<std::size_t>(primitive.material) >= materials.size()) return;
    const auto& texture =
        materials[static_cast<std::size_t>(primitive.material)].pbrMetallicRoughness.baseColorTexture;
    if (texture.index < 0 || static_cast<std::size_t>(texture.index) >= file.model.textures.size()) return;
    const int points = attribute(primitive, ("TEXCOORD_" + std::to_string(texture.texCoord)).c_str());
    if (points == -1) return;
    std::vector<float> numbers;
    try {
        numbers = read_numbers(file, points, 2);
    } catch (const Error&) {
        return;  // what only colors a character does not keep it from being read
    }
    if (numbers.size() != 2 * mesh.positions.size()) return;
    for (std::size_t i = 0; i < numbers.size(); i += 2)
        mesh.picture_points.emplace_back(numbers[i], numbers[i + 1]);
    mesh.picture = file.model.textures[static_cast<std::size_t>(texture.index)].source;
    mesh.is_cut_out = materials[static_cast<std::size_t>(primitive.material)].alphaMode != "OPAQUE";
}

}  // namespace

void read_meshes(const GltfFile& file, Character& character) {
    const std::vector<int> bone_of = bones_of_nodes(file, character);
    for (std::size_t n = 0; n < file.model.nodes.size(); ++n) {
        const tinygltf::Node& node = file.model.nodes[n];
        if (node.mesh == -1) continue;
        const tinygltf::Mesh& source = file.model.meshes[static_cast<std::size_t>(node.mesh)];
        for (const Primitive& primitive : source.primitives) {
            const std::string where = "mesh " + std::to_string(node.mesh) + " '" + source.name + "'";
            const int positions = attribute(primitive, "POSITION");
            if (positions == -1) continue;
            SkinnedMesh mesh;
            mesh.name = source.name;
            mesh.positions = read_vectors(file, positions);
            if (attribute(primitive, "NORMAL") != -1)
                mesh.normals = read_vectors(file, attribute(primitive, "NORMAL"));
            if (mesh.normals.size() != mesh.positions.size()) mesh.normals.clear();
            mesh.triangles = read_triangles(file, primitive, mesh.positions.size(), where);
            mesh.color = color_of(file, primitive.material);
            read_picture(file, primitive, mesh);
            if (const int prop = prop_of(file, static_cast<int>(n)); prop != -1) {
                if (!bind_to_prop(file, static_cast<int>(n), prop, character, bone_of, primitive, mesh,
                                  where))
                    continue;
                character.prop_nodes.push_back(prop);
                character.props.push_back(std::move(mesh));
                continue;
            }
            if (node.skin != -1) {
                bind_to_skin(file, file.model.skins[static_cast<std::size_t>(node.skin)], bone_of, mesh,
                             where);
            } else if (!bind_to_node(file, static_cast<int>(n), character, bone_of, mesh)) {
                continue;
            }
            read_influences(file, primitive, mesh, where);
            character.meshes.push_back(std::move(mesh));
        }
    }
}

}  // namespace dendraxis::io
