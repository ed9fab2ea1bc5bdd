// The swaying chains of a rig sheet.
#pragma once

#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/ragdoll/sway.hpp>

#include <optional>

namespace dendraxis::io {

/// The chains that the rig's sheet holds under `sway`; nothing if it has none. A chain without `bones` has
/// those of the chart's chain of its name; figures that a person left out are as `sway_chain` makes them.
/// Throws `Error` with line and JSON pointer of what is wrong.
std::optional<SwayPlan> read_sway(const Rig& rig);

/// The same, or where there is none the plan that `plan_sway` makes.
SwayPlan sway_of(const Rig& rig);

/// Puts chains of this skeleton into a sheet.
void set_sway(RigSheet& sheet, const SwayPlan& plan, const Skeleton& skeleton);

}  // namespace dendraxis::io
