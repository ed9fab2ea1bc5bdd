// What is shown on a page beside a character itself, as lines: ragdoll bodies, sockets, targets, terrain.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/equip/socket.hpp>
#include <dendraxis/geometry/surface.hpp>
#include <dendraxis/ragdoll/plan.hpp>

#include <span>
#include <string>
#include <vector>

namespace dendraxis::page {

enum class OutlineKind { body, socket, target, terrain };

/// Lines that a bone carries, or that stand still in model space.
struct Outline {
    OutlineKind kind = OutlineKind::body;
    std::string name;
    int bone = k_no_bone;     ///< that carries it; `k_no_bone`: it stands still
    std::vector<Vec3> lines;  ///< two points a line, in the bone's frame, or in model space
};

/// The ragdoll's bodies, each carried by its bone.
std::vector<Outline> outlines_of(const RagdollPlan& plan, const Chart& chart);

/// The bodies of a ragdoll that something else meets, where they stand: one frame a body, in model space.
std::vector<Outline> outlines_of(const RagdollPlan& plan, std::span<const Transform> bodies);

/// Sockets as their axes: first X, then Y, then Z.
std::vector<Outline> outlines_of(std::span<const Socket> sockets, const Chart& chart);

/// A position in model space that something is to reach.
Outline target_outline(const std::string& name, const Vec3& position, const Chart& chart);

/// The edges of a surface that stands still.
Outline terrain_outline(const std::string& name, const Surface& surface);

std::string_view to_string(OutlineKind kind) noexcept;

}  // namespace dendraxis::page
