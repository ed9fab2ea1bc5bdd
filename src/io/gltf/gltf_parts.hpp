// The parts of a character that are read from a parsed glTF file.
#pragma once

#include "gltf_file.hpp"

#include <dendraxis/skeleton/character.hpp>

namespace dendraxis::io {

/// Fills `skeleton` and `nodes`; adds findings.
void read_skeleton(const GltfFile& file, Character& character);

/// Fills `meshes`; the skeleton must be there.
void read_meshes(const GltfFile& file, Character& character);

/// Fills `clips`; the skeleton must be there. `fps` of 0: the rate found from the keys.
void read_clips(const GltfFile& file, float fps, Character& character);

/// The name of a file's clip: that of its animation, or `clip-N`.
std::string clip_name(const GltfAnimation& animation, std::size_t index);

/// Fills `declared` from the open VRM humanoid tables (VRMC_vrm 1.0, VRM 0.x); the skeleton must be there.
void read_declared_roles(const GltfFile& file, Character& character);

/// The local transform of a node.
Affine node_matrix(const tinygltf::Node& node);

/// From the frame of a node to that of one above it, at rest. The upper one may have no size.
Affine matrix_below(const GltfFile& file, int node, int above);

/// From the frame of a node to the file's world, at rest.
Affine world_matrix(const GltfFile& file, int node);

/// Whether `glb_with_props` has marked this node: it shows and moves, but is no bone.
bool is_a_prop(const tinygltf::Node& node);

/// The marked node that this one is or hangs below; -1 if there is none.
int prop_of(const GltfFile& file, int node);

/// Each node's bone, or `k_no_bone`.
std::vector<int> bones_of_nodes(const GltfFile& file, const Character& character);

}  // namespace dendraxis::io
