#include "gltf_uris.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/puppet/puppet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <algorithm>
#include <array>
#include <charconv>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;

// RFC 3986, section 2.1.
std::string percent_decoded(const std::string& uri) {
    std::string text;
    for (std::size_t i = 0; i < uri.size(); ++i) {
        unsigned int value = 0;
        const char* digits = uri.data() + i + 1;
        if (uri[i] == '%' && i + 2 < uri.size() &&
            std::from_chars(digits, digits + 2, value, 16).ptr == digits + 2) {
            text += static_cast<char>(value);
            i += 2;
        } else {
            text += uri[i];
        }
    }
    return text;
}

// Relative to the document, an ordinary file.
fs::path ordinary_file(const fs::path& gltf, const std::string& uri) {
    const fs::path named = percent_decoded(uri);
    const bool has_scheme = named.string().find(':') != std::string::npos;
    if (named.is_absolute() || has_scheme || named.empty())
        throw Error(gltf.string(), "names a file by more than a relative path", "'" + uri + "'",
                    "export it with its files beside it");
    fs::path file = gltf.parent_path() / named;
    std::error_code problem;
    const fs::file_status status = fs::status(file, problem);
    if (!fs::exists(status))
        throw Error(ErrorCode::cannot_read, gltf.string(), "names a file that is not there", "'" + uri + "'",
                    "put the file where it is named, or export it again");
    if (!fs::is_regular_file(status))
        throw Error(gltf.string(), "names what is no ordinary file", "'" + uri + "'", "export it again");
    return file;
}

bool starts_with(const std::vector<std::uint8_t>& bytes, std::string_view magic, std::size_t at = 0) {
    return bytes.size() >= at + magic.size() &&
           std::equal(magic.begin(), magic.end(), bytes.begin() + static_cast<std::ptrdiff_t>(at),
                      [](char a, std::uint8_t b) { return static_cast<std::uint8_t>(a) == b; });
}

const char* mime_type_of(const std::vector<std::uint8_t>& bytes) {
    if (starts_with(bytes, "\x89PNG")) return "image/png";
    if (starts_with(bytes, "\xFF\xD8\xFF")) return "image/jpeg";
    if (starts_with(bytes, "RIFF") && starts_with(bytes, "WEBP", 8)) return "image/webp";
    if (starts_with(bytes, "\xABKTX 20\xBB")) return "image/ktx2";
    return "";
}

}  // namespace

bool is_data_uri(const std::string& uri) {
    return uri.starts_with("data:");
}

void refuse_files_beside(const std::string& name, const std::string& uri) {
    throw Error(name, "a document in memory names a file beside it", uri, "embed it: export as GLB");
}

fs::path buffer_file(const fs::path& gltf, const std::string& uri) {
    const fs::path named = percent_decoded(uri);
    if (std::find(named.begin(), named.end(), "..") != named.end())
        throw Error(gltf.string(), "names a buffer outside of its folder", "'" + uri + "'",
                    "export it with its files beside it");
    return ordinary_file(gltf, uri);
}

Picture read_image(const fs::path& gltf, const std::string& uri) {
    Picture image{read_bytes(ordinary_file(gltf, uri)), ""};
    image.mime_type = mime_type_of(image.bytes);
    if (image.mime_type.empty())
        throw Error(gltf.string(), "names an image that is no PNG, JPEG, WebP or KTX2", "'" + uri + "'",
                    "export it again");
    return image;
}

std::vector<fs::path> files_beside(const fs::path& gltf) {
    if (is_puppet(gltf)) return puppet_pictures(gltf);
    std::vector<fs::path> files;
    if (!same_ending(gltf, ".gltf")) return files;
    const Json document = Json::parse(read_text(gltf), nullptr, false);
    if (!document.is_object()) return files;
    for (const char* list : {"buffers", "images"}) {
        for (const Json& item : document.value(list, Json::array())) {
            const Json uri = item.is_object() ? item.value("uri", Json()) : Json();
            if (!uri.is_string() || is_data_uri(uri.get<std::string>())) continue;
            const fs::path file = gltf.parent_path() / percent_decoded(uri.get<std::string>());
            if (fs::is_regular_file(file)) files.push_back(file);
        }
    }
    return files;
}

}  // namespace dendraxis::io
