// The clips of the demo world, worked out for the diver.
#pragma once

#include <dendraxis/skeleton/character.hpp>

namespace harbour {

dendraxis::Clip make_idle(const dendraxis::Skeleton& diver);
dendraxis::Clip make_stroll(const dendraxis::Skeleton& diver);
dendraxis::Clip make_wave_lantern(const dendraxis::Skeleton& diver);

}  // namespace harbour
