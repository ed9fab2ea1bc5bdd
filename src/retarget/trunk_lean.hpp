// How a trunk leans between two pairs of limbs.
#pragma once

#include "aim_limbs.hpp"

#include <dendraxis/chart/body_tree.hpp>

namespace dendraxis::detail {

/// A trunk between two pairs of legs leans as the line from the hind pair to the front pair does, however the
/// bones between are turned; a body on two legs whose hips are all its trunk as the line from legs to arms.
/// Nothing if either has not both pairs. `stance`: the target's matched one.
std::optional<LimbAim> aim_between_limbs(const Pairing& pairing, const BodyTree& body, bool on_four,
                                         const Quat& to_target, const MatchedStance& stance,
                                         std::span<const Transform> source_rest,
                                         std::span<const Transform> target_rest);

}  // namespace dendraxis::detail
