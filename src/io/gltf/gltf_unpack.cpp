#include "gltf_unpack.hpp"

#include "gltf_checks.hpp"

#include <dendraxis/base/error.hpp>

#include <draco/compression/decode.h>
#include <fmt/format.h>
#include <meshoptimizer.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <map>
#include <memory>

namespace dendraxis::io {
namespace {

constexpr const char* k_packed_views = "EXT_meshopt_compression";
constexpr const char* k_packed_surface = "KHR_draco_mesh_compression";
constexpr int k_index_type = 5125;  // unsigned int
constexpr int k_float_type = 5126;
constexpr int k_vertex_target = 34962;
constexpr int k_index_target = 34963;
constexpr std::size_t k_most_swelling = 128;  // no encoding makes its data smaller by more

using Bytes = std::vector<std::uint8_t>;

// An extension of an entry; nothing if it has none.
const Json* extension_of(const Json& entry, const char* name) {
    const auto all = entry.find("extensions");
    if (all == entry.end() || !all->is_object()) return nullptr;
    const auto found = all->find(name);
    return found == all->end() ? nullptr : &*found;
}

void drop_extension(Json& entry, const char* name) {
    entry["extensions"].erase(name);
    if (entry["extensions"].empty()) entry.erase("extensions");
}

void drop_from_list(Json& document, const char* list, const char* name) {
    const auto found = document.find(list);
    if (found == document.end() || !found->is_array()) return;
    found->erase(std::remove(found->begin(), found->end(), Json(name)), found->end());
    if (found->empty()) document.erase(list);
}

std::size_t aligned(std::size_t size) {
    return (size + 3) / 4 * 4;
}

template <class Visit>
void each_primitive(auto& document, const Visit& visit) {
    if (!document.contains("meshes")) return;
    std::size_t at = 0;
    for (auto& mesh : document["meshes"]) {
        if (mesh.contains("primitives")) {
            for (auto& primitive : mesh["primitives"]) visit(primitive, fmt::format("/meshes/{}", at));
        }
        ++at;
    }
}

template <class Visit>
void each_view(auto& document, const Visit& visit) {
    if (!document.contains("bufferViews")) return;
    std::size_t at = 0;
    for (auto& view : document["bufferViews"]) {
        visit(view, at, fmt::format("/bufferViews/{}", at));
        ++at;
    }
}

class Unpacker {
 public:
    Unpacker(const std::string& path, Json& document, GltfData& data)
        : path_(path), document_(document), data_(data) {}

    void run() {
        each_view(document_, [&](Json& view, std::size_t, const std::string& where) {
            views_.push_back(packed_or_plain(view, where));
        });
        each_primitive(document_, [&](Json& primitive, const std::string& where) {
            if (extension_of(primitive, k_packed_surface) != nullptr) unpack_surface(primitive, where);
        });
        gather();
        for (const char* list : {"extensionsUsed", "extensionsRequired"}) {
            for (const char* name : {k_packed_views, k_packed_surface}) drop_from_list(document_, list, name);
        }
    }

 private:
    [[noreturn]] void fail(const std::string& what, const std::string& where) const {
        throw Error(path_, what, where, "export it again, uncompressed");
    }

    std::size_t whole(const Json& entry, const char* key, const std::string& where) const {
        const auto found = entry.find(key);
        const double number = found != entry.end() && found->is_number() ? found->get<double>() : -1.0;
        if (!(number >= 0.0 && number < 4294967296.0))
            fail(fmt::format("the compressed data's '{}' is no whole number", key), where);
        return static_cast<std::size_t>(number);
    }

    std::span<const std::uint8_t> part(std::size_t buffer, std::size_t offset, std::size_t length,
                                       const std::string& where) const {
        if (buffer >= data_.buffers.size()) fail("compressed data name a buffer that does not exist", where);
        const std::span<const std::uint8_t> all = data_.buffers[buffer];
        if (offset > all.size() || length > all.size() - offset)
            fail("a buffer view reaches outside its buffer", where);
        return all.subspan(offset, length);
    }

