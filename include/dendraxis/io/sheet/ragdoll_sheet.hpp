// The ragdoll part of a rig sheet.
#pragma once

#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/ragdoll/sway.hpp>

#include <optional>

namespace dendraxis::io {

/// The plan that a sheet holds; nothing where `file` is no sheet or has no `ragdoll`. What a person left out
/// of it (sizes, masses, ranges, strengths, all joints, what passes through what) is filled in. Throws
/// `Error` with line and JSON pointer of what is wrong.
std::optional<RagdollPlan> read_ragdoll(const std::filesystem::path& file, const Rig& rig);

/// The same, or where there is none the plan that `build_ragdoll` makes.
RagdollPlan ragdoll_of(const std::filesystem::path& file, const Rig& rig);

/// The text of a rig's sheet with this plan and these swaying chains in it; all else in it stays. `folder` as
/// for `sheet_json`.
std::string sheet_with_ragdoll(const Rig& rig, const RagdollPlan& plan, const SwayPlan& sway,
                               const std::filesystem::path& folder = {});

}  // namespace dendraxis::io
