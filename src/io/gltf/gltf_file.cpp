// Parsing goes through tinygltf; what it does not check and the readers rely on is checked here.
#include "gltf_file.hpp"

#include "gltf_checks.hpp"
#include "gltf_uris.hpp"

#include "../json/json_document.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/puppet/puppet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <cstring>

namespace dendraxis::io {
namespace {

constexpr std::uint32_t k_glb_magic = 0x46546C67;
constexpr std::uint32_t k_json_chunk = 0x4E4F534A;
constexpr std::size_t k_deepest = 1'000;  // nodes below each other

std::uint32_t word_at(const std::vector<std::uint8_t>& bytes, std::size_t offset) {
    std::uint32_t word = 0;
    std::memcpy(&word, bytes.data() + offset, sizeof(word));
    return word;
}

bool starts_as_glb(const std::vector<std::uint8_t>& bytes) {
    return bytes.size() >= 4 && word_at(bytes, 0) == k_glb_magic;
}

std::string json_of_glb(const std::string& path, const std::vector<std::uint8_t>& bytes) {
    if (bytes.size() < 20) throw Error(path, "the GLB is cut off within its header", "", k_export_again);
    const std::size_t declared = word_at(bytes, 8);
    if (declared > bytes.size()) {
        throw Error(path, "the GLB is cut off",
                    std::to_string(bytes.size()) + " of " + std::to_string(declared) + " bytes",
                    "copy or export it again");
    }
    if (word_at(bytes, 4) != 2)
        throw Error(path, fmt::format("is a GLB of version {}, version 2 is read", word_at(bytes, 4)), "",
                    "export it as glTF 2.0");
    const std::size_t length = word_at(bytes, 12);
    if (word_at(bytes, 16) != k_json_chunk || length > bytes.size() - 20) {
        throw Error(path, "the GLB's first chunk is not its JSON", "", k_export_again);
    }
    // The parser takes the next chunk's word for its length.
    const std::size_t next = 20 + length;
    if (bytes.size() - next >= 8 && word_at(bytes, next) > bytes.size() - next - 8)
        throw Error(path, "the GLB's second chunk is cut off",
                    fmt::format("{} of {} bytes", bytes.size() - next - 8, word_at(bytes, next)),
                    "copy or export it again");
    return {bytes.begin() + 20, bytes.begin() + 20 + static_cast<std::ptrdiff_t>(length)};
}

nlohmann::json checked_json(const std::string& path, const std::string& text) {
    if (nesting_of(text) > k_most_nested)
        throw Error(ErrorCode::too_large, path,
                    fmt::format("its JSON is nested more than {} deep", k_most_nested), "", k_export_again);
    try {
        auto document = nlohmann::json::parse(text);
        if (!document.is_object() || !document.contains("asset")) {
            throw Error(path, "is not a glTF file", "no 'asset' in its JSON", "name a .glb or .gltf file");
        }
        check_document(path, document);
        return document;
    } catch (const nlohmann::json::out_of_range&) {
        throw Error(ErrorCode::too_large, path, "its JSON holds a number that is too large", "",
                    k_export_again);
    } catch (const nlohmann::json::parse_error& problem) {
        const std::size_t end = std::min(text.size(), problem.byte);
        const auto line = 1 + std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(end), '\n');
        throw Error(path, "its JSON cannot be parsed",
                    "line " + std::to_string(line) + ", byte " + std::to_string(problem.byte),
                    k_export_again);
    }
}

void check_buffers(const GltfFile& file, const nlohmann::json& document) {
    for (const auto& buffer : document.value("buffers", nlohmann::json::array())) {
        const auto uri = buffer.is_object() ? buffer.value("uri", nlohmann::json()) : nlohmann::json();
        if (!uri.is_string() || is_data_uri(uri.get<std::string>())) continue;
        refuse_files_beside(file, uri.get<std::string>());
        buffer_file(file.path, uri.get<std::string>());
    }
}

// The GLB with another JSON chunk.
std::vector<std::uint8_t> with_json(const std::vector<std::uint8_t>& glb, std::string json) {
    while (json.size() % 4 != 0) json += ' ';
    const auto rest = std::min<std::size_t>(20 + word_at(glb, 12), glb.size());
    std::vector<std::uint8_t> result;
    result.reserve(20 + json.size() + glb.size() - rest);
    const auto copy = [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) result.push_back(glb[i]);
    };
    const auto word = [&](std::size_t value) {
        for (int shift = 0; shift < 32; shift += 8)
            result.push_back(static_cast<std::uint8_t>(value >> shift));
    };
    copy(0, 8);
    word(20 + json.size() + glb.size() - rest);
    word(json.size());
    copy(16, 20);
    for (const char letter : json) result.push_back(static_cast<std::uint8_t>(letter));
    copy(rest, glb.size());
    return result;
}

