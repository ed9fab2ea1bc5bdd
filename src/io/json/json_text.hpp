// How values stand in the JSON that is written.
#pragma once

#include "json_document.hpp"

#include <dendraxis/base/finding.hpp>
#include <dendraxis/skeleton/skeleton.hpp>

namespace dendraxis::io {

/// Six digits are more than a file's floats hold at a character's size, and they read well.
double rounded(float value);

Json json_of(const Vec3& vector);
Json json_of(const Finding& finding);
Json json_of(const Findings& findings);
Json bone_json(const Skeleton& skeleton, int bone);

/// Indented by two. What holds only plain values stands on one line (objects where they are short and in a
/// list), so that a chain's bones and a pair of chains are a line each to read, edit and compare.
std::string text_of(const Json& document);

/// The bone that a value of a document names. Throws `Error`, naming the nearest, where there is none.
int bone_named(const JsonDocument& document, const Skeleton& skeleton, const Json& value,
               const std::string& pointer);

/// Three numbers of a checked document.
Vec3 vector_of(const Json& value);

/// A turn of a checked document: a rotation vector in degrees.
Quat turn_of(const Json& value);

}  // namespace dendraxis::io
