// Files of motion, and whose motion they hold.
#pragma once

#include <dendraxis/skeleton/skeleton.hpp>

#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace dendraxis::pipeline::detail {

/// Files as given, folders as the .glb, .gltf and .bvh files in them, in the order of their names. Throws
/// `Error` if a folder has none.
std::vector<std::filesystem::path> motion_files(std::span<const std::filesystem::path> given);

/// Whether two skeletons have the same bones by name and parent.
bool same_bones(const Skeleton& a, const Skeleton& b);

/// The name of a GLB for a clip or a member: characters that file systems reserve become `_`, and a very long
/// name is cut and gets a number that tells it from others.
std::string file_name(std::string name);

}  // namespace dendraxis::pipeline::detail
