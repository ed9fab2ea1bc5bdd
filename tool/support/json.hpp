// What the commands print with --json is made of.
#pragma once

#include <io/json/json_text.hpp>

#include <dendraxis/review/measure.hpp>

#include <span>

namespace dendraxis::tool {

using io::bone_json;
using io::Json;
using io::json_of;
using io::rounded;

/// Measures by their names, each with its value and where it is worst.
Json measures_json(std::span<const Measure> measures);

/// Prints a document to standard output.
void print_json(const Json& document);

}  // namespace dendraxis::tool
