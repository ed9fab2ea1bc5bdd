#include "commands.hpp"

#include <charconv>
#include <cmath>

namespace dendraxis::tool {

NamedPlace named_place(const std::string& words, const std::string& option) {
    const auto wrong = [&] {
        return UsageError(option + " " + words + ": give a name and a place, as in arm.left=0.3,1.2,0.4");
    };
    const std::size_t equals = words.rfind('=');
    if (equals == std::string::npos || equals == 0) throw wrong();
    NamedPlace result{words.substr(0, equals), {}};
    const char* at = words.data() + equals + 1;
    const char* const end = words.data() + words.size();
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const auto [next, problem] = std::from_chars(at, end, result.place[axis]);
        const bool last = axis == 2;
        if (problem != std::errc() || !std::isfinite(result.place[axis]) ||
            (last ? next != end : next == end || *next != ','))
            throw wrong();
        at = last ? next : next + 1;
    }
    return result;
}

}  // namespace dendraxis::tool
