#include "commands.hpp"

#include <charconv>
#include <cmath>

namespace dendraxis::tool {

namespace {

// `X,Y,Z` and nothing else.
bool read_place(const char* at, const char* end, std::array<float, 3>& place) {
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const auto [next, problem] = std::from_chars(at, end, place[axis]);
        const bool last = axis == 2;
        if (problem != std::errc() || !std::isfinite(place[axis]) ||
            (last ? next != end : next == end || *next != ','))
            return false;
        at = last ? next : next + 1;
    }
    return true;
}

}  // namespace

NamedPlace named_place(const std::string& words, const std::string& option) {
    const std::size_t equals = words.rfind('=');
    NamedPlace result{words.substr(0, equals), {}};
    if (equals == std::string::npos || equals == 0 ||
        !read_place(words.data() + equals + 1, words.data() + words.size(), result.place))
        throw UsageError(option + " " + words + ": give a name and a place, as in arm.left=0.3,1.2,0.4");
    return result;
}

std::array<float, 3> plain_place(const std::string& words, const std::string& option) {
    std::array<float, 3> place{};
    if (!read_place(words.data(), words.data() + words.size(), place))
        throw UsageError(option + " " + words + ": give three numbers, as in 0.5,0,2");
    return place;
}

}  // namespace dendraxis::tool
