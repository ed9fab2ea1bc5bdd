#include <dendraxis/io/props/props.hpp>

#include "../gltf/glb_builder.hpp"
#include "../gltf/gltf_references.hpp"
#include "../json/json_text.hpp"
#include "carried_props.hpp"
#include "prop_marks.hpp"
#include "prop_volumes.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/geometry/surface.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>
#include <functional>
#include <map>
#include <set>

namespace dendraxis::io {
namespace {

constexpr float k_nudge = 1e-3f;  // metres that a vertex is moved by to see where its normal goes

// Brings parts of one document into another, each once.
class Importer {
 public:
    Importer(const GltfFile& file, Glb& to) : from_(open_for_editing(file)), to_(to) {}

    const Json& json() const { return from_.json; }

    int accessor(int index) {
        return once("accessors", index, [&](Json accessor) {
            if (accessor.contains("bufferView"))
                accessor["bufferView"] = view(accessor["bufferView"].get<int>());
            if (accessor.contains("sparse")) {
                for (const char* part : {"indices", "values"}) {
                    Json& one = accessor["sparse"][part]["bufferView"];
                    one = view(one.get<int>());
                }
            }
            return accessor;
        });
    }

    int material(int index) {
        return once("materials", index, [&](const Json& material) {
            Json document{{"materials", Json::array({material})}};
            visit_references(document, [&](const std::string&, Json& to) {
                to = texture(to.get<int>());
                return true;
            });
            return document["materials"][0];
        });
    }

    // Extensions of what was brought; returns those that the document did not use yet.
    std::vector<std::string> add_extensions() {
        std::vector<std::string> added;
        for (const Json& name : from_.json.value("extensionsUsed", Json::array())) {
            const std::string word = name.get<std::string>();
            if (brought_.find('"' + word + '"') == std::string::npos) continue;
            Json& used = to_.json["extensionsUsed"];
            if (std::find(used.begin(), used.end(), word) != used.end()) continue;
            used.push_back(word);
            added.push_back(word);
        }
        return added;
    }

 private:
    template <class Make>
    int once(const char* list, int index, const Make& make) {
        const auto key = std::pair<std::string, int>(list, index);
        if (const auto known = done_.find(key); known != done_.end()) return known->second;
        Json made = make(from_.json[list].at(static_cast<std::size_t>(index)));
        brought_ += made.dump();
        return done_[key] = push(to_.json, list, std::move(made));
    }

    int view(int index) {
        const auto key = std::pair<std::string, int>("bufferViews", index);
        if (const auto known = done_.find(key); known != done_.end()) return known->second;
        const Json& view = from_.json["bufferViews"].at(static_cast<std::size_t>(index));
        const int made = add_view(to_, from_.binary.data() + view.value("byteOffset", std::size_t{0}),
                                  view["byteLength"].get<std::size_t>(), view.value("target", 0));
        if (view.contains("byteStride"))
            to_.json["bufferViews"][static_cast<std::size_t>(made)]["byteStride"] = view["byteStride"];
        return done_[key] = made;
    }

    int texture(int index) {
        return once("textures", index, [&](Json texture) {
            if (texture.contains("sampler"))
                texture["sampler"] =
                    once("samplers", texture["sampler"].get<int>(), [](Json s) { return s; });
            if (texture.contains("source"))
                texture["source"] = once("images", texture["source"].get<int>(), [&](Json image) {
                    if (image.contains("bufferView"))
                        image["bufferView"] = view(image["bufferView"].get<int>());
                    return image;
                });
            return texture;
        });
    }

    Glb from_;
    Glb& to_;
    std::map<std::pair<std::string, int>, int> done_;
    std::string brought_;
};

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
                    attributes[key] = importer.accessor(value.get<int>());
            }
            std::vector<std::uint32_t> corners;
            for (const auto& t : mesh.triangles) {
                corners.insert(corners.end(), t.begin(), t.end());
                if (mirrored) std::swap(corners[corners.size() - 1], corners[corners.size() - 2]);
            }
            Json primitive{{"attributes", std::move(attributes)},
                           {"indices", add_accessor<std::uint32_t>(glb, corners, 1, 5125, false, 34963)}};
            if (source.contains("material"))
                primitive["material"] = importer.material(source["material"].get<int>());
            primitives.push_back(std::move(primitive));
        }
    }
    return push(glb.json, "meshes", {{"name", prop.name}, {"primitives", std::move(primitives)}});
}

// Returns the node.
int mount(Glb& glb, const Character& character, const SocketBinding& sockets, const PropMount& one,
          std::span<const Transform> rest) {
    const Prop& prop = *one.prop;
    const Socket& socket = sockets.sockets()[one.socket];
    Importer importer(read_gltf_file(prop.model.file), glb);
    const int mesh = add_mesh(glb, importer, prop, mirror_of(prop, one.fit), one.fit.mirrored);
    const Transform& bone = rest[static_cast<std::size_t>(socket.bone)];
    const Transform at = inverse(bone) * sockets.frame(one.socket, rest) * placement_of(prop, one.fit);
    const Quat turn = at.rotation.normalized();
    Json mark{{"prop", prop.name}, {"socket", socket.name}};
    if (!prop.volumes.empty()) mark["volumes"] = volumes_json(prop.volumes);
    const std::vector<std::string> extensions = importer.add_extensions();
    if (!extensions.empty()) mark["extensions"] = extensions;
    const int node = push(glb.json, "nodes",
                          {{"name", "prop " + prop.name},
                           {"translation", list_of(at.translation)},
                           {"rotation", {turn.x(), turn.y(), turn.z(), turn.w()}},
                           {"scale", list_of(at.scale)},
                           {"mesh", mesh},
                           {"extras", {{k_prop_mark, std::move(mark)}}}});
    const auto parent = static_cast<std::size_t>(character.nodes[static_cast<std::size_t>(socket.bone)]);
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
    let_props_go(glb, character, flights, mounted, clips);
    for (const CarriedProp& one : carried) {
        std::vector<int> nodes;
        for (const std::size_t socket : one.sockets)
            nodes.push_back(mount(glb, character, sockets, {one.prop, socket, one.fit}, rest));
        switch_places(glb, character, sockets, one, nodes, clips);
    }
    return to_bytes(glb);
}

}  // namespace dendraxis::io