// Images are handed through untouched, so they need not be decoded.
bool keep_image(tinygltf::Image*, int, std::string*, std::string*, int, int, const unsigned char*, int,
                void*) {
    return true;
}

void check_index(const GltfFile& file, int index, std::size_t count, const std::string& what,
                 const std::string& where) {
    if (index < 0 || static_cast<std::size_t>(index) >= count) {
        throw Error(file.path, what + " " + std::to_string(index) + " does not exist", where, k_export_again);
    }
}

void find_parents(GltfFile& file) {
    const auto& nodes = file.model.nodes;
    file.parents.assign(nodes.size(), -1);
    for (std::size_t i = 0; i < nodes.size(); ++i) {
        const std::string where = node_label(file, static_cast<int>(i));
        for (const int child : nodes[i].children) {
            check_index(file, child, nodes.size(), "child node", where);
            int& parent = file.parents[static_cast<std::size_t>(child)];
            if (parent != -1 || child == static_cast<int>(i)) {
                throw Error(file.path, "a node hangs below two nodes or below itself",
                            node_label(file, child), k_export_again);
            }
            parent = static_cast<int>(i);
        }
    }
    // How many stand above each; 0 is not known yet.
    std::vector<std::size_t> depths(nodes.size(), 0);
    for (std::size_t i = 0; i < nodes.size(); ++i) {
        std::size_t steps = 1;
        int above = file.parents[i];
        for (; above != -1 && depths[static_cast<std::size_t>(above)] == 0;
             above = file.parents[static_cast<std::size_t>(above)]) {
            if (++steps > nodes.size()) {
                throw Error(file.path, "its nodes run in a circle", node_label(file, static_cast<int>(i)),
                            k_export_again);
            }
        }
        depths[i] = steps + (above == -1 ? 0 : depths[static_cast<std::size_t>(above)]);
        if (depths[i] > k_deepest)
            throw Error(ErrorCode::too_large, file.path,
                        fmt::format("its nodes hang more than {} deep below each other", k_deepest),
                        node_label(file, static_cast<int>(i)), k_export_again);
    }
}

void check_references(const GltfFile& file) {
    const tinygltf::Model& model = file.model;
    for (std::size_t i = 0; i < model.nodes.size(); ++i) {
        const tinygltf::Node& node = model.nodes[i];
        const std::string where = node_label(file, static_cast<int>(i));
        if (node.mesh != -1) check_index(file, node.mesh, model.meshes.size(), "mesh", where);
        if (node.skin != -1) check_index(file, node.skin, model.skins.size(), "skin", where);
    }
    for (std::size_t i = 0; i < model.skins.size(); ++i) {
        const std::string where = "skin " + std::to_string(i);
        for (const int joint : model.skins[i].joints)
            check_index(file, joint, model.nodes.size(), "joint node", where);
    }
    for (std::size_t i = 0; i < model.animations.size(); ++i) {
        const tinygltf::Animation& animation = model.animations[i];
        const std::string where = "animation " + std::to_string(i) + " '" + animation.name + "'";
        for (const auto& channel : animation.channels) {
            check_index(file, channel.sampler, animation.samplers.size(), "sampler", where);
            if (channel.target_node != -1)
                check_index(file, channel.target_node, model.nodes.size(), "node", where);
        }
    }
}

std::size_t component_size(int type) {
    return static_cast<std::size_t>(
        std::max(tinygltf::GetComponentSizeInBytes(static_cast<std::uint32_t>(type)), 0));
}

