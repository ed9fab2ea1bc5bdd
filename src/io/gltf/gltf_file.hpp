// A parsed and checked glTF file, for the readers and the writer of this layer.
#pragma once

#include "gltf_data.hpp"

#include <tiny_gltf.h>

#include <filesystem>
#include <string>
#include <vector>

namespace dendraxis::io {

/// What tinygltf made of the file but its data and animations, and our own records of these, after our own
/// checks: every index that the readers follow is in range, and the nodes form trees.
struct GltfFile {
    std::string path;  ///< or, in memory, the name that stands in messages
    bool in_memory = false;
    std::string json;       ///< the file's own JSON text
    tinygltf::Model model;  ///< without accessors, animations and images
    GltfData data;
    std::vector<int> parents;  ///< of each node; -1 for none
};

GltfFile read_gltf_file(const std::filesystem::path& path);

/// The same for a document in memory. It must hold its buffers within it; `name` stands in messages.
GltfFile read_gltf_bytes(std::vector<std::uint8_t> bytes, const std::string& name);

/// All elements of an accessor as numbers, `components` an element: normalized integers scaled, sparse values
/// put in place. Throws `Error` where the type is another or the data lie outside their buffer.
std::vector<float> read_numbers(const GltfFile& file, int accessor, int components);

/// The same for indices and joints, unscaled.
std::vector<std::uint32_t> read_integers(const GltfFile& file, int accessor, int components);

/// `node 12 'hips'`
std::string node_label(const GltfFile& file, int node);

}  // namespace dendraxis::io
