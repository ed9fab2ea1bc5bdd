// GLB files with their data compressed, by the encoders of Draco and meshoptimizer.
#pragma once

#include <nlohmann/json.hpp>

#include <cstdint>
#include <filesystem>
#include <vector>

namespace packing {

struct Glb {
    nlohmann::json json;
    std::vector<std::uint8_t> binary;
};

Glb read(const std::filesystem::path& path);
void write(const std::filesystem::path& path, const Glb& glb);

/// Every view compressed (EXT_meshopt_compression); turns, positions in clips and normals filtered, too.
Glb with_packed_views(const Glb& glb);

/// Every surface compressed (KHR_draco_mesh_compression): positions to 1/65,536 of its size.
Glb with_packed_surfaces(const Glb& glb);

}  // namespace packing
