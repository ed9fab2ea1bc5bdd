// glTF 2.0 and GLB, in and out.
// Source: Khronos Group, "glTF 2.0 Specification" (ISO/IEC 12113:2022).
#pragma once

#include <dendraxis/skeleton/character.hpp>

#include <cstdint>
#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace dendraxis::io {

struct LoadOptions {
    float fps = 0.0f;  ///< frames a second to sample clips at; 0: the rate that the file's own keys lie on
};

/// Whether a file's name ends in `ending` (`.bvh`), in capitals or not.
bool same_ending(const std::filesystem::path& file, const std::string& ending);

/// The name of the character in a file: the file's, without its ending.
std::string character_name(const std::filesystem::path& file);

/// Reads a character from a .glb or .gltf file, or a puppet from its parts file (io/puppet/puppet.hpp), or
/// bare bones and a clip from a .bvh file. Bones are: every joint of every skin; what stands between joints,
/// with the node that joins several trees of them; what hangs below them and shows nothing. Without a skin
/// the node tree is the skeleton. Bones do not depend on clips: what a clip moves above the first bone is
/// carried by that bone. Throws `Error` where the file is missing, damaged, or holds no bones. Not safe to
/// call on one file that another thread writes.
Character load_character(const std::filesystem::path& file, const LoadOptions& options = {});

/// Reads a character from a GLB or glTF document in memory, which must hold its buffers within it. `name`
/// becomes the character's name and stands in messages; `file` stays empty. Throws `Error` as for a file.
Character read_character(std::span<const std::uint8_t> glb, const std::string& name,
                         const LoadOptions& options = {});

/// The file `character.file` as it is, with `clips` (of `character.skeleton`) added as animations, as a GLB.
/// A clip takes the place of an animation of the same name. Buffers and images are brought into the GLB; all
/// else comes back as it was. Keys are reduced as `reduce_keys` says. `stamp` is kept in the file, for
/// `stamp_of`. Throws `Error`.
std::vector<std::uint8_t> glb_with_clips(const Character& character, std::span<const Clip> clips,
                                         const std::string& stamp = {});

/// The same for the document in memory that `character` was read from.
std::vector<std::uint8_t> glb_with_clips(std::span<const std::uint8_t> glb, const Character& character,
                                         std::span<const Clip> clips, const std::string& stamp = {});

/// The stamp that a GLB was written with; empty if there is no such file, no stamp in it, or if anything of
/// it has changed since.
std::string stamp_of(const std::filesystem::path& glb);

/// The files that a .gltf draws in (buffers, images) and that are there; none for any other file.
std::vector<std::filesystem::path> files_beside(const std::filesystem::path& gltf);

/// An image as a file holds it.
struct Picture {
    std::vector<std::uint8_t> bytes;
    std::string mime_type;  ///< `image/png`
};

/// The images of a .glb or .gltf file that these indices (`SkinnedMesh::picture`) name, in their order;
/// without bytes where there is no such image, or it cannot be read.
std::vector<Picture> pictures_of(const std::filesystem::path& file, std::span<const int> images);

/// The names that the clips of a file have, or would have if they move a bone. Throws `Error` as reading
/// does.
std::vector<std::string> clip_names(const std::filesystem::path& file);

/// A new GLB made from the object alone: bones, skin, plain colors, clips.
std::vector<std::uint8_t> new_glb(const Character& character);

}  // namespace dendraxis::io
