// Whether two skeletons are the same, and where they are not.
#pragma once

#include <dendraxis/skeleton/skeleton.hpp>

#include <string>
#include <string_view>
#include <vector>

namespace dendraxis {

enum class Likeness {
    identical,   ///< same names, same hierarchy, same rest
    renamed,     ///< the same but for names
    compatible,  ///< every bone of one is in the other under the same parent; the rest may differ
    different,
};

/// One bone that is not the same in both.
struct BoneDifference {
    std::string bone;      ///< as `a` calls it, or `b` where only it has the bone
    std::string what;      ///< `missing` in b, `extra` in b, `renamed`, `parent`, `rest`
    std::string other;     ///< its name or parent in the other
    float metres = 0.0f;   ///< how far apart they stand, in model space
    float degrees = 0.0f;  ///< how far their local rests are turned against each other
};

struct Comparison {
    Likeness likeness = Likeness::different;
    std::vector<BoneDifference> differences;
    std::string advice;
};

/// Compares by name (as `match_by_name` does), and by build (`match_by_build`) where names say less. A rest
/// counts as other over 0.1 mm in model space or 0.05 degrees.
Comparison compare(const Skeleton& a, const Skeleton& b);

std::string_view to_string(Likeness likeness) noexcept;

}  // namespace dendraxis
