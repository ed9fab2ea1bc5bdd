// Which bone of one skeleton is which of another: by name, tolerating stray prefixes and suffixes, or by
// build.
#pragma once

#include <dendraxis/skeleton/skeleton.hpp>

#include <vector>

namespace dendraxis {

/// For each bone of `a` the bone of `b` of the same name, or `k_no_bone`. Tried in this order: the same name;
/// the same name after what all names of a side begin or end with is taken off (`Rig:hips`, `hips_jnt`); the
/// same letters and digits, case, separators and a copy's number (`hips.001`) aside. No bone of `b` is used
/// twice.
std::vector<int> match_by_name(const Skeleton& a, const Skeleton& b);

/// For each bone of `a` the bone of `b` that it is if both are one build (`correspond`), or `k_no_bone`.
std::vector<int> match_by_build(const Skeleton& a, const Skeleton& b);

}  // namespace dendraxis
