// The skin of a posed character as triangles that know their bones.
#pragma once

#include <dendraxis/geometry/surface.hpp>
#include <dendraxis/skeleton/character.hpp>

#include <span>

namespace dendraxis {

/// The skin in a local pose; at rest where `pose` is empty.
Surface surface_of(const Character& character, std::span<const Transform> pose = {});

/// The same with all that is mounted, to tell the hat from the head.
Surface surface_with_props(const Character& character, std::span<const Transform> pose = {});

}  // namespace dendraxis
