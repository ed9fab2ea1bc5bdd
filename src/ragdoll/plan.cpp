#include <dendraxis/ragdoll/plan.hpp>

#include <dendraxis/base/rotation.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_hinge = 8.0f / k_degrees;

}  // namespace

RagdollPlan scaled(RagdollPlan plan, float by) {
    for (RagdollBody& body : plan.bodies) {
        body.shape.half *= by;
        body.at *= by;
        body.inertia *= by * by;
    }
    for (RagdollJoint& joint : plan.joints) joint.at *= by;
    return plan;
}

int RagdollPlan::find(std::string_view name) const noexcept {
    const auto found =
        std::find_if(bodies.begin(), bodies.end(), [&](const auto& b) { return b.name == name; });
    return found == bodies.end() ? -1 : static_cast<int>(found - bodies.begin());
}

int RagdollPlan::joint_of(int body) const noexcept {
    const auto found =
        std::find_if(joints.begin(), joints.end(), [&](const auto& j) { return j.body == body; });
    return found == joints.end() ? -1 : static_cast<int>(found - joints.begin());
}

bool RagdollPlan::are_linked(int a, int b) const noexcept {
    return std::any_of(joints.begin(), joints.end(), [&](const RagdollJoint& joint) {
        return (joint.body == a && joint.above == b) || (joint.body == b && joint.above == a);
    });
}

bool RagdollPlan::may_touch(int a, int b) const noexcept {
    if (are_linked(a, b)) return false;
    return std::none_of(pass_through.begin(), pass_through.end(),
                        [&](const auto& pair) { return pair == std::pair(a, b) || pair == std::pair(b, a); });
}

bool is_hinge(const Range& range) noexcept {
    return 0.5f * (range.side.to - range.side.from) < k_hinge;
}

float joint_overshoot(const Range& range, const Quat& turn) noexcept {
    if (!is_hinge(range)) return overshoot(range, turn);
    const TurnAngles now = turn_angles(range, turn);
    const Vec3 bone = swing_twist(turn, range.bone).swing * range.bone;
    const float side = std::asin(std::clamp(bone.dot(range.about), -1.0f, 1.0f));
    const auto beyond = [](const AngleSpan& span, float angle) {
        return std::max({0.0f, span.from - angle, angle - span.to});
    };
    return std::max({beyond(range.twist, now.twist), beyond(range.bend, now.bend), beyond(range.side, side)});
}

}  // namespace dendraxis
