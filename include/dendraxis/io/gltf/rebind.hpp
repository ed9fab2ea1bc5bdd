// A new surface on an existing skeleton, without retargeting.
#pragma once

#include <dendraxis/skeleton/character.hpp>

#include <cstdint>
#include <vector>

namespace dendraxis::io {

struct Rebound {
    std::vector<std::uint8_t> glb;
    Findings findings;  ///< each bone of the visual that found no match, and which bone has its vertices now
    std::size_t matched = 0;
    std::size_t bones = 0;  ///< of the visual's skins
};

/// Puts the skinned meshes of `visual` (with materials, textures and images) on the bones of `onto`, whose
/// own meshes no longer show; all else of `onto`, clips too, stays as it is. Both must have been read from
/// files. Bones are matched by name, tolerating stray prefixes and suffixes, else by place, else by the role
/// that their charts give them; what is left goes to the nearest matched bone above. Where both rest alike
/// the surface keeps its place whatever the bones' axes and units; where they do not, it follows the bones to
/// their new rest. Throws `Error` where `visual` has no skinned mesh or no bone matches.
Rebound rebind(const Character& visual, const Character& onto);

}  // namespace dendraxis::io
