#include <dendraxis/io/props.hpp>

#include "glb_builder.hpp"
#include "gltf_references.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/equip/surface.hpp>
#include <dendraxis/io/gltf.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>
#include <functional>
#include <map>
#include <set>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;

constexpr const char* k_mark = "dendraxis";
constexpr float k_nudge = 1e-3f;  // metres that a vertex is moved by to see where its normal goes

Json list_of(const Vec3& v) {
    return {v.x(), v.y(), v.z()};
}

// ------------------------------------------------------------------ reading

Vec3 three(const fs::path& file, const Json& json, const std::string& pointer) {
    if (!json.is_array() || json.size() != 3 || !json[0].is_number() || !json[1].is_number() ||
        !json[2].is_number())
        throw Error(file.string(), "three numbers are wanted", pointer, "write [x, y, z]");
    return {json[0].get<float>(), json[1].get<float>(), json[2].get<float>()};
}

void read_side_file(const fs::path& file, Prop& prop) {
    std::error_code ignored;
    if (!fs::exists(file, ignored)) return;
    const std::vector<std::uint8_t> bytes = read_bytes(file);
    const Json json = Json::parse(bytes.begin(), bytes.end(), nullptr, false);
    if (json.is_discarded() || !json.is_object() || json.value("format", "") != "dendraxis-prop")
        throw Error(file.string(), "is no prop file", "/format",
                    "it must say \"format\": \"dendraxis-prop\"");
    const Json grips = json.value("grips", Json::object());
    for (const auto& entry : grips.items()) {
        const std::string& name = entry.key();
        const Json& value = entry.value();
        PropGrip grip{name, Vec3::Zero(), Quat::Identity()};
        const std::string pointer = "/grips/" + name;
        if (value.contains("at")) grip.at = three(file, value["at"], pointer + "/at");
        if (value.contains("turn")) {
            const Vec3 turn = three(file, value["turn"], pointer + "/turn") / k_degrees;
            grip.turn = Quat(Eigen::AngleAxisf(turn.norm(), turn.stableNormalized()));
        }
        std::erase_if(prop.grips, [&](const PropGrip& known) { return known.name == name; });
        prop.grips.push_back(std::move(grip));
    }
}

// ------------------------------------------------------------------ mounting

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
            std::vector<Vec3> places(mesh.positions.size());
            deform(mesh, matrices, places);
            for (Vec3& place : places) place = mirror * place;
            Json attributes{{"POSITION", add_vectors(glb, places, 3, 34962, true)}};
            if (!mesh.normals.empty()) {
                SkinnedMesh nudged = mesh;
                for (std::size_t v = 0; v < places.size(); ++v)
                    nudged.positions[v] += k_nudge * mesh.normals[v];
                std::vector<Vec3> normals(places.size());
                deform(nudged, matrices, normals);
                for (std::size_t v = 0; v < places.size(); ++v)
                    normals[v] = (mirror * normals[v] - places[v]).normalized();
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

void mount(Glb& glb, const Character& character, const SocketBinding& sockets, const PropMount& one,
           std::span<const Transform> rest) {
    const Prop& prop = *one.prop;
    const Socket& socket = sockets.sockets()[one.socket];
    Importer importer(read_gltf_file(prop.model.file), glb);
    const int mesh = add_mesh(glb, importer, prop, mirror_of(prop, one.fit), one.fit.mirrored);
    const Transform& bone = rest[static_cast<std::size_t>(socket.bone)];
    const Transform at = inverse(bone) * sockets.frame(one.socket, rest) * placement_of(prop, one.fit);
    const Quat turn = at.rotation.normalized();
    Json mark{{"prop", prop.name}, {"socket", socket.name}};
    const std::vector<std::string> extensions = importer.add_extensions();
    if (!extensions.empty()) mark["extensions"] = extensions;
    const int node = push(glb.json, "nodes",
                          {{"name", "prop " + prop.name},
                           {"translation", list_of(at.translation)},
                           {"rotation", {turn.x(), turn.y(), turn.z(), turn.w()}},
                           {"scale", list_of(at.scale)},
                           {"mesh", mesh},
                           {"extras", {{k_mark, std::move(mark)}}}});
    const auto parent = static_cast<std::size_t>(character.nodes[static_cast<std::size_t>(socket.bone)]);
    glb.json["nodes"][parent]["children"].push_back(node);
}

// ------------------------------------------------------------------ unmounting

const Json* mark_of(const Json& node) {
    const auto extras = node.find("extras");
    if (extras == node.end() || !extras->is_object()) return nullptr;
    const auto mark = extras->find(k_mark);
    return mark == extras->end() || !mark->is_object() || !mark->contains("prop") ? nullptr : &*mark;
}

using Item = std::pair<std::string, std::size_t>;
using Items = std::set<Item, std::greater<>>;  // from the last to the first: taken out, none moves another

Items referenced(Json document, const Items& without) {
    for (const auto& [list, index] : without) document[list][index] = Json::object();
    Items found;
    visit_references(document, [&](const std::string& list, Json& index) {
        found.emplace(list, index.get<std::size_t>());
        return true;
    });
    return found;
}

// These nodes, and what nothing else refers to once they are gone.
Items with_their_own(const Json& document, Items gone) {
    const Items before = referenced(document, {});
    while (true) {
        const Items after = referenced(document, gone);
        const std::size_t count = gone.size();
        for (const Item& item : before) {
            if (item.first != "nodes" && !after.contains(item)) gone.insert(item);
        }
        if (gone.size() == count) return gone;
    }
}

void take_out_bytes(Glb& glb, const Items& gone) {
    std::map<std::size_t, std::size_t, std::greater<>> cuts;  // where, how many; the last first
    for (const auto& [list, index] : gone) {
        if (list != "bufferViews") continue;
        const Json& view = glb.json["bufferViews"][index];
        const auto start = view.value("byteOffset", std::size_t{0});
        const auto end =
            std::min(glb.binary.size(), (start + view["byteLength"].get<std::size_t>() + 3) / 4 * 4);
        cuts[start] = end - start;
    }
    for (Json& view : glb.json["bufferViews"]) {
        const auto start = view.value("byteOffset", std::size_t{0});
        std::size_t less = 0;
        for (const auto& [at, size] : cuts) less += at < start ? size : 0;
        if (less > 0) view["byteOffset"] = start - less;
    }
    for (const auto& [start, size] : cuts) {
        const auto at = glb.binary.begin() + static_cast<std::ptrdiff_t>(start);
        glb.binary.erase(at, at + static_cast<std::ptrdiff_t>(size));
    }
}

void take_out(Glb& glb, const Items& gone) {
    take_out_bytes(glb, gone);
    visit_references(glb.json, [&](const std::string& list, Json& index) {
        const auto old = index.get<std::size_t>();
        if (gone.contains({list, old})) return false;
        std::size_t below = 0;
        for (const auto& [other, at] : gone) below += other == list && at < old ? 1 : 0;
        if (below > 0) index = old - below;
        return true;
    });
    for (const auto& [name, index] : gone) {
        Json& list = glb.json[name];
        list.erase(index);
        if (list.empty()) glb.json.erase(name);
    }
}

void take_out_extensions(Json& document, const std::vector<std::string>& extensions) {
    for (const std::string& name : extensions) {
        Json& used = document["extensionsUsed"];
        const auto place = std::find(used.begin(), used.end(), name);
        if (place == used.end()) continue;
        used.erase(place);
        if (document.dump().find('"' + name + '"') != std::string::npos)
            used.push_back(name);
        else if (used.empty())
            document.erase("extensionsUsed");
    }
}

}  // namespace

