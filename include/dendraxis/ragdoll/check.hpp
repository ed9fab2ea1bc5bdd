// What is wrong with a ragdoll's plan, before it is let go.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ragdoll/plan.hpp>

namespace dendraxis {

/// Limb segments that no body covers or one body covers two of, joints that skip a body, bodies linked to
/// nothing, twice or in a loop, kinematic bodies, axes without a limit, the rest outside of a range, bodies
/// that overlap and are not linked, masses of linked bodies over ten to one, tiny inertia, ranges wider than
/// anatomy's. Nothing is found in what `build_ragdoll` makes. `Finding::where` is a body's name.
Findings check_ragdoll(const RagdollPlan& plan, const Chart& chart);

/// Throws `Error` where a plan cannot be run at all: no bodies or too many, sizes or masses that are not
/// above zero or not finite, names that stand twice, bones and bodies that do not exist, joints in a loop.
void require_sound(const RagdollPlan& plan, const Chart& chart);

}  // namespace dendraxis
