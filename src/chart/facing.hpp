// Which way a body faces, and which of its branches is left and which right.
#pragma once

#include "search.hpp"

namespace dendraxis::detail {

/// Sets the body's facing and the sides of its branches. Adds a finding where names say otherwise, and where
/// nothing tells.
void find_facing(Body& body, const Reading& reading, Chart& chart);

}  // namespace dendraxis::detail
