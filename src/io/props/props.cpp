#include <dendraxis/io/props/props.hpp>

#include "../gltf/glb_builder.hpp"
#include "../json/json_text.hpp"
#include "carried_props.hpp"
#include "importer.hpp"
#include "prop_marks.hpp"
#include "prop_volumes.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/geometry/surface.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

namespace dendraxis::io {
namespace {

constexpr float k_nudge = 1e-3f;  // metres that a vertex is moved by to see where its normal goes

// The triangles of a prop as they lie at rest, with everything that its file says of their looks.
int add_mesh(Glb& glb, Importer& importer, const Prop& prop, const Affine& mirror, bool mirrored) {
    std::vector<Affine> matrices(prop.model.skeleton.size());
    to_model_matrices(prop.model.skeleton, rest_pose(prop.model.skeleton), matrices);
    Json primitives = Json::array();
    std::size_t next = 0;
    for (const Json& node : importer.json()["nodes"]) {
        if (!node.contains("mesh")) continue;
        for (const Json& source : importer.json()["meshes"][node["mesh"].get<std::size_t>()]["primitives"]) {
            if (!source["attributes"].contains("POSITION")) continue;
            const SkinnedMesh& mesh = prop.model.meshes.at(next++);
            if (mesh.triangles.empty()) continue;  // of another piece in the same file
            std::vector<Vec3> positions(mesh.positions.size());
            deform(mesh, matrices, positions);
            for (Vec3& position : positions) position = mirror * position;
            Json attributes{{"POSITION", add_vectors(glb, positions, 3, 34962, true)}};
            if (!mesh.normals.empty()) {
                SkinnedMesh nudged = mesh;
                for (std::size_t v = 0; v < positions.size(); ++v)
                    nudged.positions[v] += k_nudge * mesh.normals[v];
                std::vector<Vec3> normals(positions.size());
                deform(nudged, matrices, normals);
                for (std::size_t v = 0; v < positions.size(); ++v)
                    normals[v] = (mirror * normals[v] - positions[v]).normalized();
                attributes["NORMAL"] = add_vectors(glb, normals, 3, 34962);
            }
            for (const auto& [key, value] : source["attributes"].items()) {
                if (key.starts_with("TEXCOORD_") || key.starts_with("COLOR_"))
                    attributes[key] = importer.bring("accessors", value.get<int>());
            }
            std::vector<std::uint32_t> corners;
            for (const auto& t : mesh.triangles) {
                corners.insert(corners.end(), t.begin(), t.end());
                if (mirrored) std::swap(corners[corners.size() - 1], corners[corners.size() - 2]);
            }
            Json primitive{{"attributes", std::move(attributes)},
                           {"indices", add_accessor<std::uint32_t>(glb, corners, 1, 5125, false, 34963)}};
            if (source.contains("material"))
                primitive["material"] = importer.bring("materials", source["material"].get<int>());
            primitives.push_back(std::move(primitive));
        }
    }
    return push(glb.json, "meshes", {{"name", prop.name}, {"primitives", std::move(primitives)}});
}

// The nodes of a prop's own file, as they stand there, below one node where they are to be mirrored.
Json own_nodes(Glb& glb, Importer& importer, const Affine& mirror, bool mirrored) {
    const Json& nodes = importer.json()["nodes"];
    std::vector<char> is_below(nodes.size(), 0);
    for (const Json& node : nodes) {
        for (const Json& child : node.value("children", Json::array()))
            is_below.at(child.get<std::size_t>()) = 1;
    }
    Json tops = Json::array();
    for (std::size_t n = 0; n < nodes.size(); ++n) {
        if (!is_below[n]) tops.push_back(importer.bring("nodes", static_cast<int>(n)));
    }
    importer.bring_animations();
    if (!mirrored) return tops;
    const Transform over = from_affine(mirror);
    return Json::array({push(glb.json, "nodes",
                             {{"name", "mirrored"},
                              {"translation", list_of(over.translation)},
                              {"rotation", list_of(over.rotation)},
                              {"scale", list_of(over.scale)},
                              {"children", std::move(tops)}})});
}

// A node for the prop that hangs on nothing yet. Returns it.
int make_node(Glb& glb, const SocketBinding& sockets, const PropMount& one, std::span<const Transform> rest) {
    const Prop& prop = *one.prop;
    const Socket& socket = sockets.sockets()[one.socket];
    const Transform& bone = rest[static_cast<std::size_t>(socket.bone)];
    const Transform at = inverse(bone) * sockets.frame(one.socket, rest) * placement_of(prop, one.fit);
    Json node{{"name", "prop " + prop.name},
              {"translation", list_of(at.translation)},
              {"rotation", list_of(at.rotation.normalized())},
              {"scale", list_of(at.scale)}};
    Importer importer(read_gltf_file(prop.model.file), glb);
    const Affine mirror = mirror_of(prop, one.fit);
    if (prop.has_parts)
        node["children"] = own_nodes(glb, importer, mirror, one.fit.mirrored);
    else
        node["mesh"] = add_mesh(glb, importer, prop, mirror, one.fit.mirrored);
    Json mark{{"prop", prop.name}, {"socket", socket.name}};
    if (!prop.volumes.empty()) mark["volumes"] = volumes_json(prop.volumes);
    const std::vector<std::string> extensions = importer.add_extensions();
    if (!extensions.empty()) mark["extensions"] = extensions;
    node["extras"] = {{k_prop_mark, std::move(mark)}};
    return push(glb.json, "nodes", std::move(node));
}

int mount(Glb& glb, const Character& character, const SocketBinding& sockets, const PropMount& one,
          std::span<const Transform> rest) {
    const int node = make_node(glb, sockets, one, rest);
    const int bone = sockets.sockets()[one.socket].bone;
    const auto parent = static_cast<std::size_t>(character.nodes[static_cast<std::size_t>(bone)]);
    glb.json["nodes"][parent]["children"].push_back(node);
    return node;
}

}  // namespace

std::vector<std::uint8_t> glb_with_props(const Character& character, const SocketBinding& sockets,
                                         std::span<const PropMount> mounts,
                                         std::span<const CarriedProp> carried, std::span<const Clip> clips,
                                         std::span<const PropFlight> flights) {
    if (character.file.empty() || character.nodes.empty())
        throw Error(character.name, "was not read from a glTF file", "",
                    "write it first: `dendraxis convert`");
    Glb glb = open_for_editing(read_gltf_file(character.file));
    for (const Clip& clip : clips) add_clip(glb, character.skeleton, character.nodes, clip);
    const std::vector<Transform> rest = rest_in_model_space(character.skeleton);
    std::vector<int> mounted;
    for (const PropMount& one : mounts) mounted.push_back(mount(glb, character, sockets, one, rest));
    const auto another = [&](std::size_t index) {
        if (mounts[index].prop->has_parts) return make_node(glb, sockets, mounts[index], rest);
        return push(glb.json, "nodes", Json(glb.json["nodes"][static_cast<std::size_t>(mounted[index])]));
    };
    let_props_go(glb, character, flights, mounted, another, clips);
    for (const CarriedProp& one : carried) {
        std::vector<int> nodes;
        for (const std::size_t socket : one.sockets)
            nodes.push_back(mount(glb, character, sockets, {one.prop, socket, one.fit}, rest));
        switch_places(glb, character, sockets, one, nodes, clips);
    }
    return to_bytes(glb);
}

}  // namespace dendraxis::io
