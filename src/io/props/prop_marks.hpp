// How mounted props are known again in a file.
#pragma once

#include "../json/json_document.hpp"

namespace dendraxis::io {

/// Under a node's `extras`.
inline constexpr const char* k_prop_mark = "dendraxis";

/// What a node's mark says (`prop`, `socket`, `volumes`, `extensions`); null where it is no prop's.
const Json* mark_of(const Json& node);

}  // namespace dendraxis::io
