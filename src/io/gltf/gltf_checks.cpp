#include "gltf_checks.hpp"

#include <dendraxis/base/error.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <initializer_list>
#include <string_view>

namespace dendraxis::io {
namespace {

using Entry = Json;

constexpr std::size_t k_most_nodes = 50'000;  // of a file
constexpr double k_most_count = 4294967296.0;
constexpr double k_most_empty = 4'194'304.0;  // elements of an accessor that stand in no buffer

class DocumentChecker {
 public:
    DocumentChecker(const std::string& path, const Entry& document) : path_(path), document_(document) {}

    void check() const {
        check_asset();
        check_extensions();
        for (const char* list : {"nodes", "skins", "meshes", "accessors", "bufferViews", "buffers",
                                 "animations", "scenes", "materials", "textures", "images"}) {
            if (!document_.contains(list)) continue;
            if (!document_[list].is_array())
                fail(fmt::format("its {} are no list", list), fmt::format("/{}", list));
            for (std::size_t i = 0; i < document_[list].size(); ++i) {
                if (!document_[list][i].is_object())
                    fail("an entry is no object", fmt::format("/{}/{}", list, i));
                if (document_[list][i].contains("name") && !document_[list][i]["name"].is_string())
                    fail("a name is not a string", fmt::format("/{}/{}/name", list, i));
            }
        }
        check_nodes();
        check_skins();
        check_meshes();
        check_data();
        check_animations();
    }

 private:
    [[noreturn]] void fail(const std::string& what, const std::string& where,
                           const char* advice = k_export_again) const {
        throw Error(path_, what, where, advice);
    }

    std::size_t count_of(const char* list) const {
        return document_.contains(list) ? document_[list].size() : 0;
    }

    template <class Check>
    void each(const char* list, const Check& check) const {
        for (std::size_t i = 0; i < count_of(list); ++i)
            check(document_[list][i], fmt::format("/{}/{}", list, i));
    }

    // A list of objects within an entry; none if it is left out.
    template <class Check>
    void each_within(const Entry& entry, const char* list, const std::string& where,
                     const Check& check) const {
        if (!entry.contains(list)) return;
        if (!entry[list].is_array()) fail(fmt::format("'{}' is no list", list), where);
        for (std::size_t i = 0; i < entry[list].size(); ++i) {
            const std::string own = fmt::format("{}/{}/{}", where, list, i);
            if (!entry[list][i].is_object()) fail("an entry is no object", own);
            check(entry[list][i], own);
        }
    }

    void whole(const Entry& entry, const char* key, const std::string& where, double least,
               double most) const {
        if (!entry.contains(key)) return;
        const Entry& value = entry[key];
        // Some writers give whole numbers as 4.0.
        const double number = value.is_number() ? value.get<double>() : std::nan("");
        if (!(number >= least) || !(number <= most) || number != std::floor(number))
            fail(fmt::format("'{}' is no whole number from {:.0f} to {:.0f}", key, least, most), where);
    }

    void index(const Entry& value, const char* list, const std::string& where) const {
        const bool sound = value.is_number_integer() && value.get<double>() >= 0.0 &&
                           value.get<double>() < static_cast<double>(count_of(list));
        if (!sound) fail(fmt::format("there is no {} in its {}", value.dump().substr(0, 40), list), where);
    }

    void index_at(const Entry& entry, const char* key, const char* list, const std::string& where) const {
        if (entry.contains(key)) index(entry[key], list, fmt::format("{}/{}", where, key));
    }

    void indices_at(const Entry& entry, const char* key, const char* list, const std::string& where) const {
        if (!entry.contains(key)) return;
        if (!entry[key].is_array()) fail(fmt::format("'{}' is no list of indices", key), where);
        for (std::size_t i = 0; i < entry[key].size(); ++i)
            index(entry[key][i], list, fmt::format("{}/{}/{}", where, key, i));
    }

    void required(const Entry& entry, const std::string& where,
                  std::initializer_list<const char*> keys) const {
        for (const char* key : keys) {
            if (!entry.contains(key)) fail(fmt::format("'{}' is missing", key), where);
        }
    }

    void text(const Entry& entry, const char* key, const std::string& where) const {
        if (entry.contains(key) && !entry[key].is_string()) fail(fmt::format("'{}' is no text", key), where);
    }

    void component_type(const Entry& entry, const std::string& where) const {
        required(entry, where, {"componentType"});
        whole(entry, "componentType", where, 5120, 5126);
        if (entry["componentType"].get<double>() == 5124.0)
            fail("'componentType' is 5124, which glTF does not know", where);
    }

