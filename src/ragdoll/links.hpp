// What each body hangs on.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ragdoll/plan.hpp>

#include <utility>
#include <vector>

namespace dendraxis::detail {

/// Where bones' heads are at rest in the upright frame.
std::vector<Vec3> upright_heads(const Chart& chart);

/// Where the segment ends that a body stands for, if it is none that is charted: at the next body below, else
/// at its farthest bone.
Vec3 end_of_body(const RagdollPlan& plan, const Skeleton& skeleton, const std::vector<Vec3>& heads, int body);

/// Of each body its segment at rest, from head to end, in the upright frame.
std::vector<std::pair<Vec3, Vec3>> lines_at_rest(const RagdollPlan& plan, const Chart& chart);

/// Of each body but the first the one that it hangs on: the one before it in its chain, else the nearest
/// above it in the hierarchy of bones, else the nearest at rest. In real files a foot's bone often hangs from
/// the root, and a hand's from a control. -1 of the first.
std::vector<int> bodies_above(const RagdollPlan& plan, const Chart& chart);

}  // namespace dendraxis::detail
