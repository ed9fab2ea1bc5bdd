#include <dendraxis/ik/limb.hpp>
#include <dendraxis/skeleton/pose.hpp>

namespace dendraxis {
namespace {

const Quat& rotation_above(const Skeleton& skeleton, int bone, std::span<const Transform> model) {
    const int parent = skeleton.parent(bone);
    return parent == k_no_bone ? skeleton.above().rotation : model[static_cast<std::size_t>(parent)].rotation;
}

}  // namespace

std::vector<Limb> limbs_of(const Chart& chart) {
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    std::vector<Limb> limbs;
    for (const Chain& chain : chart.chains) {
        if (!is_limb(chain.role())) continue;
        const bool arm = chain.role() == ChainRole::arm;
        const auto bones = bending_bones(chart.skeleton, chain);
        if (!bones) continue;
        Limb limb{chain.name, *bones, Vec3::Zero()};
        const LimbJoints joints = joints_of(limb.bones, rest);
        const Vec3 upper = joints.middle - joints.root;
        const Vec3 direction = joints.end - joints.root;
        if (upper.norm() < 1e-6f || (joints.end - joints.middle).norm() < 1e-6f) continue;
        const Vec3 aside =
            upper - direction * (upper.dot(direction) / std::max(direction.squaredNorm(), 1e-12f));
        const Vec3& flat = chart.shape.flat_across;
        const Vec3 bend = aside.norm() > 0.02f * direction.norm() ? aside
                          : !flat.isZero()                        ? Vec3(flat.cross(direction))
                          : arm                                   ? Vec3(-chart.facing)
                                                                  : chart.facing;
        limb.hint = rotation_above(chart.skeleton, limb.bones[0], rest).conjugate() * bend.normalized();
        limbs.push_back(limb);
    }
    return limbs;
}

Vec3 head_of(int bone, std::span<const Transform> model) {
    return model[static_cast<std::size_t>(bone)].translation;
}

LimbJoints joints_of(const std::array<int, 3>& bones, std::span<const Transform> model) {
    return {head_of(bones[0], model), head_of(bones[1], model), head_of(bones[2], model)};
}

void turn_limb(const Skeleton& skeleton, const std::array<int, 3>& bones, const LimbTurns& turns,
               const Quat* end, std::span<const Transform> model, std::span<Transform> local) {
    const auto turn = [&](int bone, const Quat& above, const Quat& own) {
        const auto b = static_cast<std::size_t>(bone);
        const Quat& parent = rotation_above(skeleton, bone, model);
        local[b].rotation = ((above * parent).conjugate() * own * model[b].rotation).normalized();
    };
    turn(bones[0], Quat::Identity(), turns.upper);
    turn(bones[1], turns.upper, turns.lower);
    if (end != nullptr) turn(bones[2], turns.lower, *end);
}

void reach(const Skeleton& skeleton, const Limb& limb, const LimbGoal& goal, std::span<const Transform> model,
           std::span<Transform> local, TwoBoneOptions options) noexcept {
    if (!goal.target.allFinite() || !goal.orientation.coeffs().allFinite()) return;
    const Quat& now = model[static_cast<std::size_t>(limb.bones[2])].rotation;
    const Quat wanted = goal.turn_end ? goal.orientation : now;
    const Quat end = wanted * now.conjugate();
    if (options.hint.isZero()) options.hint = rotation_above(skeleton, limb.bones[0], model) * limb.hint;
    const LimbTurns turns =
        solve_two_bone(joints_of(limb.bones, model), goal.target - wanted * goal.offset, options);
    turn_limb(skeleton, limb.bones, turns, &end, model, local);
}

}  // namespace dendraxis
