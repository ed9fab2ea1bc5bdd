// A character's way over the floor.
#pragma once

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <vector>

namespace dendraxis {

/// How far a clip's root-motion rule moves the target, in every frame, beside root motion scaled by
/// `leg_ratio`: target's model space, metres, zero in the frame `first`. Zero throughout where it is scaled.
std::vector<Vec3> root_motion_shift(const Pairing& pairing, const Clip& clip, float leg_ratio,
                                    std::size_t first = 0);

}  // namespace dendraxis
