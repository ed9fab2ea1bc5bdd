#include "importer.hpp"

#include "../gltf/gltf_references.hpp"

#include <algorithm>

namespace dendraxis::io {

Importer::Importer(const GltfFile& file, Glb& to) : from_(open_for_editing(file)), to_(to) {}

int Importer::bring(const std::string& list, int index) {
    const std::pair key(list, index);
    if (const auto known = done_.find(key); known != done_.end()) return known->second;
    if (list == "bufferViews") return done_[key] = view(index);
    // It has its place before it is made, since what it refers to may refer to it.
    const int place = done_[key] = push(to_.json, list.c_str(), Json::object());
    Json document{{list, Json::array({from_.json[list].at(static_cast<std::size_t>(index))})}};
    Json& item = document[list][0];
    if (list == "nodes") item.erase("extensions");
    if (list == "meshes") {
        for (Json& primitive : item["primitives"]) primitive.erase("extensions");
    }
    visit_references(document, [&](const std::string& other, Json& to) {
        if (other == "cameras") return false;
        to = bring(other, to.get<int>());
        return true;
    });
    brought_ += item.dump();
    to_.json[list][static_cast<std::size_t>(place)] = std::move(item);
    return place;
}

void Importer::bring_animations() {
    const Json all = from_.json.value("animations", Json::array());
    for (std::size_t i = 0; i < all.size(); ++i) {
        const std::string name = all[i].value("name", "clip-" + std::to_string(i + 1));
        Json moved{{"name", name}, {"channels", Json::array()}, {"samplers", Json::array()}};
        Json* into = &moved;
        for (Json& known : to_.json["animations"]) {
            if (known.value("name", "") == name) into = &known;
        }
        for (Json channel : all[i]["channels"]) {
            Json& target = channel["target"];
            if (!target.contains("node")) continue;
            const auto known = done_.find({"nodes", target["node"].get<int>()});
            if (known == done_.end()) continue;
            target["node"] = known->second;
            Json sampler = all[i]["samplers"].at(channel["sampler"].get<std::size_t>());
            for (const char* part : {"input", "output"})
                sampler[part] = bring("accessors", sampler[part].get<int>());
            channel["sampler"] = (*into)["samplers"].size();
            (*into)["samplers"].push_back(std::move(sampler));
            (*into)["channels"].push_back(std::move(channel));
        }
        if (into == &moved && !moved["channels"].empty()) push(to_.json, "animations", std::move(moved));
    }
    if (to_.json["animations"].empty()) to_.json.erase("animations");
}

std::vector<std::string> Importer::add_extensions() {
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

int Importer::view(int index) {
    const Json& view = from_.json["bufferViews"].at(static_cast<std::size_t>(index));
    const int made = add_view(to_, from_.binary.data() + view.value("byteOffset", std::size_t{0}),
                              view["byteLength"].get<std::size_t>(), view.value("target", 0));
    if (view.contains("byteStride"))
        to_.json["bufferViews"][static_cast<std::size_t>(made)]["byteStride"] = view["byteStride"];
    return made;
}

}  // namespace dendraxis::io
