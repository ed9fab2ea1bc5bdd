#include "texture.hpp"

#include <dendraxis/io/gltf/gltf.hpp>

#include <cairo.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <memory>

namespace dendraxis::draw {
namespace {

constexpr int k_largest = 8192;  // pixels

// What cairo reads from, bit by bit.
struct Source {
    const std::vector<std::uint8_t>& bytes;
    std::size_t at = 0;
};

cairo_status_t read_some(void* from, unsigned char* data, unsigned int size) {
    auto* source = static_cast<Source*>(from);
    if (size > source->bytes.size() - source->at) return CAIRO_STATUS_READ_ERROR;
    std::memcpy(data, source->bytes.data() + source->at, size);
    source->at += size;
    return CAIRO_STATUS_SUCCESS;
}

Texture decoded(const io::Picture& picture) {
    Texture texture;
    if (picture.mime_type != "image/png") return texture;
    Source source{picture.bytes};
    const std::unique_ptr<cairo_surface_t, void (*)(cairo_surface_t*)> read(
        cairo_image_surface_create_from_png_stream(read_some, &source), cairo_surface_destroy);
    if (cairo_surface_status(read.get()) != CAIRO_STATUS_SUCCESS) return texture;
    const int width = cairo_image_surface_get_width(read.get());
    const int height = cairo_image_surface_get_height(read.get());
    if (width < 1 || height < 1 || width > k_largest || height > k_largest) return texture;
    // Whatever the file's format is, painted over it is ARGB.
    texture.pixels.resize(static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
    const std::unique_ptr<cairo_surface_t, void (*)(cairo_surface_t*)> own(
        cairo_image_surface_create_for_data(reinterpret_cast<unsigned char*>(texture.pixels.data()),
                                            CAIRO_FORMAT_ARGB32, width, height, 4 * width),
        cairo_surface_destroy);
    const std::unique_ptr<cairo_t, void (*)(cairo_t*)> cairo(cairo_create(own.get()), cairo_destroy);
    cairo_set_source_surface(cairo.get(), read.get(), 0, 0);
    cairo_paint(cairo.get());
    cairo_surface_flush(own.get());
    texture.width = width;
    texture.height = height;
    return texture;
}

}  // namespace

Texture::Texel Texture::at(const Eigen::Vector2f& point) const {
    const auto cell = [](float share, int count) {
        const float inside = std::isfinite(share) ? share - std::floor(share) : 0.0f;
        return std::min(static_cast<int>(inside * static_cast<float>(count)), count - 1);
    };
    const auto row = static_cast<std::size_t>(cell(point.y(), height));
    const std::uint32_t pixel =
        pixels[row * static_cast<std::size_t>(width) + static_cast<std::size_t>(cell(point.x(), width))];
    const auto byte = [&](int shift) { return static_cast<float>((pixel >> shift) & 0xffu) / 255.0f; };
    const float alpha = byte(24);
    const float full = std::max(alpha, 1e-3f);
    return {{byte(16) / full, byte(8) / full, byte(0) / full}, alpha};
}

void Textures::add(const Character& character) {
    if (character.file.empty() || files_.contains(character.file)) return;
    std::vector<int> images;
    for (const SkinnedMesh& mesh : character.meshes) {
        if (mesh.picture >= 0 && std::find(images.begin(), images.end(), mesh.picture) == images.end())
            images.push_back(mesh.picture);
    }
    auto& textures = files_[character.file];
    const std::vector<io::Picture> pictures = io::pictures_of(character.file, images);
    for (std::size_t i = 0; i < images.size(); ++i) textures[images[i]] = decoded(pictures[i]);
}

const Texture* Textures::of(const Character& character, const SkinnedMesh& mesh) const {
    const auto file = files_.find(character.file);
    if (file == files_.end() || mesh.picture_points.size() != mesh.positions.size()) return nullptr;
    const auto found = file->second.find(mesh.picture);
    return found == file->second.end() || found->second.pixels.empty() ? nullptr : &found->second;
}

}  // namespace dendraxis::draw
