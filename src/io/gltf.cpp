#include <dendraxis/io/gltf.hpp>

#include "gltf_parts.hpp"

namespace dendraxis::io {

Character load_character(const std::filesystem::path& path, const LoadOptions& options) {
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

}  // namespace dendraxis::io
