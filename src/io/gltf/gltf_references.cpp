// Source: Khronos Group, "glTF 2.0 Specification" (ISO/IEC 12113:2022), section 5.
#include "gltf_references.hpp"

#include <map>

namespace dendraxis::io {
namespace {

class Walker {
 public:
    explicit Walker(const VisitReference& visit) : visit_(visit) {}

    void document(Json& json) const {
        static const std::map<std::string, std::map<std::string, std::string>> k_keys{
            {"accessors", {{"bufferView", "bufferViews"}}},
            {"images", {{"bufferView", "bufferViews"}}},
            {"bufferViews", {{"buffer", "buffers"}}},
            {"textures", {{"source", "images"}, {"sampler", "samplers"}}},
            {"skins", {{"inverseBindMatrices", "accessors"}, {"skeleton", "nodes"}, {"joints", "nodes"}}},
            {"scenes", {{"nodes", "nodes"}}},
            {"nodes", {{"mesh", "meshes"}, {"skin", "skins"}, {"camera", "cameras"}, {"children", "nodes"}}}};
        for (const auto& [list, keys] : k_keys) {
            for (Json& item : items(json, list)) {
                for (const auto& [key, to] : keys) member(item, key, to);
            }
        }
        for (Json& accessor : items(json, "accessors")) {
            if (!accessor.contains("sparse")) continue;
            for (const char* part : {"indices", "values"})
                member(accessor["sparse"][part], "bufferView", "bufferViews");
        }
        for (Json& mesh : items(json, "meshes")) {
            for (Json& primitive : items(mesh, "primitives")) this->primitive(primitive);
        }
        for (Json& animation : items(json, "animations")) this->animation(animation);
        for (Json& material : items(json, "materials")) textures(material);
        for (Json& node : items(json, "nodes")) nested(node, "connectedNode", "nodes");
    }

 private:
    static Json& items(Json& of, const std::string& key) {
        static Json none = Json::array();
        const auto found = of.find(key);
        return found == of.end() ? none : *found;
    }

    void member(Json& of, const std::string& key, const std::string& list) const {
        const auto found = of.find(key);
        if (found == of.end()) return;
        if (found->is_array()) {
            Json kept = Json::array();
            for (Json& index : *found) {
                if (visit_(list, index)) kept.push_back(index);
            }
            *found = std::move(kept);
            if (found->empty()) of.erase(key);
        } else if (!visit_(list, *found)) {
            of.erase(key);
        }
    }

    void all_of(Json& map, const std::string& list) const {
        for (auto& [key, index] : map.items()) visit_(list, index);
    }

    void primitive(Json& json) const {
        all_of(json["attributes"], "accessors");
        for (Json& target : items(json, "targets")) all_of(target, "accessors");
        member(json, "indices", "accessors");
        member(json, "material", "materials");
    }

    void animation(Json& json) const {
        for (Json& sampler : items(json, "samplers")) {
            member(sampler, "input", "accessors");
            member(sampler, "output", "accessors");
        }
        for (Json& channel : items(json, "channels")) member(channel["target"], "node", "nodes");
    }

    // Texture slots stand anywhere in a material, in its extensions too.
    void textures(Json& json) const {
        if (json.is_array()) {
            for (Json& item : json) textures(item);
        }
        if (!json.is_object()) return;
        for (auto& [key, value] : json.items()) {
            if (key.ends_with("Texture") && value.is_object()) member(value, "index", "textures");
            textures(value);
        }
    }

    void nested(Json& json, const std::string& wanted, const std::string& list) const {
        if (!json.is_object()) return;
        member(json, wanted, list);
        for (auto& [key, value] : json.items()) nested(value, wanted, list);
    }

    const VisitReference& visit_;
};

}  // namespace

void visit_references(Json& document, const VisitReference& visit) {
    Walker(visit).document(document);
}

}  // namespace dendraxis::io
