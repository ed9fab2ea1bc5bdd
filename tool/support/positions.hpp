// Positions as words: X,Y,Z.
#pragma once

#include <array>
#include <string>

namespace dendraxis::tool {

/// `NAME=X,Y,Z`: metres to the character's left, up, forward.
struct NamedPosition {
    std::string name;
    std::array<float, 3> position{};
};

/// Takes `NAME=X,Y,Z` apart. Throws `UsageError`.
NamedPosition named_position(const std::string& words, const std::string& option);
/// The same without a name.
std::array<float, 3> plain_position(const std::string& words, const std::string& option);

}  // namespace dendraxis::tool
