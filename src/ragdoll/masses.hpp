// How heavy the bodies of a ragdoll are.
#pragma once

#include <dendraxis/ragdoll/plan.hpp>

namespace dendraxis::detail {

/// Gives a mass and inertia to bodies that have none. `height`: the character's, metres.
void weigh_missing(RagdollPlan& plan, float height);

}  // namespace dendraxis::detail
