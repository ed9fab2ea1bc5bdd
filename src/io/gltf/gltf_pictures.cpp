#include "gltf_file.hpp"
#include "gltf_uris.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>

namespace dendraxis::io {
namespace {

Picture picture_in(const GltfFile& file, const Json& image) {
    Picture picture;
    if (const std::string uri = image.value("uri", ""); is_data_uri(uri)) {
        tinygltf::DecodeDataURI(&picture.bytes, picture.mime_type, uri, 0, false);
    } else if (!uri.empty()) {
        ImageFile beside = read_image(file.path, uri);
        picture = {std::move(beside.bytes), beside.mime_type};
    } else {
        const auto view = image.value("bufferView", std::size_t{0});
        const tinygltf::BufferView& bytes = file.model.bufferViews.at(view);
        const auto& buffer = file.model.buffers.at(static_cast<std::size_t>(bytes.buffer)).data;
        if (bytes.byteOffset > buffer.size() || bytes.byteLength > buffer.size() - bytes.byteOffset)
            return {};
        const auto first = buffer.begin() + static_cast<std::ptrdiff_t>(bytes.byteOffset);
        picture.bytes.assign(first, first + static_cast<std::ptrdiff_t>(bytes.byteLength));
        picture.mime_type = image.value("mimeType", "");
    }
    return picture;
}

}  // namespace

Picture picture_of(const std::filesystem::path& path, int image) {
    if (image < 0) return {};
    try {
        const GltfFile file = read_gltf_file(path);
        const Json images = Json::parse(file.json).value("images", Json::array());
        if (static_cast<std::size_t>(image) >= images.size()) return {};
        return picture_in(file, images[static_cast<std::size_t>(image)]);
    } catch (const std::exception&) {
        return {};
    }
}

}  // namespace dendraxis::io
