// Ground from a file.
#pragma once

#include <dendraxis/ik/ground.hpp>

#include <filesystem>

namespace dendraxis::io {

/// All surfaces of a .glb or .gltf file, as they stand at rest, as ground. Throws `Error` where the file is
/// missing or damaged or nothing in it can be stood on.
TriangleGround load_ground(const std::filesystem::path& file, const Vec3& up = Vec3::UnitY());

}  // namespace dendraxis::io
