// A character's way over the floor.
#pragma once

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <vector>

namespace dendraxis {

/// How far a clip's travel rule moves the target, in every frame, beside travel scaled by `leg_ratio`:
/// target's model space, metres, zero in the first frame. Zero throughout where travel is scaled.
std::vector<Vec3> travel_shift(const Pairing& pairing, const Clip& clip, float leg_ratio);

}  // namespace dendraxis
