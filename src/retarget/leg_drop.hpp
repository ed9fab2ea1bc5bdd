// How far a body comes down as its legs take another stance.
#pragma once

#include <dendraxis/chart/body_tree.hpp>
#include <dendraxis/chart/pairing.hpp>

#include <span>
#include <string_view>
#include <vector>

namespace dendraxis::detail {

/// How far the hips come down (or up, if negative) to keep the soles on the floor: the mean of the target's
/// legs whose names begin with `which` and that answer to legs; 0 without any. `rest`: the target at rest in
/// model space; `posed`: the same in the stance, without what legs do; `turns`: of each bone from rest to the
/// stance, in model space.
float drop_by_legs(const Pairing& pairing, const BodyTree& body, const std::vector<Transform>& rest,
                   std::span<const Transform> posed, std::span<const Quat> turns, std::string_view which);

}  // namespace dendraxis::detail
