#include "two_bone_lanes.hpp"

#include <dendraxis/ik/two_bone.hpp>

namespace dendraxis {

LimbTurns solve_two_bone(const LimbJoints& limb, const Vec3& target, const TwoBoneOptions& options) noexcept {
    const LaneLimb<1> lane{splat<1>(limb.middle - limb.root), splat<1>(limb.end - limb.middle),
                           splat<1>(target - limb.root), splat<1>(options.hint)};
    const LaneLimbTurns<1> turns = turn_two_bones<1>(lane, options.soft_from);
    const auto quat = [](const LaneQuat<1>& q) { return Quat(q.w, q.x, q.y, q.z); };
    return {quat(turns.upper), quat(turns.lower)};
}

}  // namespace dendraxis
