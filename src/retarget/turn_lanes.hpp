// The inner loop itself, written once for any number of lanes. Included where it is compiled for one of them.
#pragma once

#include "../ik/two_bone_lanes.hpp"
#include "turn_kernel.hpp"

namespace dendraxis::detail {

template <std::size_t Count>
DENDRAXIS_LANE LaneQuat<Count> turned_away(const LaneQuat<Count>* slots, int slot, const Quat& undo) {
    if (slot < 0) return splat<Count>(Quat::Identity());
    return slots[slot] * splat<Count>(undo);
}

template <std::size_t Count>
DENDRAXIS_LANE LaneQuat<Count> factor(const TurnProgram::Factor& factor, const Transform* source,
                                      std::size_t stride) {
    const LaneQuat<Count> local = load<Count>(source + factor.bone, stride);
    if (factor.power == 1.0f) return splat<Count>(factor.left) * local;
    const LaneQuat<Count> turn = local * splat<Count>(factor.right);
    return splat<Count>(factor.left) * power<Count>(turn, factor.power);
}

/// A twist bone, fed from the target's own pose: the share of the twist about the axis, the short way.
template <std::size_t Count>
DENDRAXIS_LANE void feed_twist(const TwistFeed& feed, Transform* target, std::size_t stride) {
    const LaneQuat<Count> now = load<Count>(target + feed.driver, stride);
    const LaneQuat<Count> undo = splat<Count>(feed.undo);
    const LaneQuat<Count> turn = feed.driver_is_parent ? undo * now : now * undo;
    const LaneVec<Count> axis = splat<Count>(feed.axis);
    const Lanes<Count> along = dot<Count>({turn.x, turn.y, turn.z}, axis);
    const Lanes<Count> one = splat<Count>(1.0f);
    const Lanes<Count> square = along * along + turn.w * turn.w;
    // Turned by exactly half a turn across the axis there is no twist to share.
    const Lanes<Count> none = square - 1e-14f;
    const Lanes<Count> scale = one / square_root<Count>(choose<Count>(none, one, square));
    const Lanes<Count> sine = along * scale * splat<Count>(feed.share < 0.0f ? -1.0f : 1.0f);
    const Lanes<Count> zero = splat<Count>(0.0f);
    const LaneQuat<Count> part =
        power<Count>({sine, zero, zero, choose<Count>(none, one, turn.w * scale)}, std::abs(feed.share));
    const LaneQuat<Count> twist{part.x * axis.x, part.x * axis.y, part.x * axis.z, part.w};
    store<Count>(twist * splat<Count>(feed.rest), target + feed.bone, stride);
}

/// Where the last bone of a way stands in model space.
template <std::size_t Count>
DENDRAXIS_LANE LaneTransform<Count> standing(const Transform& above, const std::vector<int>& path,
                                             std::size_t length, const Transform* local, std::size_t stride) {
    LaneTransform<Count> at = splat<Count>(above);
    for (std::size_t i = 0; i < length; ++i) at = at * load_transform<Count>(local + path[i], stride);
    return at;
}

/// Moves the last bone of a path to a position in model space.
template <std::size_t Count>
DENDRAXIS_LANE void place(const Transform& above, const std::vector<int>& path, const LaneVec<Count>& wanted,
                          Transform* local, std::size_t stride) {
    const LaneTransform<Count> parent = standing<Count>(above, path, path.size() - 1, local, stride);
    store_translation<Count>(apply_inverse(parent, wanted), local + path.back(), stride);
}

template <std::size_t Count>
DENDRAXIS_LANE void place_bodies(const TurnProgram& program, const Transform* source,
                                 std::size_t source_stride, Transform* target, std::size_t target_stride) {
    LaneVec<Count> offset = splat<Count>(program.hips_offset);
    if (!program.root.source_path.empty()) {
        const LaneTransform<Count> root =
            standing<Count>(program.source_frame, program.root.source_path, program.root.source_path.size(),
                            source, source_stride);
        const LaneQuat<Count> to_target = splat<Count>(program.to_target);
        const LaneQuat<Count> heading =
            to_target * (root.rotation * splat<Count>(program.root_undo)) * conjugate(to_target);
        offset = rotate(heading, offset);
        const LaneVec<Count> moved = root.translation - splat<Count>(program.source_root_rest);
        place<Count>(program.target_frame, program.root.target_path,
                     splat<Count>(program.target_root_rest) +
                         scaled<Count>(rotate(to_target, moved), splat<Count>(program.leg_ratio)),
                     target, target_stride);
    }
    if (program.hips.source_path.empty()) return;
    const LaneTransform<Count> body = standing<Count>(program.source_frame, program.hips.source_path,
                                                      program.hips.source_path.size(), source, source_stride);
    const LaneVec<Count> up = splat<Count>(program.source_up);
    const LaneVec<Count> legs = body.translation + rotate(body.rotation, splat<Count>(program.source_body));
    const Lanes<Count> height = dot(legs, up);
    const LaneVec<Count> followed = program.by_legs ? legs : body.translation;
    const LaneVec<Count> over_floor =
        rotate(splat<Count>(program.to_target), followed - scaled<Count>(up, dot(followed, up)));
    const Lanes<Count> risen = program.target_floor + program.hips_ratio * (height - program.source_floor);
    const LaneVec<Count> target_up = splat<Count>(program.target_up);
    LaneVec<Count> wanted =
        scaled<Count>(over_floor, splat<Count>(program.leg_ratio)) + offset + scaled<Count>(target_up, risen);
    if (program.target_body != Vec3::Zero()) {
        const LaneQuat<Count> turned = standing<Count>(program.target_frame, program.hips.target_path,
                                                       program.hips.target_path.size(), target, target_stride)
                                           .rotation;
        const LaneVec<Count> to_legs = rotate(turned, splat<Count>(program.target_body));
        wanted = wanted - (program.by_legs ? to_legs : scaled<Count>(target_up, dot(to_legs, target_up)));
    }
    place<Count>(program.target_frame, program.hips.target_path, wanted, target, target_stride);
}

/// The end of a limb brought to where the source's is in proportion to both limbs' lengths.
template <std::size_t Count>
DENDRAXIS_LANE void reach_with(const TurnProgram& program, const TurnProgram::LimbStep& limb,
                               const Transform* source, std::size_t source_stride, Transform* target,
                               std::size_t target_stride, const LaneQuat<Count>* source_slots,
                               const LaneQuat<Count>* target_slots) {
    LaneQuat<Count> q = source_slots[limb.source_slot];
    LaneVec<Count> reach = splat<Count>(Vec3(Vec3::Zero()));
    for (const TurnProgram::LimbJoint& joint : limb.source_path) {
        const LaneVec<Count> offset = load_translation<Count>(source + joint.bone, source_stride);
        reach = reach + rotate(q, product(splat<Count>(joint.offset), offset));
        q = q * load<Count>(source + joint.bone, source_stride);
    }
    reach = reach + rotate(q, splat<Count>(limb.source_end));

    const LaneQuat<Count> above =
        limb.target_slot < 0 ? splat<Count>(program.target_above) : target_slots[limb.target_slot];
    const LaneQuat<Count> root = above * load<Count>(target + limb.root, target_stride);
    std::array<LaneVec<Count>, 2> bones;
    std::array<LaneQuat<Count>, 2> parents;
    std::array<LaneQuat<Count>, 2> own;
    q = root;
    for (std::size_t part = 0; part < 2; ++part) {
        bones[part] = splat<Count>(Vec3(Vec3::Zero()));
        for (const TurnProgram::LimbJoint& joint : limb.target_path[part]) {
            bones[part] = bones[part] + rotate(q, splat<Count>(joint.offset));
            parents[part] = q;
            q = q * load<Count>(target + joint.bone, target_stride);
        }
        own[part] = q;
    }
    const LaneVec<Count> end = bones[0] + bones[1];
    const LaneVec<Count> palm = end + rotate(own[1], splat<Count>(limb.target_end));
    const LaneVec<Count> asked =
        scaled<Count>(rotate(splat<Count>(program.to_target), reach), splat<Count>(limb.ratio));
    const LaneVec<Count> wanted = end + scaled<Count>(asked - palm, splat<Count>(limb.weight));
    const LaneLimbTurns<Count> turns = turn_two_bones<Count>(
        {bones[0], bones[1], wanted, rotate(above, splat<Count>(limb.hint))}, TurnProgram::k_soft_from);
    store<Count>(conjugate(above) * (turns.upper * root), target + limb.root, target_stride);
    store<Count>(conjugate(turns.upper * parents[0]) * (turns.lower * own[0]),
                 target + limb.target_path[0].back().bone, target_stride);
    // The end keeps its orientation.
    store<Count>(conjugate(turns.lower * parents[1]) * own[1], target + limb.target_path[1].back().bone,
                 target_stride);
}

/// One block of `Count` frames.
template <std::size_t Count>
DENDRAXIS_LANE void run_turn_block(const TurnProgram& program, const Transform* source,
                                   std::size_t source_stride, Transform* target, std::size_t target_stride,
                                   LaneQuat<Count>* slots) {
    LaneQuat<Count>* const source_slots = slots;
    LaneQuat<Count>* const target_slots = slots + program.source_steps.size();
    LaneQuat<Count>* next = source_slots;
    for (const TurnProgram::SourceStep& step : program.source_steps) {
        const LaneQuat<Count> local = load<Count>(source + step.bone, source_stride);
        *next++ = step.parent_slot < 0 ? splat<Count>(program.source_above) * local
                                       : source_slots[step.parent_slot] * local;
    }
    for (const TurnProgram::TargetStep& step : program.target_steps) {
        LaneQuat<Count> local;
        if (step.between) {
            LaneQuat<Count> away = turned_away<Count>(source_slots, step.slot_b, step.undo_b);
            if (step.share < 1.0f)
                away = slerp<Count>(turned_away<Count>(source_slots, step.slot_a, step.undo_a), away,
                                    step.share);
            const LaneQuat<Count> own = splat<Count>(program.to_target) * away * splat<Count>(step.after);
            const LaneQuat<Count> parent =
                step.parent_slot < 0 ? splat<Count>(program.target_above) : target_slots[step.parent_slot];
            local = conjugate(parent) * own;
        } else if (step.factor_count > 0) {
            local = factor<Count>(step.factors[0], source, source_stride);
            for (int i = 1; i < step.factor_count; ++i)
                local =
                    local * factor<Count>(step.factors[static_cast<std::size_t>(i)], source, source_stride);
            local = local * splat<Count>(step.after);
        } else {
            local = splat<Count>(step.after);
        }
        store<Count>(local, target + step.bone, target_stride);
        if (step.own_slot >= 0) {
            const LaneQuat<Count> parent =
                step.parent_slot < 0 ? splat<Count>(program.target_above) : target_slots[step.parent_slot];
            target_slots[step.own_slot] = parent * local;
        }
    }
    for (const TurnProgram::LimbStep& limb : program.limbs)
        reach_with<Count>(program, limb, source, source_stride, target, target_stride, source_slots,
                          target_slots);
    for (const TwistFeed& feed : program.twists) feed_twist<Count>(feed, target, target_stride);
    place_bodies<Count>(program, source, source_stride, target, target_stride);
}

template <std::size_t Count>
DENDRAXIS_LANE void run_turn_frames(const TurnProgram& program, const Transform* source, Transform* target,
                                    std::size_t frames, float* scratch) {
    auto* slots = reinterpret_cast<LaneQuat<Count>*>(scratch);
    const std::size_t from = program.source_bones;
    const std::size_t to = program.target_bones;
    std::size_t frame = 0;
    for (; frame + Count <= frames; frame += Count) {
        for (std::size_t i = 0; i < Count; ++i)
            std::memcpy(static_cast<void*>(target + (frame + i) * to), program.rest.data(),
                        to * sizeof(Transform));
        run_turn_block<Count>(program, source + frame * from, from, target + frame * to, to, slots);
    }
    // The last few frames go one by one, in all lanes at once: nothing depends on a lane's neighbors.
    for (; frame < frames; ++frame) {
        std::memcpy(static_cast<void*>(target + frame * to), program.rest.data(), to * sizeof(Transform));
        run_turn_block<Count>(program, source + frame * from, 0, target + frame * to, 0, slots);
    }
}

}  // namespace dendraxis::detail
