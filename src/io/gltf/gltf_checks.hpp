// What a glTF document's JSON must hold before anything follows it.
// Source: Khronos Group, "glTF 2.0 Specification" (ISO/IEC 12113:2022), section 5.
#pragma once

#include "../json/json_document.hpp"

#include <string>

namespace dendraxis::io {

inline constexpr const char* k_export_again = "export it again";
inline constexpr double k_largest = 1e12;  ///< of what is read as numbers

/// Throws `Error`, with the place in the document, where the version is another, an extension is required
/// that is not read, a list is none, an index is no whole number or beyond its list, a number is too large,
/// or a word is none that the standard has there. `path` stands in messages.
void check_document(const std::string& path, const Json& document);

}  // namespace dendraxis::io
