#include "packing.hpp"

#include <dendraxis/io/write_file.hpp>

#include <draco/compression/expert_encode.h>
#include <meshoptimizer.h>

#include <cstring>
#include <set>

namespace packing {
namespace {

using nlohmann::json;
using Bytes = std::vector<std::uint8_t>;

constexpr const char* k_views = "EXT_meshopt_compression";
constexpr const char* k_surface = "KHR_draco_mesh_compression";

std::size_t word_at(const Bytes& bytes, std::size_t at) {
    std::uint32_t word = 0;
    std::memcpy(&word, bytes.data() + at, 4);
    return word;
}

std::size_t append(Bytes& to, const Bytes& from) {
    to.resize((to.size() + 3) / 4 * 4);
    const std::size_t at = to.size();
    to.insert(to.end(), from.begin(), from.end());
    return at;
}

Bytes bytes_of(const Glb& glb, const json& view) {
    const auto first =
        glb.binary.begin() + static_cast<std::ptrdiff_t>(view.value("byteOffset", std::size_t{0}));
    return {first, first + view["byteLength"].get<std::ptrdiff_t>()};
}

std::size_t columns_of(const json& accessor) {
    const std::string type = accessor["type"];
    return type == "SCALAR" ? 1 : type == "MAT4" ? 16 : static_cast<std::size_t>(type.back() - '0');
}

std::size_t width_of(const json& accessor) {
    const int type = accessor["componentType"];
    return columns_of(accessor) * (type == 5126 || type == 5125 ? 4 : type == 5123 || type == 5122 ? 2 : 1);
}

void require(json& document, const char* extension) {
    document["extensionsUsed"].push_back(extension);
    document["extensionsRequired"].push_back(extension);
}

// What each accessor is used for.
struct Uses {
    explicit Uses(const json& document) {
        for (const json& mesh : document["meshes"]) {
            for (const json& primitive : mesh["primitives"]) {
                if (primitive.contains("indices")) corners.push_back(primitive["indices"]);
                if (primitive["attributes"].contains("NORMAL"))
                    normals.insert(primitive["attributes"]["NORMAL"].get<std::size_t>());
            }
        }
        for (const json& animation : document.value("animations", json::array())) {
            for (const json& channel : animation["channels"]) {
                const json& sampler = animation["samplers"][channel["sampler"].get<std::size_t>()];
                (channel["target"]["path"] == "rotation" ? turns : slides)
                    .insert(sampler["output"].get<std::size_t>());
            }
        }
    }

