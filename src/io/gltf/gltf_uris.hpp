// Files that a glTF document names beside itself (glTF 2.0, sections 3.6.1.1 and 3.8; RFC 3986).
#pragma once

#include "../json/json_document.hpp"

#include <dendraxis/io/gltf/gltf.hpp>

#include <filesystem>
#include <string>
#include <vector>

namespace dendraxis::io {

/// Whether the bytes stand in the document itself.
bool is_data_uri(const std::string& uri);

/// Throws `Error`: a document in memory has no folder in which the file at `uri` could lie.
[[noreturn]] void refuse_files_beside(const std::string& name, const std::string& uri);

/// The buffer that a `uri` of the document at `gltf` names. Throws `Error` unless it is an ordinary file in
/// the document's folder or below it: nothing else is read on a document's word.
std::filesystem::path buffer_file(const std::filesystem::path& gltf, const std::string& uri);

/// The bytes of an image that a `uri` names; it may also lie in a folder beside the document's. Throws
/// `Error` unless it is an ordinary file that holds a picture (PNG, JPEG, WebP, KTX2).
Picture read_image(const std::filesystem::path& gltf, const std::string& uri);

}  // namespace dendraxis::io
