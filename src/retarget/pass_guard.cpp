// Own method.
#include "pass_guard.hpp"

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_easy_jerk = 1.3f;     // times the source's: what nobody sees
constexpr float k_jerk_costs = 0.1f;    // radians for each time the source's worst beyond that
constexpr float k_slide_counts = 0.1f;  // seconds: lengths a second as lengths

float angle(const Vec3& a, const Vec3& b) {
    return std::atan2(a.cross(b).norm(), a.dot(b));
}

}  // namespace

PassGuard::PassGuard(Take& take) : take_(take) {
    for (const LimbPlan& leg : take.plan.legs) limbs_.push_back(&leg);
    for (const LimbPlan& arm : take.plan.arms) limbs_.push_back(&arm);
    turned_ = joints_now();
    const Pairing& pairing = take.plan.pairing;
    feet_ = track_feet(pairing.source, take.source, pairing.settings.contacts);
    std::vector<Joints> source;
    for (std::size_t f = 0; f < take.frames(); ++f) {
        for (const LimbPlan* limb : limbs_) {
            const LimbJoints joints = joints_of(limb->source, take.source_pose(f));
            source.push_back({take.plan.leg_ratio * joints.root, take.plan.leg_ratio * joints.middle,
                              take.plan.leg_ratio * joints.end});
        }
    }
    source_acceleration_ = worst_acceleration(source);
}

std::vector<PassGuard::Joints> PassGuard::joints_now() {
    std::vector<Joints> all;
    all.reserve(take_.frames() * limbs_.size());
    for (std::size_t f = 0; f < take_.frames(); ++f) {
        take_.pose(f);
        for (const LimbPlan* limb : limbs_) {
            const LimbJoints joints = joints_of(limb->target, take_.model);
            all.push_back({joints.root, joints.middle, joints.end});
        }
    }
    return all;
}

float PassGuard::worst_acceleration(const std::vector<Joints>& joints) const {
    float worst = 0.0f;
    const std::size_t step = limbs_.size();
    for (std::size_t i = step; i + step < joints.size(); ++i) {
        for (std::size_t k = 0; k < 3; ++k)
            worst = std::max(worst, (joints[i - step][k] - 2.0f * joints[i][k] + joints[i + step][k]).norm());
    }
    return worst;
}

PassGuard::Harm PassGuard::measure() {
    Harm harm;
    const std::vector<Joints> now = joints_now();
    for (std::size_t i = 0; i < now.size(); ++i) {
        for (std::size_t k = 0; k < 2; ++k)
            harm.direction += angle(now[i][k + 1] - now[i][k], turned_[i][k + 1] - turned_[i][k]);
    }
    harm.direction /= static_cast<float>(std::max<std::size_t>(2 * now.size(), 1));
    harm.jerk =
        worst_acceleration(now) / std::max(source_acceleration_, 1e-4f * take_.plan.pairing.target.height);
    return harm;
}

float PassGuard::harm_between(const Harm& before, const Harm& after) {
    const float jerk = std::max(0.0f, after.jerk - std::max(before.jerk, k_easy_jerk));
    return std::max(0.0f, after.direction - before.direction) + k_jerk_costs * jerk;
}

float PassGuard::feet_fault() {
    float sum = 0.0f;
    std::size_t count = 0;
    const Chart& target = take_.plan.pairing.target;
    std::vector<Vec3> last(take_.plan.legs.size());
    for (std::size_t f = 0; f < take_.frames(); ++f) {
        take_.pose(f);
        for (std::size_t i = 0; i < take_.plan.legs.size(); ++i) {
            const LimbPlan& leg = take_.plan.legs[i];
            const Sole& sole = take_.plan.target_sole(leg);
            const FootTrack& foot = feet_[static_cast<std::size_t>(leg.source_shape)];
            const float height = lowest_of(sole, take_.model, target.up) - target.floor;
            const float wanted = take_.plan.leg_ratio * foot.height[f];
            const float off =
                foot.stands(f) ? std::abs(height - wanted) : std::max(0.0f, std::min(0.0f, wanted) - height);
            sum += off / leg.target_length;
            const Vec3 ball = place_of(sole, sole.parts[k_ball], take_.model);
            if (f > 0 && foot.planted[f][k_ball] && foot.planted[f - 1][k_ball]) {
                const Vec3 theirs =
                    take_.plan.to_target * Vec3(foot.parts[f][k_ball] - foot.parts[f - 1][k_ball]);
                const Vec3 own = ball - last[i] - (take_.shift[f] - take_.shift[f - 1]);
                Vec3 beyond = own - take_.plan.leg_ratio * theirs;
                beyond -= beyond.dot(target.up) * target.up;
                sum += k_slide_counts * beyond.norm() * take_.result.fps / leg.target_length;
            }
            last[i] = ball;
            ++count;
        }
    }
    return count == 0 ? 0.0f : sum / static_cast<float>(count);
}

}  // namespace dendraxis