double component_at(const unsigned char* data, int type, bool normalized) {
    const auto read = [data](auto value) {
        std::memcpy(&value, data, sizeof(value));
        return static_cast<double>(value);
    };
    switch (type) {
        case TINYGLTF_COMPONENT_TYPE_BYTE:
            return normalized ? std::max(read(std::int8_t{}) / 127.0, -1.0) : read(std::int8_t{});
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE:
            return read(std::uint8_t{}) / (normalized ? 255.0 : 1.0);
        case TINYGLTF_COMPONENT_TYPE_SHORT:
            return normalized ? std::max(read(std::int16_t{}) / 32767.0, -1.0) : read(std::int16_t{});
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT:
            return read(std::uint16_t{}) / (normalized ? 65535.0 : 1.0);
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT:
            return read(std::uint32_t{});
        default:
            return read(float{});
    }
}

// Where `count` elements of `size` bytes start, after a check that all lie within the view and its buffer.
struct Elements {
    const unsigned char* data;
    std::size_t stride;
};

Elements elements(const GltfFile& file, int view_index, std::size_t offset, std::size_t count,
                  std::size_t size, const std::string& where) {
    check_index(file, view_index, file.model.bufferViews.size(), "buffer view", where);
    const tinygltf::BufferView& view = file.model.bufferViews[static_cast<std::size_t>(view_index)];
    check_index(file, view.buffer, file.model.buffers.size(), "buffer", where);
    const auto& data = file.model.buffers[static_cast<std::size_t>(view.buffer)].data;
    const std::size_t stride = view.byteStride == 0 ? size : view.byteStride;
    const bool view_fits = view.byteOffset <= data.size() && view.byteLength <= data.size() - view.byteOffset;
    const bool first_fits = view_fits && offset <= view.byteLength && size <= view.byteLength - offset;
    if (count > 0 && (!first_fits || count - 1 > (view.byteLength - offset - size) / stride)) {
        throw Error(file.path, "an accessor reaches outside its buffer", where, k_export_again);
    }
    return {data.data() + view.byteOffset + offset, stride};
}

template <class Number>
std::vector<Number> read_accessor(const GltfFile& file, int index, int components, bool scaled) {
    check_index(file, index, file.model.accessors.size(), "accessor", "accessor list");
    const tinygltf::Accessor& accessor = file.model.accessors[static_cast<std::size_t>(index)];
    const std::string where = "accessor " + std::to_string(index);
    const std::size_t size = component_size(accessor.componentType);
    if (size == 0 ||
        tinygltf::GetNumComponentsInType(static_cast<std::uint32_t>(accessor.type)) != components) {
        throw Error(file.path, "an accessor has another type than its use asks for", where, k_export_again);
    }
    const auto width = static_cast<std::size_t>(components);
    const bool normalized = scaled && accessor.normalized;
    std::vector<Number> result;
    const auto copy = [&](const Elements& from, std::size_t count, const auto& element_position) {
        for (std::size_t i = 0; i < count; ++i) {
            for (std::size_t c = 0; c < width; ++c) {
                const unsigned char* data = from.data + i * from.stride + c * size;
                double value = component_at(data, accessor.componentType, normalized);
                if (!scaled) value = std::clamp(value, 0.0, 4294967295.0);
                result[element_position(i) * width + c] = static_cast<Number>(value);
            }
        }
    };
    if (accessor.bufferView != -1) {
        const Elements from =
            elements(file, accessor.bufferView, accessor.byteOffset, accessor.count, width * size, where);
        result.resize(accessor.count * width);
        copy(from, accessor.count, [](std::size_t i) { return i; });
    }
    result.resize(accessor.count * width);
    if (!accessor.sparse.isSparse) return result;

    const auto count = static_cast<std::size_t>(std::max(accessor.sparse.count, 0));
    const auto& indices = accessor.sparse.indices;
    const auto& values = accessor.sparse.values;
    const std::size_t index_size = component_size(indices.componentType);
    const Elements positions =
        elements(file, indices.bufferView, static_cast<std::size_t>(indices.byteOffset), count, index_size,
                 where + ", sparse");
    std::vector<std::size_t> position(count);
    for (std::size_t i = 0; i < count; ++i) {
        position[i] = static_cast<std::size_t>(
            component_at(positions.data + i * positions.stride, indices.componentType, false));
        if (position[i] >= accessor.count)
            throw Error(file.path, "a sparse index is out of range", where, k_export_again);
    }
    copy(elements(file, values.bufferView, static_cast<std::size_t>(values.byteOffset), count, width * size,
                  where + ", sparse"),
         count, [&](std::size_t i) { return position[i]; });
    return result;
}

}  // namespace

