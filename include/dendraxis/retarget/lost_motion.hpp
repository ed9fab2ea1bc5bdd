// What a clip holds that a transfer does not carry over.
#pragma once

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/skeleton/clip.hpp>

namespace dendraxis {

/// Findings for motion of `clip` that the target will not show: bones of no paired chain that move (over 1
/// degree), bones that slide in their sockets (over 0.5 % of the height), bones that change size (over 1 %).
Findings lost_motion(const Pairing& pairing, const Clip& clip);

}  // namespace dendraxis
