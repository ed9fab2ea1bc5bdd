// Puppets: flat characters made of pictures that hang on joints, described by a parts file
// (`NAME.puppet.json`, docs/formats.md, schemas/puppet.schema.json).
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <cstdint>
#include <filesystem>
#include <vector>

namespace dendraxis::io {

/// Whether a file's name ends in `.puppet.json`.
bool is_puppet(const std::filesystem::path& file);

/// The puppet as a GLB that any viewer plays: a joint a node, a quad with its picture a part, all in the XY
/// plane and seen from +Z. What lies nearer to the viewer stands before the rest by less than a hundredth of
/// the height. Every function that reads a character takes a puppet's file and sees this. Throws `Error`
/// with line and pointer where the file is not what it should be, or a picture is missing.
std::vector<std::uint8_t> puppet_glb(const std::filesystem::path& file);

/// The pictures that a puppet's file names and that are there.
std::vector<std::filesystem::path> puppet_pictures(const std::filesystem::path& file);

/// What the file says beyond its joints and pictures: where the puppet faces, and (if `with_limits`) how far
/// its joints turn. Remakes the chart's shape.
void apply_puppet(const std::filesystem::path& file, const Character& puppet, bool with_limits, Chart& chart);

}  // namespace dendraxis::io
