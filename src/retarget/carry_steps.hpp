// What steps in the source's clip steps in the target's.
#pragma once

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <span>

namespace dendraxis::detail {

/// Marks what steps in `result`: bone by bone of what `follows` the source's bones, below the same bones; all
/// of it if the whole source does.
void carry_steps(const Pairing& pairing, std::span<const int> follows, const Clip& source, Clip& result);

/// If the whole source steps, its poses hold in `result` as long as in it: what passes did between is undone.
void hold_poses(const Clip& source, Clip& result);

}  // namespace dendraxis::detail
