// A JSON file that was checked against its schema, and that knows where in the text each of its parts stands.
#pragma once

#include <dendraxis/base/error.hpp>

#include <nlohmann/json.hpp>

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

namespace dendraxis::io {

using Json = nlohmann::ordered_json;

struct JsonDocument {
    std::string file;
    std::string text;
    Json json;

    /// Throws `Error` with the JSON pointer and the line.
    [[noreturn]] void fail(const std::string& problem, const std::string& pointer,
                           const std::string& advice = {}, ErrorCode code = ErrorCode::invalid) const;
};

enum class Schema { rig, pairing, prop, cast, puppet };

/// Reads, parses and checks a file. Throws `Error` with line and pointer where it is not what it should be.
JsonDocument open_document(const std::filesystem::path& path, Schema schema);

/// The same for a text; `name` stands in messages.
JsonDocument parse_document(const std::string& name, std::string text, Schema schema);

/// Parsers, and what walks a document, go as deep as its lists and objects are nested; a member is looked for
/// among all of its object.
inline constexpr std::size_t k_most_nested = 200;
inline constexpr std::size_t k_most_members = 20'000;

/// What in a JSON text is beyond these limits; empty if nothing is.
std::string beyond_limits(std::string_view text);

/// Keys of the top level that the schema does not know.
std::vector<std::string> unknown_keys(const JsonDocument& document, Schema schema);

/// The line, from 1, on which the value at a JSON pointer starts in a valid JSON text.
int line_of(const std::string& text, const std::string& pointer);

}  // namespace dendraxis::io
