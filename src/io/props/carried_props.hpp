// Animations that switch a prop between its places, and that let it go.
#pragma once

#include "../gltf/glb_builder.hpp"

#include <dendraxis/io/props/props.hpp>

#include <functional>

namespace dendraxis::io {

/// One node a place: in each clip all but one have no size at a time, and a node to which the thing glides
/// starts where the place before has it. `clips` count in place of the character's of the same names.
void switch_places(Glb& glb, const Character& character, const SocketBinding& sockets,
                   const CarriedProp& carried, std::span<const int> nodes, std::span<const Clip> clips);

/// A node in the scene itself for each prop that is let go: it has no size before, the mounted one none from
/// then on. `nodes` are those of the mounts; `another` makes a second one like that of a mount, which hangs
/// on nothing.
void let_props_go(Glb& glb, const Character& character, std::span<const PropFlight> flights,
                  std::span<const int> nodes, const std::function<int(std::size_t)>& another,
                  std::span<const Clip> clips);

}  // namespace dendraxis::io
