#include "glb_builder.hpp"

#include "../fingerprint.hpp"
#include "gltf_uris.hpp"

#include <dendraxis/base/error.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::io {

int push(Json& document, const char* list, Json item) {
    document[list].push_back(std::move(item));
    return static_cast<int>(document[list].size()) - 1;
}

void align(std::vector<std::uint8_t>& bytes, std::uint8_t filler) {
    while (bytes.size() % 4 != 0) bytes.push_back(filler);
}

int add_view(Glb& glb, const void* data, std::size_t size, int target) {
    align(glb.binary, 0);
    Json view{{"buffer", 0}, {"byteOffset", glb.binary.size()}, {"byteLength", size}};
    if (target != 0) view["target"] = target;
    const auto* bytes = static_cast<const std::uint8_t*>(data);
    glb.binary.insert(glb.binary.end(), bytes, bytes + size);
    return push(glb.json, "bufferViews", std::move(view));
}

namespace {

void complete(Glb& glb) {
    align(glb.binary, 0);
    if (glb.binary.empty()) return;
    Json& buffers = glb.json["buffers"];
    if (!buffers.is_array() || buffers.empty()) buffers = Json::array({Json::object()});
    buffers[0]["byteLength"] = glb.binary.size();
}

// The file without its stamp: a stamp holds only for the very bytes that it was put on.
std::string content_print(const Json& json, std::span<const std::uint8_t> binary) {
    Fingerprint print;
    print.add(json.dump());
    print.add(binary);
    return print.text();
}

std::size_t word_at(std::span<const std::uint8_t> bytes, std::size_t at) {
    std::size_t word = 0;
    for (std::size_t i = 0; i < 4; ++i) word |= static_cast<std::size_t>(bytes[at + i]) << (8 * i);
    return word;
}

const Json::json_pointer k_extras("/asset/extras");

}  // namespace

void put_stamp(Glb& glb, const std::string& stamp) {
    complete(glb);
    const std::string print = content_print(glb.json, glb.binary);
    glb.json["asset"]["extras"]["dendraxis"] = stamp + " " + print;
}

// The JSON chunk of a GLB starts 20 bytes in, its binary chunk behind that (glTF 2.0, section 4.4).
std::string read_stamp(std::span<const std::uint8_t> bytes) {
    if (bytes.size() < 20 || word_at(bytes, 8) != bytes.size()) return "";
    const std::size_t length = word_at(bytes, 12);
    if (length > bytes.size() - 20) return "";
    const auto text = bytes.subspan(20, length);
    Json json = Json::parse(text.begin(), text.end(), nullptr, false);
    if (json.is_discarded() || !json.contains(k_extras) || !json[k_extras].is_object()) return "";
    const Json stamp = json[k_extras].value("dendraxis", Json());
    if (!stamp.is_string()) return "";
    const std::string whole = stamp.get<std::string>();
    const std::size_t cut = whole.rfind(' ');
    if (cut == std::string::npos) return "";
    json[k_extras].erase("dendraxis");
    if (json[k_extras].empty()) json["asset"].erase("extras");
    const std::size_t start = 20 + length + 8;
    const auto binary = start < bytes.size() ? bytes.subspan(start) : std::span<const std::uint8_t>();
    return content_print(json, binary) == whole.substr(cut + 1) ? whole.substr(0, cut) : "";
}

std::vector<std::uint8_t> to_bytes(Glb& glb) {
    complete(glb);
    const std::string text = glb.json.dump();
    std::vector<std::uint8_t> json(text.begin(), text.end());
    align(json, ' ');
    std::vector<std::uint8_t> bytes;
    const auto word = [&bytes](std::size_t value) {
        for (int shift = 0; shift < 32; shift += 8)
            bytes.push_back(static_cast<std::uint8_t>(value >> shift));
    };
    const std::size_t binary_chunk = glb.binary.empty() ? 0 : 8 + glb.binary.size();
    word(0x46546C67);
    word(2);
    word(12 + 8 + json.size() + binary_chunk);
    word(json.size());
    word(0x4E4F534A);
    bytes.insert(bytes.end(), json.begin(), json.end());
    if (binary_chunk > 0) {
        word(glb.binary.size());
        word(0x004E4942);
        bytes.insert(bytes.end(), glb.binary.begin(), glb.binary.end());
    }
    return bytes;
}

Glb open_for_editing(const GltfFile& file) {
    Glb glb{Json::parse(file.json), {}};
    std::vector<std::size_t> start;
    for (const std::span<const std::uint8_t> buffer : file.data.buffers) {
        align(glb.binary, 0);
        start.push_back(glb.binary.size());
        glb.binary.insert(glb.binary.end(), buffer.begin(), buffer.end());
    }
    if (!start.empty()) {
        Json& buffers = glb.json["buffers"];
        Json first = buffers[0];
        first.erase("uri");
        buffers = Json::array({first});
        for (Json& view : glb.json["bufferViews"]) {
            const auto old = view["buffer"].get<std::size_t>();
            if (start.at(old) > 0) view["byteOffset"] = view.value("byteOffset", std::size_t{0}) + start[old];
            view["buffer"] = 0;
        }
    }
    if (!glb.json.contains("images")) return glb;
    for (Json& image : glb.json["images"]) {
        const std::string uri = image.value("uri", "");
        if (uri.empty() || is_data_uri(uri)) continue;
        if (file.in_memory) refuse_files_beside(file.path, uri);
        const Picture picture = read_image(file.path, uri);
        image.erase("uri");
        image["mimeType"] = picture.mime_type;
        image["bufferView"] = add_view(glb, picture.bytes.data(), picture.bytes.size());
    }
    return glb;
}

void require_finite(std::span<const float> numbers) {
    if (std::all_of(numbers.begin(), numbers.end(), [](float number) { return std::isfinite(number); }))
        return;
    throw Error(ErrorCode::invalid, "the result", "holds numbers beyond all bounds, and is not written", "",
                "look for bones of an extreme scale or far away: `dendraxis survey`");
}

Json list_of(const Vec3& vector) {
    require_finite({vector.data(), 3});
    return {vector.x(), vector.y(), vector.z()};
}

Json list_of(const Quat& rotation) {
    require_finite({rotation.coeffs().data(), 4});
    return {rotation.x(), rotation.y(), rotation.z(), rotation.w()};
}

}  // namespace dendraxis::io
