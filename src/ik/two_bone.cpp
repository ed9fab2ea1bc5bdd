#include "two_bone_lanes.hpp"

#include <dendraxis/ik/two_bone.hpp>

#include <algorithm>

namespace dendraxis {

using namespace detail;

LimbTurns solve_two_bone(const LimbJoints& limb, const Vec3& target, const TwoBoneOptions& options) noexcept {
    Vec3 upper = limb.middle - limb.root;
    Vec3 lower = limb.end - limb.middle;
    const Vec3 wanted = target - limb.root;
    // A joint that bends about its hinge goes to the side that lies before the limb's own line.
    const Vec3 hint = options.bend == Bend::hinge ? Vec3((upper + lower).cross(options.hinge)) : options.hint;
    float stretch = 1.0f;
    if (options.most_stretch > 1.0f) {
        const float full = options.soft_from * (upper.norm() + lower.norm());
        const float asked = wanted.norm() / full;
        if (full > 0.0f && asked > 1.0f) stretch = std::min(asked, options.most_stretch);
        upper *= stretch;
        lower *= stretch;
    }
    const LaneLimb<1> lane{splat<1>(upper), splat<1>(lower), splat<1>(wanted), splat<1>(hint)};
    const LaneLimbTurns<1> turns = options.bend == Bend::pose
                                       ? turn_two_bones<1>(lane, options.soft_from)
                                       : turn_two_bones<1, true>(lane, options.soft_from);
    const auto quat = [](const LaneQuat<1>& q) { return Quat(q.w, q.x, q.y, q.z); };
    return {quat(turns.upper), quat(turns.lower), stretch};
}

}  // namespace dendraxis
