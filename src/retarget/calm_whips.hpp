// Segments of a source limb that shrink to nearly nothing for a moment: their direction says nothing then.
#pragma once

#include "aim_limbs.hpp"

#include <dendraxis/skeleton/clip.hpp>

namespace dendraxis::detail {

/// Where segments of the source's limbs whip around as their joints slide through each other, those of the
/// target go from the direction before to the direction after. `result` has its limbs aimed already.
void calm_whips(const AimProgram& program, const Pairing& pairing, const Clip& source, Clip& result);

}  // namespace dendraxis::detail