    void word(const Entry& entry, const char* key, const std::string& where,
              std::initializer_list<std::string_view> known) const {
        if (!entry.contains(key)) return;
        const bool sound = entry[key].is_string() && std::find(known.begin(), known.end(),
                                                               entry[key].get<std::string>()) != known.end();
        if (!sound)
            fail(fmt::format("'{}' is {}, which glTF does not know", key, entry[key].dump().substr(0, 40)),
                 where);
    }

    void check_asset() const {
        if (!document_["asset"].is_object()) fail("its 'asset' is no object", "/asset");
        for (const char* key : {"minVersion", "version"}) {
            if (!document_["asset"].contains(key)) continue;
            const Entry& version = document_["asset"][key];
            const std::string text = version.is_string() ? version.get<std::string>() : version.dump();
            const bool newer = key == std::string_view("minVersion") && text != "2.0" && text != "2";
            if (!text.starts_with("2") || newer)
                fail(fmt::format("is of glTF version {}, version 2.0 is read", text.substr(0, 20)),
                     fmt::format("/asset/{}", key), "export it as glTF 2.0");
        }
    }

    // Colors, lights and annotations may be passed over; what changes bones, surfaces or motion may not.
    void check_extensions() const {
        if (!document_.contains("extensionsRequired")) return;
        const Entry& list = document_["extensionsRequired"];
        if (!list.is_array()) fail("'extensionsRequired' is no list", "/extensionsRequired");
        constexpr auto k_passed_over = std::to_array<std::string_view>(
            {"KHR_materials_", "KHR_texture_", "EXT_texture_", "MSFT_texture_", "KHR_lights_", "EXT_lights_",
             "KHR_technique", "KHR_xmp", "KHR_audio", "MSFT_audio", "KHR_node_", "KHR_animation_pointer",
             "KHR_interactivity", "EXT_mesh_features", "EXT_structural_metadata"});
        constexpr auto k_read = std::to_array<std::string_view>(
            {"KHR_implicit_shapes", "KHR_physics_rigid_bodies", "KHR_mesh_quantization",
             "KHR_draco_mesh_compression", "EXT_meshopt_compression", "VRM"});
        for (const Entry& entry : list) {
            const std::string name = entry.is_string() ? entry.get<std::string>() : entry.dump();
            const auto begins = [&](std::string_view known) { return name.starts_with(known); };
            if (std::none_of(k_passed_over.begin(), k_passed_over.end(), begins) &&
                std::none_of(k_read.begin(), k_read.end(), begins))
                fail(fmt::format("requires the extension '{}', which is not read", name.substr(0, 60)),
                     "/extensionsRequired", "export it without that extension (uncompressed)");
        }
    }

    // Numbers that the parser passes over in silence where they are too few or no numbers.
    void numbers(const Entry& entry, const char* key, const std::string& where, std::size_t count) const {
        if (!entry.contains(key)) return;
        const Entry& list = entry[key];
        const bool sound = list.is_array() && list.size() == count &&
                           std::all_of(list.begin(), list.end(), [](const Entry& value) {
                               return value.is_number() && std::abs(value.get<double>()) < k_largest;
                           });
        if (!sound) fail(fmt::format("'{}' is not {} numbers below {:g}", key, count, k_largest), where);
    }

    void check_nodes() const {
        if (count_of("nodes") > k_most_nodes)
            fail(fmt::format("has {} nodes, at most {} are read", count_of("nodes"), k_most_nodes), "/nodes",
                 "export the character alone");
        each("nodes", [&](const Entry& node, const std::string& where) {
            indices_at(node, "children", "nodes", where);
            index_at(node, "mesh", "meshes", where);
            index_at(node, "skin", "skins", where);
            numbers(node, "translation", where, 3);
            numbers(node, "rotation", where, 4);
            numbers(node, "scale", where, 3);
            numbers(node, "matrix", where, 16);
        });
        each("scenes", [&](const Entry& scene, const std::string& where) {
            indices_at(scene, "nodes", "nodes", where);
        });
    }

    void check_skins() const {
        each("skins", [&](const Entry& skin, const std::string& where) {
            indices_at(skin, "joints", "nodes", where);
            index_at(skin, "skeleton", "nodes", where);
            index_at(skin, "inverseBindMatrices", "accessors", where);
        });
    }

