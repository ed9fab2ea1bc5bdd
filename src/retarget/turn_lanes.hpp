// The inner loop itself, written once for any number of lanes. Included where it is compiled for one of them.
#pragma once

#include "lanes.hpp"
#include "turn_kernel.hpp"

namespace dendraxis {

template <std::size_t Count>
DENDRAXIS_LANE LaneQuat<Count> turned_away(const LaneQuat<Count>* slots, int slot, const Quat& undo) {
    if (slot < 0) return splat<Count>(Quat::Identity());
    return slots[slot] * splat<Count>(undo);
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
        } else if (step.path_length > 0) {
            local = load<Count>(source + step.path[0], source_stride);
            for (int i = 1; i < step.path_length; ++i)
                local = local * load<Count>(source + step.path[static_cast<std::size_t>(i)], source_stride);
            local = splat<Count>(step.before) * local * splat<Count>(step.after);
        } else {
            local = splat<Count>(step.before);
        }
        store<Count>(local, target + step.bone, target_stride);
        if (step.own_slot >= 0) {
            const LaneQuat<Count> parent =
                step.parent_slot < 0 ? splat<Count>(program.target_above) : target_slots[step.parent_slot];
            target_slots[step.own_slot] = parent * local;
        }
    }
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
    // The last few frames go one by one: a lane's result does not depend on its neighbors.
    for (; frame < frames; ++frame) {
        std::memcpy(static_cast<void*>(target + frame * to), program.rest.data(), to * sizeof(Transform));
        run_turn_block<1>(program, source + frame * from, from, target + frame * to, to,
                          reinterpret_cast<LaneQuat<1>*>(scratch));
    }
}

}  // namespace dendraxis
