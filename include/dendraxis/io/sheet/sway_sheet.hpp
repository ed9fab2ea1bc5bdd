// The swaying chains of a rig sheet.
#pragma once

#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/ragdoll/sway.hpp>

#include <optional>

namespace dendraxis::io {

/// The chains that a sheet holds under `sway`; nothing where `file` is no sheet or has none. A chain without
/// `bones` has those of the chart's chain of its name; figures that a person left out are as `sway_chain`
/// makes them. Throws `Error` with line and JSON pointer of what is wrong.
std::optional<SwayPlan> read_sway(const std::filesystem::path& file, const Rig& rig);

/// The same, or where there is none the plan that `plan_sway` makes.
SwayPlan sway_of(const std::filesystem::path& file, const Rig& rig);

}  // namespace dendraxis::io
