// Which version of the library this is. `find_package` compares the same number.
#pragma once

#include <string_view>

#define DENDRAXIS_VERSION "0.1.0"

namespace dendraxis {

inline constexpr std::string_view k_version = DENDRAXIS_VERSION;

}  // namespace dendraxis
