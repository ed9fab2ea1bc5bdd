// Parsing goes through tinygltf; what it does not check and the readers rely on is checked here.
#include "gltf_file.hpp"

#include "glb_builder.hpp"
#include "gltf_checks.hpp"
#include "gltf_references.hpp"
#include "gltf_unpack.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/puppet/puppet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>

namespace dendraxis::io {
namespace {

constexpr std::uint32_t k_glb_magic = 0x46546C67;
constexpr std::uint32_t k_json_chunk = 0x4E4F534A;
constexpr std::uint32_t k_binary_chunk = 0x004E4942;
constexpr std::size_t k_deepest = 1'000;  // nodes below each other

std::uint32_t word_at(const std::vector<std::uint8_t>& bytes, std::size_t offset) {
    std::uint32_t word = 0;
    std::memcpy(&word, bytes.data() + offset, sizeof(word));
    return word;
}

bool starts_as_glb(const std::vector<std::uint8_t>& bytes) {
    return bytes.size() >= 4 && word_at(bytes, 0) == k_glb_magic;
}

struct Chunks {
    std::span<const std::uint8_t> json;
    std::span<const std::uint8_t> binary;  // empty if there is none
};

// Source: glTF 2.0, section 4.4.
Chunks chunks_of_glb(const std::string& path, const std::vector<std::uint8_t>& bytes) {
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
    const std::span all(bytes);
    Chunks chunks{all.subspan(20, length), {}};
    const std::size_t next = 20 + length;
    if (bytes.size() - next < 8) return chunks;
    const std::size_t size = word_at(bytes, next);
    if (size > bytes.size() - next - 8)
        throw Error(path, "the GLB's second chunk is cut off",
                    fmt::format("{} of {} bytes", bytes.size() - next - 8, size), "copy or export it again");
    if (word_at(bytes, next + 4) == k_binary_chunk) chunks.binary = all.subspan(next + 8, size);
    return chunks;
}

Json checked_json(const std::string& path, const std::string& text) {
    if (const std::string problem = beyond_limits(text); !problem.empty())
        throw Error(ErrorCode::too_large, path, problem, "", k_export_again);
    try {
        Json document = Json::parse(text);
        if (!document.is_object() || !document.contains("asset")) {
            throw Error(path, "is not a glTF file", "no 'asset' in its JSON", "name a .glb or .gltf file");
        }
        check_document(path, document);
        return document;
    } catch (const Json::out_of_range&) {
        throw Error(ErrorCode::too_large, path, "its JSON holds a number that is too large", "",
                    k_export_again);
    } catch (const Json::parse_error& problem) {
        const std::size_t end = std::min(text.size(), problem.byte);
        const auto line = 1 + std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(end), '\n');
        throw Error(path, "its JSON cannot be parsed",
                    "line " + std::to_string(line) + ", byte " + std::to_string(problem.byte),
                    k_export_again);
    }
}

// What the parser is given: all but data, animations and images, which are read by our own records or not at
// all. It follows the indices of accessors, so that each has a stand-in.
std::string without_data(Json document) {
    std::size_t accessors = 0;
    const VisitReference count = [&](const std::string& list, Json& index) {
        if (list == "accessors") accessors = std::max(accessors, index.get<std::size_t>() + 1);
        return true;
    };
    for (const char* list : {"animations", "images", "buffers", "bufferViews", "accessors"})
        document.erase(list);
    visit_references(document, count);
    document["bufferViews"] = {{{"buffer", 0}, {"byteLength", 4}}};
    const Json stand_in{{"bufferView", 0}, {"componentType", k_float}, {"count", 1}, {"type", "SCALAR"}};
    document["accessors"] = Json::array();
    for (std::size_t i = 0; i < accessors; ++i) document["accessors"].push_back(stand_in);
    return document.dump();
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

Elements elements(const GltfFile& file, std::size_t view_index, std::size_t offset, std::size_t count,
                  std::size_t size, const std::string& where) {
    const GltfView& view = file.data.views[view_index];
    const std::span<const std::uint8_t> data = file.data.buffers[view.buffer];
    const std::size_t stride = view.stride == 0 ? size : view.stride;
    const bool view_fits = view.offset <= data.size() && view.length <= data.size() - view.offset;
    const bool first_fits = view_fits && offset <= view.length && size <= view.length - offset;
    if (count > 0 && (!first_fits || count - 1 > (view.length - offset - size) / stride)) {
        throw Error(file.path, "an accessor reaches outside its buffer", where, k_export_again);
    }
    return {data.data() + view.offset + offset, stride};
}

template <class Number>
std::vector<Number> read_accessor(const GltfFile& file, int index, int components, bool scaled) {
    check_index(file, index, file.data.accessors.size(), "accessor", "accessor list");
    const GltfAccessor& accessor = file.data.accessors[static_cast<std::size_t>(index)];
    const std::string where = "accessor " + std::to_string(index);
    const std::size_t size = component_size(accessor.component_type);
    if (size == 0 || accessor.components != components) {
        throw Error(file.path, "an accessor has another type than its use asks for", where, k_export_again);
    }
    const auto width = static_cast<std::size_t>(components);
    const bool normalized = scaled && accessor.is_normalized;
    std::vector<Number> result;
    const auto copy = [&](const Elements& from, std::size_t count, const auto& element_position) {
        for (std::size_t i = 0; i < count; ++i) {
            for (std::size_t c = 0; c < width; ++c) {
                const unsigned char* data = from.data + i * from.stride + c * size;
                double value = component_at(data, accessor.component_type, normalized);
                if (!scaled) value = std::clamp(value, 0.0, 4294967295.0);
                result[element_position(i) * width + c] = static_cast<Number>(value);
            }
        }
    };
    if (accessor.view != -1) {
        const Elements from = elements(file, static_cast<std::size_t>(accessor.view), accessor.offset,
                                       accessor.count, width * size, where);
        result.resize(accessor.count * width);
        copy(from, accessor.count, [](std::size_t i) { return i; });
    }
    result.resize(accessor.count * width);
    if (accessor.sparse == -1) return result;

    const GltfSparse& sparse = file.data.sparse[static_cast<std::size_t>(accessor.sparse)];
    const std::size_t count = sparse.count;
    const Elements positions = elements(file, sparse.index_view, sparse.index_offset, count,
                                        component_size(sparse.index_type), where + ", sparse");
    std::vector<std::size_t> position(count);
    for (std::size_t i = 0; i < count; ++i) {
        position[i] = static_cast<std::size_t>(
            component_at(positions.data + i * positions.stride, sparse.index_type, false));
        if (position[i] >= accessor.count)
            throw Error(file.path, "a sparse index is out of range", where, k_export_again);
    }
    copy(elements(file, sparse.value_view, sparse.value_offset, count, width * size, where + ", sparse"),
         count, [&](std::size_t i) { return position[i]; });
    return result;
}

// Parses and checks; `file.path` is set.
void parse(GltfFile& file, std::vector<std::uint8_t> bytes) {
    if (bytes.empty()) throw Error(file.path, "the file is empty", "", k_export_again);
    const bool is_binary = starts_as_glb(bytes);
    if (!is_binary && bytes.front() != '{' && !std::isspace(bytes.front()) && bytes.front() != 0xEF) {
        throw Error(file.path, "is not a glTF file", "it starts neither as GLB nor as JSON",
                    "name a .glb or .gltf file");
    }
    Chunks chunks{bytes, {}};
    if (is_binary) chunks = chunks_of_glb(file.path, bytes);
    file.json.assign(chunks.json.begin(), chunks.json.end());
    Json document = checked_json(file.path, file.json);
    read_buffers(file.path, file.in_memory, document, chunks.binary, file.data);
    if (is_packed(document)) {
        unpack(file.path, document, file.data);
        file.json = document.dump();
    }
    read_records(document, file.data);
    if (is_binary) file.data.file = std::move(bytes);  // the buffers stay where they are

    tinygltf::TinyGLTF parser;
    std::string error;
    std::string warning;
    const std::string json = without_data(std::move(document));
    bool parsed = false;
    try {
        parsed = parser.LoadASCIIFromString(&file.model, &error, &warning, json.data(),
                                            static_cast<unsigned int>(json.size()), "");
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
