// A ragdoll as glTF rigid bodies, for engines that read them.
// Source: Khronos Group, the drafts of KHR_implicit_shapes and KHR_physics_rigid_bodies, as far as they were
// public when this was written; they may still change.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ragdoll/plan.hpp>

#include <cstdint>
#include <filesystem>
#include <vector>

namespace dendraxis::io {

/// The file `character.file` as it is, with the plan in it, as a GLB: each body's bone gets a `motion` (mass,
/// inertia, center of mass) and below it a node with its collider and one with its joint. A joint's axes are
/// x along the bone (twist), y what it bends about, z to the side; each has its own limits, so that the cone
/// becomes a box. Profiles, strength and damping have no place in the drafts. Throws `Error`.
std::vector<std::uint8_t> glb_with_ragdoll(const Character& character, const Chart& chart,
                                           const RagdollPlan& plan);

/// The plan that a .glb or .gltf file holds, for the same character. What the file says nothing of is as
/// `build_ragdoll` would have it. Throws `Error` where the file holds no rigid bodies or damaged ones.
RagdollPlan read_physics(const std::filesystem::path& file, const Character& character, const Chart& chart);

}  // namespace dendraxis::io
