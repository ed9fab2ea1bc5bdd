// Props that were mounted: what a file holds of them, and how they are taken off.
#include "../gltf/glb_builder.hpp"
#include "../gltf/gltf_references.hpp"
#include "../json/json_text.hpp"
#include "prop_marks.hpp"
#include "prop_volumes.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/io/props/props.hpp>

#include <functional>
#include <map>
#include <set>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;

Vec3 three_or(const Json& node, const char* key, const Vec3& otherwise) {
    return node.contains(key) ? vector_of(node[key]) : otherwise;
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
Items with_their_own(const Json& document, const Json& without_channels, Items gone) {
    const Items before = referenced(document, {});
    while (true) {
        const Items after = referenced(without_channels, gone);
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

// What hangs below a prop's node is the prop's.
void add_below(const Json& nodes, std::size_t node, Items& gone) {
    if (!gone.emplace("nodes", node).second) return;
    for (const Json& child : nodes[node].value("children", Json::array()))
        add_below(nodes, child.get<std::size_t>(), gone);
}

// What moves or switches these nodes in animations, with the samplers that nothing else uses.
void take_out_channels(Json& document, const Items& gone) {
    if (!document.contains("animations")) return;
    for (Json& animation : document["animations"]) {
        Json kept = Json::array();
        std::map<std::size_t, std::size_t> samplers;  // the old number of each that stays, its new one
        for (const Json& channel : animation["channels"]) {
            const Json node = channel["target"].value("node", Json());
            if (node.is_number() && gone.contains({"nodes", node.get<std::size_t>()})) continue;
            kept.push_back(channel);
            samplers.emplace(channel["sampler"].get<std::size_t>(), 0);
        }
        if (kept.size() == animation["channels"].size()) continue;
        Json list = Json::array();
        for (auto& [old, now] : samplers) {
            now = list.size();
            list.push_back(animation["samplers"][old]);
        }
        for (Json& channel : kept) channel["sampler"] = samplers.at(channel["sampler"].get<std::size_t>());
        animation["channels"] = std::move(kept);
        animation["samplers"] = std::move(list);
        if (animation["channels"].empty()) animation = Json();
    }
    Json& animations = document["animations"];  // those of a prop alone go with it
    animations.erase(std::remove(animations.begin(), animations.end(), Json()), animations.end());
    if (animations.empty()) document.erase("animations");
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

const Json* mark_of(const Json& node) {
    const auto extras = node.find("extras");
    if (extras == node.end() || !extras->is_object()) return nullptr;
    const auto mark = extras->find(k_prop_mark);
    return mark == extras->end() || !mark->is_object() || !mark->contains("prop") ? nullptr : &*mark;
}

std::vector<MountedProp> mounted_props(const fs::path& file) {
    std::vector<MountedProp> mounted;
    const Json json = Json::parse(read_gltf_file(file).json);
    const Json nodes = json.value("nodes", Json::array());
    for (std::size_t n = 0; n < nodes.size(); ++n) {
        const Json* mark = mark_of(nodes[n]);
        if (mark == nullptr) continue;
        MountedProp one{mark->value("prop", ""), mark->value("socket", ""), -1, {}, {}};
        one.at.translation = three_or(nodes[n], "translation", Vec3::Zero());
        one.at.scale = three_or(nodes[n], "scale", Vec3::Ones());
        if (nodes[n].contains("rotation")) {
            const std::vector<float> turn = nodes[n]["rotation"].get<std::vector<float>>();
            one.at.rotation = Quat(turn.at(3), turn.at(0), turn.at(1), turn.at(2));
        }
        if (mark->contains("volumes")) one.volumes = volumes_of((*mark)["volumes"]);
        for (std::size_t above = 0; above < nodes.size(); ++above) {
            const Json children = nodes[above].value("children", Json::array());
            if (std::find(children.begin(), children.end(), n) != children.end())
                one.node_above = static_cast<int>(above);
        }
        mounted.push_back(std::move(one));
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
        add_below(glb.json["nodes"], n, gone);
        for (const Json& extension : mark->value("extensions", Json::array()))
            extensions.push_back(extension.get<std::string>());
    }
    if (!left.empty() || gone.empty()) {
        const std::string wanted = left.empty() ? "" : *left.begin();
        throw Error(ErrorCode::unknown_name, file.string(),
                    left.empty() ? "has no props" : "has no prop '" + wanted + "'", "",
                    did_you_mean(wanted, names, "name a file that `dendraxis equip` wrote"));
    }
    const Json before = glb.json;
    take_out_channels(glb.json, gone);
    take_out(glb, with_their_own(before, glb.json, gone));
    take_out_extensions(glb.json, extensions);
    return to_bytes(glb);
}

}  // namespace dendraxis::io
