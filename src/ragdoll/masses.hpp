// How heavy the bodies of a ragdoll are.
#pragma once

#include <dendraxis/ragdoll/plan.hpp>

namespace dendraxis::detail {

/// Gives a mass and inertia to bodies that have none. `height`: the character's in model units, of which each
/// has `unit` metres.
void weigh_missing(RagdollPlan& plan, float height, float unit);

}  // namespace dendraxis::detail