    std::vector<std::size_t> corners;
    std::set<std::size_t> normals;
    std::set<std::size_t> turns;
    std::set<std::size_t> slides;
};

Bytes packed_rows(const Bytes& rows, std::size_t count, std::size_t stride) {
    Bytes packed(meshopt_encodeVertexBufferBound(count, stride));
    packed.resize(meshopt_encodeVertexBuffer(packed.data(), packed.size(), rows.data(), count, stride));
    return packed;
}

Bytes packed_corners(const Bytes& rows, std::size_t count, std::size_t width, bool as_triangles) {
    std::vector<unsigned int> corners(count);
    for (std::size_t i = 0; i < count; ++i) std::memcpy(&corners[i], rows.data() + i * width, width);
    const std::size_t vertices = *std::max_element(corners.begin(), corners.end()) + std::size_t{1};
    Bytes packed(as_triangles ? meshopt_encodeIndexBufferBound(count, vertices)
                              : meshopt_encodeIndexSequenceBound(count, vertices));
    packed.resize(as_triangles
                      ? meshopt_encodeIndexBuffer(packed.data(), packed.size(), corners.data(), count)
                      : meshopt_encodeIndexSequence(packed.data(), packed.size(), corners.data(), count));
    return packed;
}

// Rows of three as rows of four, the last of each zero.
std::vector<float> in_fours(const float* threes, std::size_t count) {
    std::vector<float> fours(4 * count, 0.0f);
    for (std::size_t i = 0; i < count; ++i) std::copy_n(threes + 3 * i, 3, fours.data() + 4 * i);
    return fours;
}

draco::DataType draco_type(const json& accessor) {
    const int type = accessor["componentType"];
    return type == 5121 ? draco::DT_UINT8 : type == 5123 ? draco::DT_UINT16 : draco::DT_FLOAT32;
}

// The attribute, as rows of the mesh that is to be compressed; returns its id.
int add_attribute(draco::Mesh& mesh, const std::string& name, const json& accessor, const Bytes& rows) {
    const auto kind = name == "POSITION" ? draco::GeometryAttribute::POSITION
                      : name == "NORMAL" ? draco::GeometryAttribute::NORMAL
                                         : draco::GeometryAttribute::GENERIC;
    const auto count = accessor["count"].get<std::uint32_t>();
    draco::GeometryAttribute attribute;
    attribute.Init(kind, nullptr, static_cast<std::int8_t>(columns_of(accessor)), draco_type(accessor), false,
                   static_cast<std::int64_t>(width_of(accessor)), 0);
    const int id = mesh.AddAttribute(attribute, true, count);
    for (std::uint32_t i = 0; i < count; ++i) {
        mesh.attribute(id)->SetAttributeValue(draco::AttributeValueIndex(i),
                                              rows.data() + i * width_of(accessor));
    }
    return id;
}

Bytes packed_surface(draco::Mesh& mesh, const std::vector<int>& numbers) {
    draco::ExpertEncoder encoder(mesh);
    for (const int id : numbers) encoder.SetAttributeQuantization(id, 16);
    draco::EncoderBuffer buffer;
    if (!encoder.EncodeToBuffer(&buffer).ok()) throw std::runtime_error("Draco could not encode the surface");
    return {buffer.data(), buffer.data() + buffer.size()};
}

}  // namespace

Glb read(const std::filesystem::path& path) {
    const Bytes bytes = dendraxis::io::read_bytes(path);
    const auto text = bytes.begin() + 20;
    const auto end = text + static_cast<std::ptrdiff_t>(word_at(bytes, 12));
    return {json::parse(text, end), {end + 8, bytes.end()}};
}

void write(const std::filesystem::path& path, const Glb& glb) {
    std::string text = glb.json.dump();
    text.resize((text.size() + 3) / 4 * 4, ' ');
    Bytes bytes;
    const auto word = [&](std::size_t value) {
        for (int shift = 0; shift < 32; shift += 8)
            bytes.push_back(static_cast<std::uint8_t>(value >> shift));
    };
    word(0x46546C67), word(2), word(28 + text.size() + glb.binary.size());
    word(text.size()), word(0x4E4F534A);
    bytes.insert(bytes.end(), text.begin(), text.end());
    word(glb.binary.size()), word(0x004E4942);
    bytes.insert(bytes.end(), glb.binary.begin(), glb.binary.end());
    dendraxis::io::write_files(std::vector<dendraxis::io::OutputFile>{{path, bytes}});
}

Glb with_packed_views(const Glb& glb) {
    Glb packed{glb.json, {}};
    const Uses uses(glb.json);
    std::size_t stood_in_for = 0;
    for (std::size_t a = 0; a < glb.json["accessors"].size(); ++a) {
        json& accessor = packed.json["accessors"][a];
        json& view = packed.json["bufferViews"][accessor["bufferView"].get<std::size_t>()];
        Bytes rows = bytes_of(glb, view);
        const auto* numbers = reinterpret_cast<const float*>(rows.data());
        const auto count = accessor["count"].get<std::size_t>();
        std::size_t stride = width_of(accessor);
        json extension{{"buffer", 0}, {"count", count}, {"mode", "ATTRIBUTES"}};
        if (uses.turns.contains(a)) {
            extension["filter"] = "QUATERNION";
            Bytes filtered(8 * count);
            meshopt_encodeFilterQuat(filtered.data(), count, 8, 16, numbers);
            rows = filtered, stride = 8, accessor["componentType"] = 5122, accessor["normalized"] = true;
        } else if (uses.normals.contains(a)) {
            extension["filter"] = "OCTAHEDRAL";
            Bytes filtered(8 * count);
            meshopt_encodeFilterOct(filtered.data(), count, 8, 16, in_fours(numbers, count).data());
            rows = filtered, stride = 8, accessor["componentType"] = 5122, accessor["normalized"] = true;
            view["byteStride"] = 8;
        } else if (uses.slides.contains(a)) {
            extension["filter"] = "EXPONENTIAL";
            Bytes filtered(rows.size());
            meshopt_encodeFilterExp(filtered.data(), count, stride, 24, numbers);
            rows = filtered;
        }
        const auto corner = std::find(uses.corners.begin(), uses.corners.end(), a);
        if (corner != uses.corners.end()) {
            const bool as_triangles = (corner - uses.corners.begin()) % 2 == 0;
            extension["mode"] = as_triangles ? "TRIANGLES" : "INDICES";
            rows = packed_corners(rows, count, stride, as_triangles);
        } else {
            rows = packed_rows(rows, count, stride);
        }
        extension["byteStride"] = stride;
        extension["byteOffset"] = append(packed.binary, rows);
        extension["byteLength"] = rows.size();
        view["buffer"] = 1;
        view["byteOffset"] = stood_in_for;
        view["byteLength"] = count * stride;
        view["extensions"][k_views] = extension;
        stood_in_for += (count * stride + 3) / 4 * 4;
    }
    packed.json["buffers"] = {
        {{"byteLength", packed.binary.size()}},
        {{"byteLength", stood_in_for}, {"extensions", {{k_views, {{"fallback", true}}}}}}};
    require(packed.json, k_views);
    return packed;
}

Glb with_packed_surfaces(const Glb& glb) {
    Glb packed = glb;
    const auto rows_of = [&](const json& accessor) {
        return bytes_of(glb, glb.json["bufferViews"][accessor["bufferView"].get<std::size_t>()]);
    };
    for (json& mesh : packed.json["meshes"]) {
        for (json& primitive : mesh["primitives"]) {
            draco::Mesh surface;
            std::vector<int> numbers;
            json ids;
            const json& corners = glb.json["accessors"][primitive["indices"].get<std::size_t>()];
            const Bytes rows = rows_of(corners);
            for (std::size_t i = 0; i < corners["count"].get<std::size_t>(); i += 3) {
                draco::Mesh::Face face;
                for (std::size_t k = 0; k < 3; ++k) {
                    std::uint32_t corner = 0;
                    std::memcpy(&corner, rows.data() + (i + k) * width_of(corners), width_of(corners));
                    face[k] = draco::PointIndex(corner);
                }
                surface.AddFace(face);
            }
            for (const auto& [name, index] : primitive["attributes"].items()) {
                json& accessor = packed.json["accessors"][index.get<std::size_t>()];
                surface.set_num_points(accessor["count"].get<std::uint32_t>());
                const int id = add_attribute(surface, name, accessor, rows_of(accessor));
                if (draco_type(accessor) == draco::DT_FLOAT32) numbers.push_back(id);
                ids[name] = surface.attribute(id)->unique_id();
                accessor.erase("bufferView");
            }
            packed.json["accessors"][primitive["indices"].get<std::size_t>()].erase("bufferView");
            const Bytes bytes = packed_surface(surface, numbers);
            const json view{
                {"buffer", 0}, {"byteOffset", append(packed.binary, bytes)}, {"byteLength", bytes.size()}};
            primitive["extensions"][k_surface] = {{"bufferView", packed.json["bufferViews"].size()},
                                                  {"attributes", ids}};
            packed.json["bufferViews"].push_back(view);
        }
    }
    packed.binary.resize((packed.binary.size() + 3) / 4 * 4);
    packed.json["buffers"][0]["byteLength"] = packed.binary.size();
    require(packed.json, k_surface);
    return packed;
}

}  // namespace packing