    void check_meshes() const {
        each("meshes", [&](const Entry& mesh, const std::string& where) {
            each_within(mesh, "primitives", where, [&](const Entry& primitive, const std::string& own) {
                whole(primitive, "mode", own, 0, 6);
                index_at(primitive, "indices", "accessors", own);
                each_within(primitive, "targets", own, [&](const Entry& target, const std::string& at) {
                    for (const auto& [name, value] : target.items())
                        index(value, "accessors", fmt::format("{}/{}", at, name));
                });
                if (!primitive.contains("attributes")) return;
                if (!primitive["attributes"].is_object()) fail("'attributes' is no object", own);
                for (const auto& [name, value] : primitive["attributes"].items())
                    index(value, "accessors", fmt::format("{}/attributes/{}", own, name));
            });
        });
    }

    void check_data() const {
        each("buffers", [&](const Entry& buffer, const std::string& where) {
            required(buffer, where, {"byteLength"});
            whole(buffer, "byteLength", where, 0, k_most_count);
            text(buffer, "uri", where);
        });
        each("images", [&](const Entry& image, const std::string& where) {
            text(image, "uri", where);
            text(image, "mimeType", where);
            index_at(image, "bufferView", "bufferViews", where);
        });
        each("bufferViews", [&](const Entry& view, const std::string& where) {
            required(view, where, {"buffer", "byteLength"});
            index_at(view, "buffer", "buffers", where);
            whole(view, "byteOffset", where, 0, k_most_count);
            whole(view, "byteLength", where, 0, k_most_count);
            whole(view, "byteStride", where, 0, 252);
        });
        each("accessors", [&](const Entry& accessor, const std::string& where) {
            required(accessor, where, {"count", "type"});
            component_type(accessor, where);
            index_at(accessor, "bufferView", "bufferViews", where);
            whole(accessor, "byteOffset", where, 0, k_most_count);
            whole(accessor, "count", where, 0, accessor.contains("bufferView") ? k_most_count : k_most_empty);
            word(accessor, "type", where, {"SCALAR", "VEC2", "VEC3", "VEC4", "MAT2", "MAT3", "MAT4"});
            if (!accessor.contains("sparse")) return;
            const Entry& sparse = accessor["sparse"];
            const std::string own = where + "/sparse";
            if (!sparse.is_object()) fail("'sparse' is no object", own);
            required(sparse, own, {"count"});
            whole(sparse, "count", own, 0, k_most_count);
            for (const char* part : {"indices", "values"}) {
                if (!sparse.contains(part) || !sparse[part].is_object() ||
                    !sparse[part].contains("bufferView"))
                    fail(fmt::format("'{}' names no buffer view", part), own);
                index_at(sparse[part], "bufferView", "bufferViews", own);
                whole(sparse[part], "byteOffset", own, 0, k_most_count);
            }
            component_type(sparse["indices"], own + "/indices");
        });
    }

    void check_animations() const {
        each("animations", [&](const Entry& animation, const std::string& where) {
            each_within(animation, "samplers", where, [&](const Entry& sampler, const std::string& own) {
                for (const char* key : {"input", "output"}) {
                    if (!sampler.contains(key)) fail(fmt::format("a sampler has no '{}'", key), own);
                    index_at(sampler, key, "accessors", own);
                    const Entry& accessor = document_["accessors"][sampler[key].get<std::size_t>()];
                    if (accessor.contains("count") && accessor["count"] == 0)
                        fail(fmt::format("a sampler's '{}' is empty", key), own);
                }
                word(sampler, "interpolation", own, {"LINEAR", "STEP", "CUBICSPLINE"});
            });
            const std::size_t samplers = animation.contains("samplers") ? animation["samplers"].size() : 0;
            each_within(animation, "channels", where, [&](const Entry& channel, const std::string& own) {
                if (!channel.contains("sampler") || !channel.contains("target") ||
                    !channel["target"].is_object())
                    fail("a channel has no sampler or no target", own);
                if (samplers == 0) fail("a channel has no sampler", own);
                whole(channel, "sampler", own, 0, static_cast<double>(samplers - 1));
                required(channel["target"], own + "/target", {"path"});
                index_at(channel["target"], "node", "nodes", own + "/target");
                word(channel["target"], "path", own + "/target",
                     {"translation", "rotation", "scale", "weights", "pointer"});
            });
        });
    }

    const std::string& path_;
    const Entry& document_;
};

}  // namespace

void check_document(const std::string& path, const Json& document) {
    DocumentChecker(path, document).check();
}

}  // namespace dendraxis::io
