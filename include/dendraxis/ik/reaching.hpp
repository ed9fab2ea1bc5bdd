// A row of joints brought to a target by positions alone: cheap, and good where the target is far out of
// reach.
#pragma once

#include <dendraxis/base/transform.hpp>
#include <dendraxis/skeleton/skeleton.hpp>

#include <span>

namespace dendraxis {

struct ReachingReport {
    int iterations = 0;
    float error = 0.0f;  ///< metres, from the last joint to the target
};

/// Moves `joints` (two or more, from root to end; the root stays) so that the last one comes to `target`,
/// every bone as long as it was. What is out of reach is pointed at, stretched out. A straight row that
/// points at its target is bent toward `hint` first. Takes no account of ranges: `BodySolver` does. Never
/// allocates or throws. Source: A. Aristidou and J. Lasenby, "FABRIK: a fast, iterative solver for the
/// inverse kinematics problem", Graphical Models 73 (2011).
ReachingReport reach_by_positions(std::span<Vec3> joints, const Vec3& target, float tolerance,
                                  int most_iterations = 32, const Vec3& hint = Vec3::Zero()) noexcept;

/// Turns the bones of a local pose, each below the one before, so that the bone that follows each one stands
/// where `joints` says (one position more than bones: the last one's tip, given as `tip` in its frame without
/// scale); `model` is that pose in model space, before.
void turn_toward(const Skeleton& skeleton, std::span<const int> bones, const Vec3& tip,
                 std::span<const Vec3> joints, std::span<const Transform> model,
                 std::span<Transform> local) noexcept;

}  // namespace dendraxis
