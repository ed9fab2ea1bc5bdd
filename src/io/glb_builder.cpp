#include "glb_builder.hpp"

#include <dendraxis/io/write_file.hpp>

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

std::vector<std::uint8_t> to_bytes(Glb& glb) {
    align(glb.binary, 0);
    if (!glb.binary.empty()) {
        Json& buffers = glb.json["buffers"];
        if (!buffers.is_array() || buffers.empty()) buffers = Json::array({Json::object()});
        buffers[0]["byteLength"] = glb.binary.size();
    }
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
    for (const auto& buffer : file.model.buffers) {
        align(glb.binary, 0);
        start.push_back(glb.binary.size());
        glb.binary.insert(glb.binary.end(), buffer.data.begin(), buffer.data.end());
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
        if (uri.empty() || uri.starts_with("data:")) continue;
        const auto bytes = read_bytes(std::filesystem::path(file.path).parent_path() / uri);
        image.erase("uri");
        image["mimeType"] = bytes.size() > 1 && bytes[0] == 0xFF ? "image/jpeg" : "image/png";
        image["bufferView"] = add_view(glb, bytes.data(), bytes.size());
    }
    return glb;
}

}  // namespace dendraxis::io
