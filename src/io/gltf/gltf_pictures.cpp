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
        const GltfView& view = file.data.views.at(image.value("bufferView", std::size_t{0}));
        const std::span<const std::uint8_t> buffer = file.data.buffers.at(view.buffer);
        if (view.offset > buffer.size() || view.length > buffer.size() - view.offset) return {};
        const auto bytes = buffer.subspan(view.offset, view.length);
        picture.bytes.assign(bytes.begin(), bytes.end());
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
