// Data and surfaces that a glTF file holds compressed, made plain when it is read.
// Sources: Khronos Group, the glTF 2.0 extensions KHR_draco_mesh_compression (decoded by Draco) and
// EXT_meshopt_compression (decoded by meshoptimizer).
#pragma once

#include "../json/json_document.hpp"
#include "gltf_data.hpp"

#include <string>

namespace dendraxis::io {

/// Whether any part of the document is compressed. `check_document` has passed it.
bool is_packed(const Json& document);

/// Whether a buffer holds nothing: it stands for bytes that are compressed in another.
bool is_stand_in(const Json& buffer);

/// Makes document and buffers those of the same file without compression: one buffer, plain views, neither
/// extension. The buffers are there. Throws `Error` if compressed data are damaged or of a newer kind.
void unpack(const std::string& path, Json& document, GltfData& data);

}  // namespace dendraxis::io