    std::size_t or_zero(const Json& entry, const char* key, const std::string& where) const {
        return entry.contains(key) ? whole(entry, key, where) : 0;
    }

    Bytes packed_or_plain(Json& view, const std::string& where) const {
        if (const Json* packed = extension_of(view, k_packed_views)) {
            Bytes bytes = unpack_view(*packed, where);
            drop_extension(view, k_packed_views);
            return bytes;
        }
        const std::span<const std::uint8_t> bytes =
            part(whole(view, "buffer", where), or_zero(view, "byteOffset", where),
                 whole(view, "byteLength", where), where);
        return {bytes.begin(), bytes.end()};
    }

    Bytes unpack_view(const Json& packed, const std::string& where) const {
        const std::size_t count = whole(packed, "count", where);
        const std::size_t stride = whole(packed, "byteStride", where);
        const std::span<const std::uint8_t> from =
            part(whole(packed, "buffer", where), or_zero(packed, "byteOffset", where),
                 whole(packed, "byteLength", where), where);
        const std::string mode = text(packed, "mode", "");
        const std::string filter = text(packed, "filter", "NONE");
        if (stride == 0 || stride > 256 || count > (from.size() + 32) * k_most_swelling / stride)
            fail("compressed data claim to be larger than they can be", where);
        const bool of_indices = mode == "TRIANGLES" || mode == "INDICES";
        const bool fits = mode == "ATTRIBUTES" ? stride % 4 == 0
                          : of_indices         ? stride == 2 || stride == 4
                                               : false;
        if (!fits || (mode == "TRIANGLES" && count % 3 != 0))
            fail("compressed data are of a kind that is not read", where);
        Bytes bytes(count * stride);
        const int failed =
            mode == "ATTRIBUTES"
                ? meshopt_decodeVertexBuffer(bytes.data(), count, stride, from.data(), from.size())
            : mode == "TRIANGLES"
                ? meshopt_decodeIndexBuffer(bytes.data(), count, stride, from.data(), from.size())
                : meshopt_decodeIndexSequence(bytes.data(), count, stride, from.data(), from.size());
        if (failed != 0) fail("compressed data are damaged, or of a newer version than is read", where);
        undo_filter(filter, bytes, count, stride, where);
        return bytes;
    }

    void undo_filter(const std::string& filter, Bytes& bytes, std::size_t count, std::size_t stride,
                     const std::string& where) const {
        if (filter == "OCTAHEDRAL" && (stride == 4 || stride == 8)) {
            meshopt_decodeFilterOct(bytes.data(), count, stride);
        } else if (filter == "QUATERNION" && stride == 8) {
            meshopt_decodeFilterQuat(bytes.data(), count, stride);
        } else if (filter == "EXPONENTIAL") {
            meshopt_decodeFilterExp(bytes.data(), count, stride);
        } else if (filter != "NONE") {
            fail("compressed data are filtered in a way that is not read", where);
        }
    }

    static std::string text(const Json& entry, const char* key, const std::string& otherwise) {
        const auto found = entry.find(key);
        return found != entry.end() && found->is_string() ? found->get<std::string>() : otherwise;
    }