void refuse_files_beside(const GltfFile& file, const std::string& uri) {
    if (file.in_memory)
        throw Error(file.path, "a document in memory names a file beside it", uri, "embed it: export as GLB");
}

namespace {

// Parses and checks; `file.path` is set.
void parse(GltfFile& file, std::vector<std::uint8_t> bytes) {
    if (bytes.empty()) throw Error(file.path, "the file is empty", "", k_export_again);
    const bool binary = starts_as_glb(bytes);
    if (!binary && bytes.front() != '{' && !std::isspace(bytes.front()) && bytes.front() != 0xEF) {
        throw Error(file.path, "is not a glTF file", "it starts neither as GLB nor as JSON",
                    "name a .glb or .gltf file");
    }
    file.json = binary ? json_of_glb(file.path, bytes) : std::string(bytes.begin(), bytes.end());
    check_buffers(file, checked_json(file.path, file.json));
    // Images are brought along when the file is written; the parser would open them now.
    const std::string json = without_image_files(file.json);
    if (binary && json != file.json) bytes = with_json(bytes, json);

    tinygltf::TinyGLTF parser;
    parser.SetImageLoader(keep_image, nullptr);
    std::string error;
    std::string warning;
    const std::string folder = file.in_memory ? "" : std::filesystem::path(file.path).parent_path().string();
    bool parsed = false;
    try {
        parsed = binary ? parser.LoadBinaryFromMemory(&file.model, &error, &warning, bytes.data(),
                                                      static_cast<unsigned int>(bytes.size()), folder)
                        : parser.LoadASCIIFromString(&file.model, &error, &warning, json.data(),
                                                     static_cast<unsigned int>(json.size()), folder);
    } catch (const std::exception& problem) {
        error = problem.what();
    }
    if (!parsed) {
        while (!error.empty() && std::isspace(static_cast<unsigned char>(error.back()))) error.pop_back();
        throw Error(file.path, "cannot be read as glTF 2.0: " + error, "", k_export_again);
    }
    find_parents(file);
    check_references(file);
}

}  // namespace

GltfFile read_gltf_file(const std::filesystem::path& path) {
    GltfFile file;
    file.path = path.string();
    parse(file, is_puppet(path) ? puppet_glb(path) : read_bytes(path));
    return file;
}

GltfFile read_gltf_bytes(std::vector<std::uint8_t> bytes, const std::string& name) {
    GltfFile file;
    file.path = name;
    file.in_memory = true;
    parse(file, std::move(bytes));
    return file;
}

std::vector<float> read_numbers(const GltfFile& file, int accessor, int components) {
    std::vector<float> numbers = read_accessor<float>(file, accessor, components, true);
    // A value that is not a number fails the comparison, so it is refused, too.
    if (!std::all_of(numbers.begin(), numbers.end(),
                     [](float number) { return std::abs(static_cast<double>(number)) < k_largest; })) {
        throw Error(ErrorCode::too_large, file.path,
                    fmt::format("holds a value that is not a number below {:g}", k_largest),
                    "accessor " + std::to_string(accessor), k_export_again);
    }
    return numbers;
}

std::vector<std::uint32_t> read_integers(const GltfFile& file, int accessor, int components) {
    return read_accessor<std::uint32_t>(file, accessor, components, false);
}

std::string node_label(const GltfFile& file, int node) {
    const std::string& name = file.model.nodes[static_cast<std::size_t>(node)].name;
    return "node " + std::to_string(node) + (name.empty() ? "" : " '" + name + "'");
}

}  // namespace dendraxis::io
