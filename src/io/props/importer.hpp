// Parts of one glTF document brought into another.
#pragma once

#include "../gltf/glb_builder.hpp"
#include "../gltf/gltf_references.hpp"

#include <algorithm>
#include <map>
#include <string>
#include <utility>
#include <vector>

namespace dendraxis::io {

/// Brings parts of one document into another, each once.
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

    /// A node with all that hangs below it, shows on it and turns it; but for cameras and what extensions
    /// say.
    int node(int index) {
        return placed("nodes", index, [&](Json node) {
            for (const char* part : {"camera", "extensions"}) node.erase(part);
            if (node.contains("children")) {
                for (Json& child : node["children"]) child = this->node(child.get<int>());
            }
            if (node.contains("mesh")) node["mesh"] = mesh(node["mesh"].get<int>());
            if (node.contains("skin")) node["skin"] = skin(node["skin"].get<int>());
            return node;
        });
    }

    /// The animations, as far as they move nodes that were brought: into those of the same names, else beside
    /// them.
    void animations() {
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
                    sampler[part] = accessor(sampler[part].get<int>());
                channel["sampler"] = (*into)["samplers"].size();
                (*into)["samplers"].push_back(std::move(sampler));
                (*into)["channels"].push_back(std::move(channel));
            }
            if (into == &moved && !moved["channels"].empty()) push(to_.json, "animations", std::move(moved));
        }
        if (to_.json["animations"].empty()) to_.json.erase("animations");
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
    int mesh(int index) {
        return once("meshes", index, [&](Json mesh) {
            for (Json& primitive : mesh["primitives"]) {
                primitive.erase("extensions");
                for (auto& [key, value] : primitive["attributes"].items()) value = accessor(value.get<int>());
                if (primitive.contains("indices"))
                    primitive["indices"] = accessor(primitive["indices"].get<int>());
                if (primitive.contains("material"))
                    primitive["material"] = material(primitive["material"].get<int>());
                if (!primitive.contains("targets")) continue;
                for (Json& target : primitive["targets"]) {
                    for (auto& [key, value] : target.items()) value = accessor(value.get<int>());
                }
            }
            return mesh;
        });
    }

    int skin(int index) {
        return placed("skins", index, [&](Json skin) {
            if (skin.contains("inverseBindMatrices"))
                skin["inverseBindMatrices"] = accessor(skin["inverseBindMatrices"].get<int>());
            if (skin.contains("skeleton")) skin["skeleton"] = node(skin["skeleton"].get<int>());
            for (Json& joint : skin["joints"]) joint = node(joint.get<int>());
            return skin;
        });
    }

    // Has its place before it is made, since what it refers to may refer to it.
    template <class Make>
    int placed(const char* list, int index, const Make& make) {
        const auto key = std::pair<std::string, int>(list, index);
        if (const auto known = done_.find(key); known != done_.end()) return known->second;
        const int place = done_[key] = push(to_.json, list, Json::object());
        Json made = make(from_.json[list].at(static_cast<std::size_t>(index)));
        to_.json[list][static_cast<std::size_t>(place)] = std::move(made);
        return place;
    }

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

}  // namespace dendraxis::io