    // Accessors whose data stand in the file plainly as well stay as they are.
    void unpack_surface(Json& primitive, const std::string& where) {
        const Json packed = *extension_of(primitive, k_packed_surface);
        drop_extension(primitive, k_packed_surface);
        if (!packed.is_object() || !packed.contains("attributes") || !packed["attributes"].is_object() ||
            !primitive.contains("attributes"))
            fail("a compressed surface has no list of attributes", where);
        const std::size_t view = whole(packed, "bufferView", where);
        if (view >= views_.size()) fail("a compressed surface names a view that does not exist", where);
        const draco::Mesh& mesh = surface_in(view, where);
        std::vector<std::size_t> weights;  // views
        for (const auto& item : packed["attributes"].items()) {
            const std::string& name = item.key();
            const auto accessor = primitive["attributes"].find(name);
            if (accessor == primitive["attributes"].end()) continue;
            const std::size_t id = whole(packed["attributes"], name.c_str(), where);
            const draco::PointAttribute* from = mesh.GetAttributeByUniqueId(static_cast<std::uint32_t>(id));
            if (from == nullptr) fail(fmt::format("a compressed surface lacks its '{}'", name), where);
            Json& entry = entry_of("accessors", *accessor);
            if (entry.contains("bufferView")) continue;
            write_attribute(mesh, *from, entry, where);
            if (name.starts_with("WEIGHTS_") && entry["componentType"] == k_float_type)
                weights.push_back(views_.size() - 1);
        }
        normalize_weights(weights, mesh.num_points());
        if (!primitive.contains("indices")) {
            primitive["indices"] = document_["accessors"].size();
            document_["accessors"].push_back({{"type", "SCALAR"}});
        }
        write_corners(mesh, entry_of("accessors", primitive["indices"]));
        primitive["mode"] = 4;  // triangles
    }

    Json& entry_of(const char* list, const Json& index) { return document_[list][index.get<std::size_t>()]; }

    const draco::Mesh& surface_in(std::size_t view, const std::string& where) {
        std::unique_ptr<draco::Mesh>& mesh = surfaces_[view];
        if (mesh) return *mesh;
        draco::DecoderBuffer buffer;
        buffer.Init(reinterpret_cast<const char*>(views_[view].data()), views_[view].size());
        draco::Decoder decoder;
        auto decoded = decoder.DecodeMeshFromBuffer(&buffer);
        if (!decoded.ok()) fail("a compressed surface is damaged, or of a newer version than is read", where);
        mesh = std::move(decoded).value();
        return *mesh;
    }

    void write_attribute(const draco::Mesh& mesh, const draco::PointAttribute& from, Json& accessor,
                         const std::string& where) {
        const int type = accessor["componentType"].get<int>();
        Bytes bytes = type == 5120   ? rows<std::int8_t>(mesh, from, accessor, where)
                      : type == 5121 ? rows<std::uint8_t>(mesh, from, accessor, where)
                      : type == 5122 ? rows<std::int16_t>(mesh, from, accessor, where)
                      : type == 5123 ? rows<std::uint16_t>(mesh, from, accessor, where)
                      : type == 5125 ? rows<std::uint32_t>(mesh, from, accessor, where)
                                     : rows<float>(mesh, from, accessor, where);
        const std::size_t stride = bytes.size() / std::max<std::size_t>(mesh.num_points(), 1);
        place(accessor, std::move(bytes), mesh.num_points(),
              {{"byteStride", stride}, {"target", k_vertex_target}});
    }

    // Compression leaves the weights of a vertex, in all sets together, a little off one.
    void normalize_weights(const std::vector<std::size_t>& weights, std::size_t points) {
        for (std::size_t i = 0; i < points; ++i) {
            const auto each = [&](const auto& visit) {
                for (const std::size_t set : weights) {
                    const std::size_t columns = views_[set].size() / points / sizeof(float);
                    for (std::size_t c = 0; c < columns; ++c) {
                        std::uint8_t* at = views_[set].data() + (i * columns + c) * sizeof(float);
                        float weight = 0.0f;
                        std::memcpy(&weight, at, sizeof(float));
                        weight = visit(weight);
                        std::memcpy(at, &weight, sizeof(float));
                    }
                }
            };
            float sum = 0.0f;
            each([&](float weight) { return sum += weight, weight; });
            if (sum > 0.0f) each([&](float weight) { return weight / sum; });
        }
    }

