// Own method; the layout follows what was measured in docs/performance.md: poses stay arrays of transforms,
// the lanes are frames, transposed at load and store.
#include "turn_lanes.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis {

#ifdef DENDRAXIS_AVX2
void run_turns_avx2(const TurnProgram& program, const Transform* source, Transform* target,
                    std::size_t frames, float* scratch) noexcept;
#endif

namespace {

class TurnCompiler {
 public:
    TurnCompiler(const Skeleton& source, const Skeleton& target, std::span<const BoneFollow> follow,
                 std::span<const Quat> stance, TurnProgram& program)
        : source_(source),
          target_(target),
          follow_(follow),
          stance_(stance),
          program_(program),
          source_slot_(source.size(), -1),
          target_slot_(target.size(), -1) {}

    void compile() {
        std::vector<TurnProgram::TargetStep> steps;
        for (int bone = 0; bone < static_cast<int>(target_.size()); ++bone) steps.push_back(step_for(bone));
        // What a bone between two others needs of its parent, the parents need of theirs.
        std::vector<char> asked(target_.size(), 0);
        for (const TurnProgram::TargetStep& step : steps) {
            if (!step.between) continue;
            for (int bone = target_.parent(step.bone); bone != k_no_bone; bone = target_.parent(bone))
                asked[static_cast<std::size_t>(bone)] = 1;
        }
        for (TurnProgram::TargetStep& step : steps) {
            const auto b = static_cast<std::size_t>(step.bone);
            const int parent = target_.parent(step.bone);
            step.parent_slot = parent == k_no_bone ? -1 : target_slot_[static_cast<std::size_t>(parent)];
            if (asked[b]) {
                step.own_slot = static_cast<int>(program_.target_slots++);
                target_slot_[b] = step.own_slot;
            }
            const bool moves = step.between || step.path_length > 0;
            if (moves || asked[b]) program_.target_steps.push_back(step);
            if (!moves) program_.rest[b].rotation = step.before;
        }
    }

 private:
    const BoneFollow& follow(int bone) const { return follow_[static_cast<std::size_t>(bone)]; }
    const Quat& stance(int bone) const { return stance_[static_cast<std::size_t>(bone)]; }

    int slot_of(int bone) {
        if (bone == k_no_bone) return -1;
        int& slot = source_slot_[static_cast<std::size_t>(bone)];
        if (slot >= 0) return slot;
        const int parent = slot_of(source_.parent(bone));
        program_.source_steps.push_back({bone, parent});
        slot = static_cast<int>(program_.source_steps.size()) - 1;
        return slot;
    }

    // A bone that turns wholly as one of the source does, under a bone that does so as well (or under none):
    // its local rotation is a constant, the source's locals from that one to this one, and another constant.
    bool find_path(int bone, TurnProgram::TargetStep& step) const {
        const BoneFollow& own = follow(bone);
        if (own.share < 1.0f) return false;
        Quat kept = Quat::Identity();  // locals between that keep their rest
        int above = target_.parent(bone);
        while (above != k_no_bone && follow(above).b == k_no_bone) {
            kept = target_.bone(above).rest.rotation * kept;
            above = target_.parent(above);
        }
        int until = k_no_bone;
        if (above != k_no_bone) {
            if (follow(above).share < 1.0f) return false;
            until = follow(above).b;
        }
        std::vector<int> path;
        for (int s = own.b; s != until; s = source_.parent(s)) {
            if (s == k_no_bone) return false;
            path.push_back(s);
        }
        if (path.size() > TurnProgram::k_longest_path) return false;
        std::reverse(path.begin(), path.end());
        const Quat after = stance(own.b).conjugate() * own.matched;
        Quat before = Quat::Identity();
        if (above == k_no_bone) {
            before = (program_.target_above * kept).conjugate() * program_.to_target * program_.source_above;
        } else {
            before = (follow(above).matched * kept).conjugate() * stance(until);
        }
        step.path_length = static_cast<int>(path.size());
        std::copy(path.begin(), path.end(), step.path.begin());
        step.before = before.normalized();
        step.after = after.normalized();
        // The same source bone as above: it does not turn against its parent.
        if (path.empty()) step.before = (before * after).normalized();
        return true;
    }

    TurnProgram::TargetStep step_for(int bone) {
        TurnProgram::TargetStep step;
        step.bone = bone;
        step.before = target_.bone(bone).rest.rotation;
        const BoneFollow& own = follow(bone);
        if (own.b == k_no_bone || find_path(bone, step)) return step;
        step.between = true;
        step.share = own.share;
        step.slot_a = own.share < 1.0f ? slot_of(own.a) : -1;
        step.slot_b = slot_of(own.b);
        if (own.a != k_no_bone) step.undo_a = stance(own.a).conjugate();
        step.undo_b = stance(own.b).conjugate();
        step.after = own.matched;
        return step;
    }

    const Skeleton& source_;
    const Skeleton& target_;
    std::span<const BoneFollow> follow_;
    std::span<const Quat> stance_;
    TurnProgram& program_;
    std::vector<int> source_slot_;
    std::vector<int> target_slot_;
};

using Run = void (*)(const TurnProgram&, const Transform*, Transform*, std::size_t, float*) noexcept;

void run_turns_four(const TurnProgram& program, const Transform* source, Transform* target,
                    std::size_t frames, float* scratch) noexcept {
    run_turn_frames<4>(program, source, target, frames, scratch);
}

void run_turns_one(const TurnProgram& program, const Transform* source, Transform* target, std::size_t frames,
                   float* scratch) noexcept {
    run_turn_frames<1>(program, source, target, frames, scratch);
}

bool has_avx2() {
#ifdef DENDRAXIS_AVX2
    return __builtin_cpu_supports("avx2") != 0;
#else
    return false;
#endif
}

Run run_with(std::size_t lanes) {
#ifdef DENDRAXIS_AVX2
    if (lanes == 8) return run_turns_avx2;
#endif
    return lanes == 1 ? run_turns_one : run_turns_four;
}

}  // namespace

TurnProgram compile_turns(const Skeleton& source, const Skeleton& target, const Quat& to_target,
                          std::span<const BoneFollow> follow, std::span<const Quat> source_stance) {
    TurnProgram program;
    program.source_bones = source.size();
    program.target_bones = target.size();
    program.source_above = source.above().rotation;
    program.target_above = target.above().rotation;
    program.to_target = to_target;
    program.rest = rest_pose(target);
    TurnCompiler(source, target, follow, source_stance, program).compile();
    return program;
}

std::vector<std::size_t> turn_lane_counts() {
    return has_avx2() ? std::vector<std::size_t>{1, 4, 8} : std::vector<std::size_t>{1, 4};
}

void run_turns(const TurnProgram& program, const Transform* source, Transform* target, std::size_t frames,
               float* scratch) noexcept {
    static const Run k_run = run_with(has_avx2() ? 8 : 4);
    k_run(program, source, target, frames, scratch);
}

void run_turns_with(std::size_t lanes, const TurnProgram& program, const Transform* source, Transform* target,
                    std::size_t frames, float* scratch) noexcept {
    run_with(lanes)(program, source, target, frames, scratch);
}

}  // namespace dendraxis
