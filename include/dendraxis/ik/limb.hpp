// A limb of two bones in a skeleton: brought to a target, its end turned or kept.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ik/two_bone.hpp>

#include <array>
#include <span>
#include <string>
#include <vector>

namespace dendraxis {

/// Root, middle and end of a limb; other bones may stand between them.
struct Limb {
    std::string name;  ///< its chain
    std::array<int, 3> bones{};
    Vec3 hint = Vec3::Zero();  ///< which way it bends, in the frame of what its root hangs from
};

/// The chart's arms and legs that have three bones and length: knees bend as the rest does, straight ones
/// forward, elbows back.
std::vector<Limb> limbs_of(const Chart& chart);

Vec3 head_of(int bone, std::span<const Transform> model);
LimbJoints joints_of(const std::array<int, 3>& bones, std::span<const Transform> model);

/// For `turn_limb`: the end bone keeps its orientation.
inline const Quat k_end_kept = Quat::Identity();

/// Turns a limb in a local pose; `model` is that pose in model space, before. The end bone is turned by `end`
/// in model space; null: it turns with the lower bone.
void turn_limb(const Skeleton& skeleton, const std::array<int, 3>& bones, const LimbTurns& turns,
               const Quat* end, std::span<const Transform> model, std::span<Transform> local);

/// Where a limb is to be brought.
struct LimbGoal {
    Vec3 target = Vec3::Zero();  ///< in model space
    Vec3 offset = Vec3::Zero();  ///< of the point that goes there, in the end bone's frame without its scale
    bool turn_end = false;       ///< whether the end bone gets `orientation`; else it keeps its own
    Quat orientation = Quat::Identity();  ///< in model space
};

/// Brings a limb of a local pose to a goal; `model` is that pose in model space, before. Because the point
/// may lie beyond the end bone, the end bone can be turned as well. Never allocates or throws.
void reach(const Skeleton& skeleton, const Limb& limb, const LimbGoal& goal, std::span<const Transform> model,
           std::span<Transform> local, TwoBoneOptions options = {}) noexcept;

}  // namespace dendraxis