Prop load_prop(const fs::path& file) {
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

std::vector<std::uint8_t> glb_with_props(const Character& character, const SocketBinding& sockets,
                                         std::span<const PropMount> mounts) {
    if (character.file.empty() || character.nodes.empty())
        throw Error(character.name, "was not read from a glTF file", "",
                    "write it first: `dendraxis convert`");
    Glb glb = open_for_editing(read_gltf_file(character.file));
    const std::vector<Transform> rest = rest_in_model_space(character.skeleton);
    for (const PropMount& one : mounts) mount(glb, character, sockets, one, rest);
    return to_bytes(glb);
}

std::vector<MountedProp> mounted_props(const fs::path& file) {
    std::vector<MountedProp> mounted;
    const Json json = Json::parse(read_gltf_file(file).json);
    for (const Json& node : json.value("nodes", Json::array())) {
        if (const Json* mark = mark_of(node))
            mounted.push_back({mark->value("prop", ""), mark->value("socket", "")});
    }
    return mounted;
}

std::vector<std::uint8_t> glb_without_props(const fs::path& file, std::span<const std::string> props) {
    Glb glb = open_for_editing(read_gltf_file(file));
    Items gone;
    std::set<std::string> left(props.begin(), props.end());
    std::vector<std::string> names;
    std::vector<std::string> extensions;
    for (std::size_t n = 0; n < glb.json["nodes"].size(); ++n) {
        const Json* mark = mark_of(glb.json["nodes"][n]);
        if (mark == nullptr) continue;
        const std::string name = mark->value("prop", "");
        names.push_back(name);
        if (!props.empty() && std::find(props.begin(), props.end(), name) == props.end()) continue;
        left.erase(name);
        gone.emplace("nodes", n);
        for (const Json& extension : mark->value("extensions", Json::array()))
            extensions.push_back(extension.get<std::string>());
    }
    if (!left.empty() || gone.empty()) {
        const std::string wanted = left.empty() ? "" : *left.begin();
        const std::string nearest = nearest_name(wanted, names);
        throw Error(
            file.string(), left.empty() ? "has no props" : "has no prop '" + wanted + "'", "",
            nearest.empty() ? "name a file that `dendraxis equip` wrote" : "did you mean '" + nearest + "'?");
    }
    take_out(glb, with_their_own(glb.json, gone));
    take_out_extensions(glb.json, extensions);
    return to_bytes(glb);
}

}  // namespace dendraxis::io
