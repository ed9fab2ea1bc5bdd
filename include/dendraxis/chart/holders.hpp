// What a bone hangs on in the body where the file's hierarchy does not say.
#pragma once

#include <dendraxis/chart/chart.hpp>

namespace dendraxis {

/// Of each bone the one that it hangs on in the body, if that does not stand above it in the file: a hand
/// below its goal, a chest or head that is a root of its own, all bones below one control. What carries a
/// chain, and not the hips, has its holder in the chain's place. No bone for all that the file's own
/// hierarchy carries, and for targets. By the bone's chain, else by its chain's role, else by what is nearest
/// at rest.
std::vector<int> body_holders(const Chart& chart);

/// All bones, each after its parent in the file and after its holder, as far as these do not hang on it.
std::vector<int> body_order(const Skeleton& skeleton, const std::vector<int>& holders);

}  // namespace dendraxis
