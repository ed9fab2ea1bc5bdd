// The ragdoll part of a rig sheet.
#pragma once

#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/ragdoll/build.hpp>

#include <optional>

namespace dendraxis::io {

/// The plan that the rig's sheet holds; nothing if it has none. What a person left out of it (sizes, masses,
/// ranges, strengths, all joints, what passes through what) is filled in. Throws `Error` with line and JSON
/// pointer of what is wrong.
std::optional<RagdollPlan> read_ragdoll(const Rig& rig);

/// The same, or where there is none the plan that `build_ragdoll` makes.
RagdollPlan ragdoll_of(const Rig& rig);

/// Puts a plan of this skeleton into a sheet.
void set_ragdoll(RigSheet& sheet, const RagdollPlan& plan, const Skeleton& skeleton);

}  // namespace dendraxis::io
