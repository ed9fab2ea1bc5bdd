// Planning a ragdoll from a character: which segments, what shapes, how heavy, how they are linked.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/joint_ranges.hpp>
#include <dendraxis/ragdoll/plan.hpp>

namespace dendraxis {

struct RagdollOptions {
    /// What joints are limited by; where empty, the ranges in force (the sheet's, else anatomy's).
    std::vector<JointRange> ranges;
};

/// A plan for the whole character: a body for each limb segment, the hips, one or two for the trunk, the
/// head, each tail bone and each bone of a loose chain (hair, coat tails); all other bones move with the body
/// above them. Shapes are fitted to the skin where there is one, else to the bones' lengths. Profiles: `fall`
/// lets all bodies go, `alive` the loose chains alone. Masses: P. de Leva, "Adjustments to
/// Zatsiorsky-Seluyanov's segment inertia parameters", Journal of Biomechanics 29 (1996), for people; by
/// volume for all others. Throws `Error` where there are no bones.
RagdollPlan build_ragdoll(const Character& character, const Chart& chart, const RagdollOptions& options = {});

/// Fills in what a person left out of a plan: bodies without size are fitted, those without mass or inertia
/// get theirs, joints whose range bends about nothing get the one in force.
void complete_ragdoll(RagdollPlan& plan, const Character& character, const Chart& chart,
                      const RagdollOptions& options = {});

/// The moments of a body's shape, raised so that joints stay together (by 1.8, none far below the largest or
/// the neighbor's, those of hands, feet and other tips three times as large): what bodies get that are given
/// none.
Vec3 steady_inertia(const RagdollPlan& plan, int body) noexcept;

/// Links every body but the first to the one that it hangs on: the one before it in its chain, else the
/// nearest above it in the hierarchy, else the nearest at rest. Ranges are left to `complete_ragdoll`.
void link_ragdoll(RagdollPlan& plan, const Chart& chart);

/// Where the shapes of a plan stand at rest, in the upright frame.
std::vector<PlacedShape> shapes_at_rest(const RagdollPlan& plan, const Chart& chart);

/// Two bodies that overlap at rest although they are not linked.
struct Overlap {
    int a = -1;
    int b = -1;
    float depth = 0.0f;  ///< metres
};

/// All that are deeper in each other than `least`, whether they pass through each other or not.
std::vector<Overlap> overlaps_at_rest(const RagdollPlan& plan, const Chart& chart, float least);

/// Of each bone the body that it moves with, or -1: its own, the one that lists it, else its parent's.
std::vector<int> bodies_of_bones(const Skeleton& skeleton, const RagdollPlan& plan);

/// The skin of each body that lies outermost in some hundred directions, in the body's own frame: what of it
/// may touch the ground. Nothing for bodies without skin.
std::vector<std::vector<Vec3>> skin_of_bodies(const RagdollPlan& plan, const Character& character,
                                              const Chart& chart);

/// Takes shapes, masses and joints of one side (`left` or `right`) over to the other, mirrored. Bodies whose
/// names differ in the side alone answer to each other; returns how many were changed.
int mirror_ragdoll(RagdollPlan& plan, const Chart& chart, std::string_view from_side);

}  // namespace dendraxis
