// Animations that switch a prop between its places.
#pragma once

#include "glb_builder.hpp"

#include <dendraxis/io/props.hpp>

namespace dendraxis::io {

/// One node a place: in each clip all but one have no size at a time, and a node to which the thing glides
/// starts where the place before has it. `clips` count in place of the character's of the same names.
void switch_places(Glb& glb, const Character& character, const SocketBinding& sockets,
                   const CarriedProp& carried, std::span<const int> nodes, std::span<const Clip> clips);

}  // namespace dendraxis::io
