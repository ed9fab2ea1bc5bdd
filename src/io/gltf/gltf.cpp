#include <dendraxis/io/gltf/gltf.hpp>

#include "gltf_parts.hpp"

#include <dendraxis/io/bvh/bvh.hpp>

#include <algorithm>
#include <cctype>
#include <string>

namespace dendraxis::io {

bool same_ending(const std::filesystem::path& file, const std::string& ending) {
    const std::string own = file.extension().string();
    return std::equal(own.begin(), own.end(), ending.begin(), ending.end(),
                      [](char a, char b) { return std::tolower(static_cast<unsigned char>(a)) == b; });
}

Character load_character(const std::filesystem::path& path, const LoadOptions& options) {
    if (same_ending(path, ".bvh")) {
        Character character = read_bvh(path);
        if (options.fps > 0.0f) {
            for (Clip& clip : character.clips) clip = resampled(clip, options.fps);
        }
        return character;
    }
    const GltfFile file = read_gltf_file(path);
    Character character;
    character.name = path.stem().string();
    character.file = path.string();
    read_skeleton(file, character);
    read_meshes(file, character);
    read_clips(file, options.fps, character);
    read_declared_roles(file, character);
    return character;
}

std::vector<std::string> clip_names(const std::filesystem::path& file) {
    if (same_ending(file, ".bvh")) return {file.stem().string()};
    std::vector<std::string> names;
    for (const auto& animation : read_gltf_file(file).model.animations)
        names.push_back(clip_name(animation, names.size()));
    return names;
}

}  // namespace dendraxis::io
