// What in a glTF document points to what.
#pragma once

#include "../json/json_document.hpp"

#include <functional>

namespace dendraxis::io {

/// Calls `visit(list, index)` for every index in the document that points into one of its top-level lists
/// (glTF 2.0, section 5, and the extensions that this program writes); `index` may be changed. Where `visit`
/// returns false the reference is taken out.
using VisitReference = std::function<bool(const std::string& list, Json& index)>;
void visit_references(Json& document, const VisitReference& visit);

}  // namespace dendraxis::io
