// "Did you mean": the name in a list that is closest to a misspelt one.
#pragma once

#include <span>
#include <string>
#include <string_view>

namespace dendraxis {

/// The entry of `names` with the fewest single-letter edits from `wanted` (letter case aside), or an empty
/// string where none is near: over half of the longer of the two would have to change.
/// Source: V. I. Levenshtein, "Binary codes capable of correcting deletions, insertions, and reversals",
/// Soviet Physics Doklady 10 (1966).
std::string nearest_name(std::string_view wanted, std::span<const std::string> names);

/// The advice for a name that is not there: "did you mean 'NEAREST'?", or `otherwise` where none is near.
std::string did_you_mean(std::string_view wanted, std::span<const std::string> names,
                         const std::string& otherwise);

}  // namespace dendraxis
