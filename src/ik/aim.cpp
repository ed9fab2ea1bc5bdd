// Own method: the turn that is still missing is found at every bone from where the look has come to, and each
// bone takes its share of it; the last one takes what is left.
#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ik/aim.hpp>
#include <dendraxis/ik/limb.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_straight = 0.97f;  // of the arm's length

// A direction as angles: sideways about up, then upward.
struct Heading {
    float sideways = 0.0f;
    float upward = 0.0f;
};

Heading heading_of(const Vec3& direction, const Vec3& ahead, const Vec3& up) {
    const Vec3 left = up.cross(ahead);
    const float level = std::hypot(direction.dot(ahead), direction.dot(left));
    return {level > 1e-6f ? std::atan2(direction.dot(left), direction.dot(ahead)) : 0.0f,
            std::atan2(direction.dot(up), level)};
}

Vec3 direction_of(const Heading& heading, const Vec3& ahead, const Vec3& up) {
    const Vec3 left = up.cross(ahead);
    const Vec3 level = std::cos(heading.sideways) * ahead + std::sin(heading.sideways) * left;
    return std::cos(heading.upward) * level + std::sin(heading.upward) * up;
}

// Eased over about the last tenth before the limit.
float softly_within(float angle, float most) {
    const float start = 0.9f * most;
    const float over = std::abs(angle) - start;
    if (over <= 0.0f) return angle;
    const float y = over / std::max(0.1f * most, 1e-6f);
    return std::copysign(start + over / std::sqrt(1.0f + y * y), angle);
}

// A pointing arm is nearly straight: its hand is brought out along the line that it points.
void straighten(const Skeleton& skeleton, const Aim& aim, float weight, std::span<Transform> local,
                std::span<Transform> model) {
    if (aim.arm[0] == k_no_bone) return;
    const LimbJoints joints = joints_of(aim.arm, model);
    const Vec3 direction = joints.end - joints.root;
    const float now = direction.norm();
    const float straight =
        k_straight * ((joints.middle - joints.root).norm() + (joints.end - joints.middle).norm());
    if (now < 1e-6f || now >= straight) return;
    const Vec3 target = joints.root + direction * ((now + weight * (straight - now)) / now);
    turn_limb(skeleton, aim.arm, solve_two_bone(joints, target), nullptr, model, local);
    to_model_space(skeleton, local, model);
}

const Chain& chain_named(const Chart& chart, std::string_view name) {
    const Chain* chain = chart.find(name);
    if (chain == nullptr || chain->bones.empty())
        throw Error(chart.file.empty() ? chart.character : chart.file,
                    "has no chain '" + std::string(name) + "' to aim with", "",
                    "see what `dendraxis chart` finds; aim with head, spine or an arm");
    return *chain;
}

}  // namespace

Look look_of(const Aim& aim, std::span<const Transform> model) noexcept {
    const Transform& last = model[static_cast<std::size_t>(aim.bones.back().bone)];
    if (aim.arm[0] == k_no_bone)
        return {last.translation + last.rotation * aim.origin, last.rotation * aim.direction};
    const Vec3 shoulder = head_of(aim.arm[0], model);
    return {shoulder, (head_of(aim.arm[2], model) - shoulder).stableNormalized()};
}

Aim aim_of(const Chart& chart, std::string_view name) {
    const Chain& chain = chain_named(chart, name);
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    Aim aim;
    aim.up = chart.up;
    const auto add = [&](const Chain* helping, float share) {
        for (std::size_t i = 0; helping != nullptr && i < helping->bones.size(); ++i)
            aim.bones.push_back({helping->bones[i], share});
    };
    Vec3 direction = chart.facing;
    if (chain.role() == ChainRole::arm) {
        add(chart.find("shoulder" + std::string(name.substr(3))), 0.15f);
        aim.bones.push_back({chain.bones.front(), 1.0f});
        if (const auto bones = bending_bones(chart.skeleton, chain)) aim.arm = *bones;
        aim.most_sideways = 2.2f;
        aim.most_upward = 1.9f;
    } else {
        if (name == "head") {
            add(chart.find("spine"), 0.08f);
            add(chart.find("neck"), 0.3f);
        }
        add(&chain, name == "spine" ? 0.4f : 0.6f);
    }
    aim.bones.back().share = 1.0f;
    aim.direction = rest[static_cast<std::size_t>(aim.bones.back().bone)].rotation.conjugate() * direction;
    return aim;
}

void apply_aim(const Skeleton& skeleton, const Aim& aim, const Vec3& target, float weight, float seconds,
               AimState& state, std::span<Transform> local, std::span<Transform> model) noexcept {
    if (aim.bones.empty() || local.size() < skeleton.size() || model.size() < skeleton.size()) return;
    const float step = aim.ease_seconds > 0.0f && seconds > 0.0f
                           ? 1.0f - std::exp(-3.0f * seconds / aim.ease_seconds)
                           : 1.0f;
    const bool sees = target.allFinite();
    state.weight += step * ((sees ? std::clamp(weight, 0.0f, 1.0f) : 0.0f) - state.weight);
    if (state.weight < 1e-4f) {
        state = {};
        return;
    }
    to_model_space(skeleton, local, model);
    const auto look = [&] { return look_of(aim, model).direction; };
    const auto eye = [&] { return look_of(aim, model).from; };
    // All angles are from where the pose looks by itself.
    const Vec3 before = look();
    Vec3 ahead = before - aim.up * aim.up.dot(before);
    if (ahead.norm() < 1e-3f) ahead = aim.up.unitOrthogonal();
    ahead.normalize();
    const Heading own = heading_of(before, ahead, aim.up);
    if (sees) {
        const Heading wanted = heading_of(target - eye(), ahead, aim.up);
        const float sideways =
            aim.sideways ? softly_within(wrapped(wanted.sideways - own.sideways), aim.most_sideways) : 0.0f;
        const float upward = aim.upward ? softly_within(wanted.upward - own.upward, aim.most_upward) : 0.0f;
        const float eased = state.started ? step : 1.0f;
        state.sideways += eased * (sideways - state.sideways);
        state.upward += eased * (upward - state.upward);
        state.started = true;
    }
    const Heading goal{own.sideways + state.weight * state.sideways,
                       own.upward + state.weight * state.upward};
    const Vec3 wanted = direction_of(goal, ahead, aim.up);
    const Vec3 toward = target - eye();
    for (const AimBone& part : aim.bones) {
        const auto b = static_cast<std::size_t>(part.bone);
        // The eye moves with the bones that have turned already.
        const Quat drift = sees && aim.sideways && aim.upward
                               ? Quat::Identity().slerp(state.weight, shortest_arc(toward, target - eye()))
                               : Quat::Identity();
        const Quat missing = shortest_arc(look(), drift * wanted);
        const Quat turn = Quat::Identity().slerp(part.share, missing);
        const int parent = skeleton.parent(part.bone);
        const Quat above = parent == k_no_bone ? skeleton.above().rotation
                                               : model[static_cast<std::size_t>(parent)].rotation;
        local[b].rotation = (above.conjugate() * turn * above * local[b].rotation).normalized();
        to_model_space(skeleton, local, model);
    }
    straighten(skeleton, aim, state.weight, local, model);
}

}  // namespace dendraxis