    // A row for each point, at steps of four bytes. The compression is not exact, so that the least and
    // greatest of each column are others than the file says.
    template <class Number>
    Bytes rows(const draco::Mesh& mesh, const draco::PointAttribute& from, Json& accessor,
               const std::string& where) const {
        const std::size_t columns = components_of(accessor["type"]);
        const std::size_t stride = aligned(columns * sizeof(Number));
        Bytes bytes(stride * mesh.num_points());
        std::array<Number, 16> row{};
        std::array<Number, 16> least{};
        std::array<Number, 16> greatest{};
        for (std::uint32_t i = 0; i < mesh.num_points(); ++i) {
            if (!from.ConvertValue<Number>(from.mapped_index(draco::PointIndex(i)),
                                           static_cast<std::int8_t>(columns), row.data()))
                fail("a compressed surface holds numbers of another type than it says", where);
            std::copy_n(reinterpret_cast<const std::uint8_t*>(row.data()), columns * sizeof(Number),
                        bytes.data() + i * stride);
            for (std::size_t c = 0; c < columns; ++c) {
                least[c] = i == 0 ? row[c] : std::min(least[c], row[c]);
                greatest[c] = i == 0 ? row[c] : std::max(greatest[c], row[c]);
            }
        }
        if (accessor.contains("min")) accessor["min"] = std::vector(least.begin(), least.begin() + columns);
        if (accessor.contains("max"))
            accessor["max"] = std::vector(greatest.begin(), greatest.begin() + columns);
        return bytes;
    }

    void write_corners(const draco::Mesh& mesh, Json& accessor) {
        if (accessor.contains("bufferView")) return;
        std::vector<std::uint32_t> corners;
        for (std::uint32_t i = 0; i < mesh.num_faces(); ++i) {
            for (const draco::PointIndex& corner : mesh.face(draco::FaceIndex(i)))
                corners.push_back(corner.value());
        }
        const auto* bytes = reinterpret_cast<const std::uint8_t*>(corners.data());
        accessor["componentType"] = k_index_type;
        place(accessor, {bytes, bytes + sizeof(std::uint32_t) * corners.size()}, corners.size(),
              {{"target", k_index_target}});
    }

    void place(Json& accessor, Bytes bytes, std::size_t count, Json view) {
        accessor["bufferView"] = views_.size();
        accessor["count"] = count;
        accessor.erase("byteOffset");
        view["buffer"] = 0;
        document_["bufferViews"].push_back(std::move(view));
        views_.push_back(std::move(bytes));
    }

    // The views in their order, each at a multiple of four bytes. What was a compressed surface is nothing
    // now.
    void gather() {
        Bytes& all = data_.others.emplace_back();
        each_view(document_, [&](Json& view, std::size_t at, const std::string&) {
            if (surfaces_.contains(at)) views_[at].assign(4, 0);  // a view has at least one byte
            all.resize(aligned(all.size()));
            view["buffer"] = 0;
            view["byteOffset"] = all.size();
            view["byteLength"] = views_[at].size();
            all.insert(all.end(), views_[at].begin(), views_[at].end());
            views_[at] = {};
        });
        document_["buffers"] = Json::array({{{"byteLength", all.size()}}});
        data_.buffers.assign(1, all);
    }

    const std::string& path_;
    Json& document_;
    GltfData& data_;
    std::vector<Bytes> views_;
    std::map<std::size_t, std::unique_ptr<draco::Mesh>> surfaces_;  // of the views that hold one
};

}  // namespace

bool is_packed(const Json& document) {
    bool packed = false;
    each_view(document, [&](const Json& view, std::size_t, const std::string&) {
        packed = packed || extension_of(view, k_packed_views) != nullptr;
    });
    each_primitive(document, [&](const Json& primitive, const std::string&) {
        packed = packed || extension_of(primitive, k_packed_surface) != nullptr;
    });
    return packed;
}

bool is_stand_in(const Json& buffer) {
    const Json* packed = extension_of(buffer, k_packed_views);
    return packed != nullptr && packed->is_object() && packed->value("fallback", Json()) == true;
}

void unpack(const std::string& path, Json& document, GltfData& data) {
    Unpacker(path, document, data).run();
}

}  // namespace dendraxis::io
