// What the commands print with --json is made of.
#pragma once

#include <io/json/json_text.hpp>

namespace dendraxis::tool {

using io::bone_json;
using io::Json;
using io::json_of;
using io::rounded;

/// Prints a document to standard output.
void print_json(const Json& document);

}  // namespace dendraxis::tool
