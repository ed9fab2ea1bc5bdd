#include "gltf_data.hpp"

#include "gltf_checks.hpp"
#include "gltf_unpack.hpp"
#include "gltf_uris.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/format.h>
#include <tiny_gltf.h>

#include <algorithm>

namespace dendraxis::io {
namespace {

const Json& list_in(const Json& of, const char* key) {
    static const Json none = Json::array();
    const auto found = of.find(key);
    return found == of.end() ? none : *found;
}

// Some writers give whole numbers as 4.0.
std::size_t whole_in(const Json& of, const char* key) {
    const auto found = of.find(key);
    return found == of.end() ? 0 : static_cast<std::size_t>(found->get<double>());
}

GltfAccessor accessor_of(const Json& entry, GltfData& data) {
    GltfAccessor accessor;
    if (entry.contains("bufferView")) accessor.view = entry["bufferView"].get<int>();
    accessor.component_type = static_cast<int>(whole_in(entry, "componentType"));
    accessor.components = components_of(entry["type"].get_ref<const std::string&>());
    const auto normalized = entry.find("normalized");
    accessor.is_normalized = normalized != entry.end() && normalized->is_boolean() && normalized->get<bool>();
    accessor.offset = whole_in(entry, "byteOffset");
    accessor.count = whole_in(entry, "count");
    if (!entry.contains("sparse")) return accessor;
    const Json& sparse = entry["sparse"];
    const Json& indices = sparse["indices"];
    const Json& values = sparse["values"];
    accessor.sparse = static_cast<int>(data.sparse.size());
    data.sparse.push_back({whole_in(sparse, "count"), static_cast<int>(whole_in(indices, "componentType")),
                           whole_in(indices, "bufferView"), whole_in(indices, "byteOffset"),
                           whole_in(values, "bufferView"), whole_in(values, "byteOffset")});
    return accessor;
}

KeyedProperty property_of(const std::string& path) {
    return path == "rotation"      ? KeyedProperty::rotation
           : path == "translation" ? KeyedProperty::translation
           : path == "scale"       ? KeyedProperty::scale
                                   : KeyedProperty::other;
}

GltfAnimation animation_of(const Json& entry) {
    GltfAnimation animation;
    if (entry.contains("name")) animation.name = entry["name"].get<std::string>();
    for (const Json& sampler : list_in(entry, "samplers")) {
        const std::string curve = sampler.value("interpolation", "");
        animation.samplers.push_back({sampler["input"].get<int>(), sampler["output"].get<int>(),
                                      curve == "STEP"          ? KeyCurve::step
                                      : curve == "CUBICSPLINE" ? KeyCurve::cubic
                                                               : KeyCurve::linear});
    }
    for (const Json& channel : list_in(entry, "channels")) {
        const Json& target = channel["target"];
        animation.channels.push_back({whole_in(channel, "sampler"),
                                      target.contains("node") ? target["node"].get<int>() : -1,
                                      property_of(target["path"].get_ref<const std::string&>())});
    }
    return animation;
}

}  // namespace

std::uint8_t components_of(const std::string& type) {
    if (type == "SCALAR") return 1;
    if (type == "MAT4") return 16;
    if (type == "MAT3") return 9;
    if (type == "MAT2") return 4;
    return static_cast<std::uint8_t>(type.back() - '0');  // VEC2 to VEC4
}

void read_records(const Json& document, GltfData& data) {
    for (const Json& view : list_in(document, "bufferViews"))
        data.views.push_back({whole_in(view, "buffer"), whole_in(view, "byteOffset"),
                              whole_in(view, "byteLength"), whole_in(view, "byteStride")});
    for (const Json& entry : list_in(document, "accessors"))
        data.accessors.push_back(accessor_of(entry, data));
    for (const Json& entry : list_in(document, "animations")) data.animations.push_back(animation_of(entry));
}

void read_buffers(const std::string& path, bool in_memory, const Json& document,
                  std::span<const std::uint8_t> binary, GltfData& data) {
    const Json& buffers = list_in(document, "buffers");
    data.others.reserve(buffers.size());  // spans point into it
    for (std::size_t i = 0; i < buffers.size(); ++i) {
        if (is_stand_in(buffers[i])) {
            data.buffers.emplace_back();
            continue;
        }
        const std::size_t length = whole_in(buffers[i], "byteLength");
        std::span<const std::uint8_t> bytes = i == 0 ? binary : std::span<const std::uint8_t>();
        if (buffers[i].contains("uri")) {
            const std::string uri = buffers[i]["uri"].get<std::string>();
            std::vector<std::uint8_t>& own = data.others.emplace_back();
            if (is_data_uri(uri)) {
                std::string type;
                tinygltf::DecodeDataURI(&own, type, uri, 0, false);
            } else {
                if (in_memory) refuse_files_beside(path, uri);
                own = read_bytes(buffer_file(path, uri));
            }
            bytes = own;
        }
        if (bytes.size() < length)
            throw Error(path, "a buffer has fewer bytes than it says",
                        fmt::format("buffer {}: {} of {} bytes", i, bytes.size(), length), k_export_again);
        data.buffers.push_back(bytes.first(length));
    }
}

}  // namespace dendraxis::io
