// Which version of the library this is. `find_package` compares the same number.
#pragma once

#include <string_view>

#define DENDRAXIS_VERSION_MAJOR 0
#define DENDRAXIS_VERSION_MINOR 1
#define DENDRAXIS_VERSION_PATCH 0

namespace dendraxis {

inline constexpr std::string_view k_version = "0.1.0";

}  // namespace dendraxis
