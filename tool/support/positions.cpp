#include "positions.hpp"

#include "command_line.hpp"

#include <charconv>
#include <cmath>

namespace dendraxis::tool {

namespace {

// `X,Y,Z` and nothing else.
bool read_position(const char* at, const char* end, std::array<float, 3>& position) {
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const auto [next, problem] = std::from_chars(at, end, position[axis]);
        const bool last = axis == 2;
        if (problem != std::errc() || !std::isfinite(position[axis]) ||
            (last ? next != end : next == end || *next != ','))
            return false;
        at = last ? next : next + 1;
    }
    return true;
}

}  // namespace

NamedPosition named_position(const std::string& words, const std::string& option) {
    const std::size_t equals = words.rfind('=');
    NamedPosition result{words.substr(0, equals), {}};
    if (equals == std::string::npos || equals == 0 ||
        !read_position(words.data() + equals + 1, words.data() + words.size(), result.position))
        throw UsageError(option + " " + words + ": give a name and a position, as in arm.left=0.3,1.2,0.4");
    return result;
}

std::array<float, 3> plain_position(const std::string& words, const std::string& option) {
    std::array<float, 3> position{};
    if (!read_position(words.data(), words.data() + words.size(), position))
        throw UsageError(option + " " + words + ": give three numbers, as in 0.5,0,2");
    return position;
}

}  // namespace dendraxis::tool
