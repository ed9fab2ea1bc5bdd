// A parsed and checked glTF file, for the readers and the writer of this layer.
#pragma once

#include <tiny_gltf.h>

#include <filesystem>
#include <string>
#include <vector>

namespace dendraxis::io {

/// What tinygltf made of the file, after our own checks: every index that the readers follow is in range, and
/// the nodes form trees.
struct GltfFile {
    std::string path;
    std::string json;  ///< the file's own JSON text
    tinygltf::Model model;
    std::vector<int> parents;  ///< of each node; -1 for none
};

GltfFile read_gltf_file(const std::filesystem::path& path);

/// All elements of an accessor as numbers, `components` an element: normalized integers scaled, sparse values
/// put in place. Throws `Error` where the type is another or the data lie outside their buffer.
std::vector<float> read_numbers(const GltfFile& file, int accessor, int components);

/// The same for indices and joints, unscaled.
std::vector<std::uint32_t> read_integers(const GltfFile& file, int accessor, int components);

/// `node 12 'hips'`
std::string node_label(const GltfFile& file, int node);

}  // namespace dendraxis::io
