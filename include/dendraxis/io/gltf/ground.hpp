// Ground from a file.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ik/ground.hpp>

#include <filesystem>

namespace dendraxis::io {

/// A .glb or .gltf file with terrain, in the character's model space: in the character's unit
/// (`metres_in_unit`), its +Y along the character's up, and its origin on the floor (`Chart::floor`) below or
/// above the character's. Throws `Error` where the file is missing or damaged.
Character load_terrain(const std::filesystem::path& file, const Chart& chart);

/// All surfaces of such a file as ground. Throws `Error` as `load_terrain` does, and if nothing in it can be
/// stood on.
TriangleGround load_ground(const std::filesystem::path& file, const Chart& chart);

}  // namespace dendraxis::io
