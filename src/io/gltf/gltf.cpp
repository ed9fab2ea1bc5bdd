#include <dendraxis/io/gltf/gltf.hpp>

#include "gltf_parts.hpp"

#include <dendraxis/io/bvh/bvh.hpp>
#include <dendraxis/io/puppet/puppet.hpp>

#include <algorithm>
#include <cctype>
#include <string>

namespace dendraxis::io {
namespace {

Character character_of(const GltfFile& file, const LoadOptions& options) {
    Character character;
    read_skeleton(file, character);
    read_meshes(file, character);
    read_clips(file, options.fps, character);
    read_declared_roles(file, character);
    return character;
}

}  // namespace

bool same_ending(const std::filesystem::path& file, const std::string& ending) {
    const std::string own = file.extension().string();
    return std::equal(own.begin(), own.end(), ending.begin(), ending.end(),
                      [](char a, char b) { return std::tolower(static_cast<unsigned char>(a)) == b; });
}

std::string character_name(const std::filesystem::path& file) {
    return (is_puppet(file) ? file.stem() : file).stem().string();
}

Character load_character(const std::filesystem::path& path, const LoadOptions& options) {
    if (same_ending(path, ".bvh")) {
        Character character = read_bvh(path);
        if (options.fps > 0.0f) {
            for (Clip& clip : character.clips) clip = resampled(clip, options.fps);
        }
        return character;
    }
    Character character = character_of(read_gltf_file(path), options);
    character.name = character_name(path);
    character.file = path.string();
    return character;
}

Character read_character(std::span<const std::uint8_t> glb, const std::string& name,
                         const LoadOptions& options) {
    Character character = character_of(read_gltf_bytes({glb.begin(), glb.end()}, name), options);
    character.name = name;
    return character;
}

std::vector<std::string> clip_names(const std::filesystem::path& file) {
    if (same_ending(file, ".bvh")) return {file.stem().string()};
    std::vector<std::string> names;
    for (const auto& animation : read_gltf_file(file).data.animations)
        names.push_back(clip_name(animation, names.size()));
    return names;
}

}  // namespace dendraxis::io
