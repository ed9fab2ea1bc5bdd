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
        return read_image(file.path, uri);
    } else {
        const tinygltf::BufferView& view =
            file.model.bufferViews.at(image.value("bufferView", std::size_t{0}));
        const auto& buffer = file.model.buffers.at(static_cast<std::size_t>(view.buffer)).data;
        if (view.byteOffset > buffer.size() || view.byteLength > buffer.size() - view.byteOffset) return {};
        const auto first = buffer.begin() + static_cast<std::ptrdiff_t>(view.byteOffset);
        picture.bytes.assign(first, first + static_cast<std::ptrdiff_t>(view.byteLength));
        picture.mime_type = image.value("mimeType", "");
    }
    return picture;
}

}  // namespace

std::vector<Picture> pictures_of(const std::filesystem::path& path, std::span<const int> images) {
    std::vector<Picture> pictures(images.size());
    if (images.empty()) return pictures;
    GltfFile file;
    try {
        file = read_gltf_file(path);
    } catch (const Error&) {
        return pictures;
    }
    const Json list = Json::parse(file.json).value("images", Json::array());
    for (std::size_t i = 0; i < images.size(); ++i) {
        if (images[i] < 0 || static_cast<std::size_t>(images[i]) >= list.size()) continue;
        try {
            pictures[i] = picture_in(file, list[static_cast<std::size_t>(images[i])]);
        } catch (const std::exception&) {
            pictures[i] = {};  // what only colors a character keeps nothing from being shown
        }
    }
    return pictures;
}

}  // namespace dendraxis::io
