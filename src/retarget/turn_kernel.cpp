// Own method; the layout follows what was measured in docs/performance.md: poses stay arrays of transforms,
// the lanes are frames, transposed at load and store.
#include "turn_lanes.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis::detail {

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

    void compile(std::span<const LimbFollow> limbs) {
        std::vector<TurnProgram::TargetStep> steps;
        for (int bone = 0; bone < static_cast<int>(target_.size()); ++bone) steps.push_back(step_for(bone));
        // What a bone between two others needs of its parent, the parents need of theirs.
        std::vector<char> asked(target_.size(), 0);
        const auto ask_above = [&](int bone) {
            for (bone = target_.parent(bone); bone != k_no_bone; bone = target_.parent(bone))
                asked[static_cast<std::size_t>(bone)] = 1;
        };
        for (const TurnProgram::TargetStep& step : steps) {
            if (step.between) ask_above(step.bone);
        }
        for (const LimbFollow& limb : limbs) ask_above(limb.target[0]);
        for (TurnProgram::TargetStep& step : steps) {
            const auto b = static_cast<std::size_t>(step.bone);
            const int parent = target_.parent(step.bone);
            step.parent_slot = parent == k_no_bone ? -1 : target_slot_[static_cast<std::size_t>(parent)];
            if (asked[b]) {
                step.own_slot = static_cast<int>(program_.target_slots++);
                target_slot_[b] = step.own_slot;
            }
            const bool moves = step.between || step.factor_count > 0;
            if (moves || asked[b]) program_.target_steps.push_back(step);
            if (!moves) program_.rest[b].rotation = step.after;
        }
        for (const LimbFollow& limb : limbs) program_.limbs.push_back(limb_step(limb));
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

    // The path in the source from `until` (not included) down to `bone`; false where it does not lead there.
    bool find_path(int until, int bone, std::vector<int>& result) const {
        for (int s = bone; s != until; s = source_.parent(s)) {
            if (s == k_no_bone) return false;
            result.push_back(s);
        }
        std::reverse(result.begin(), result.end());
        return true;
    }

    // left * D_b^power with D_b = R_a s_b R_b^-1, `a` being the parent of `b`. As D_b is R_a (s_b R_b^-1 R_a)
    // R_a^-1, so are its powers, which saves a product; what is left over on the right is returned in `rest`.
    TurnProgram::Factor part_of_turn(Quat left, int b, float power, Quat& rest) const {
        const Quat& above = stance(source_.parent(b));
        rest = above.conjugate();
        return {b, power, left * above, stance(b).conjugate() * above};
    }

    bool is_partial(const BoneFollow& own) const { return own.share < 1.0f; }
    bool can_be_part(const BoneFollow& own) const {
        return own.a != k_no_bone && source_.parent(own.b) == own.a;
    }

    // A bone's local rotation as a product, where its parent follows the same branch of the source. In model
    // space a bone that follows `b` wholly stands at C S_b R_b^-1 M (C to the target's space, S the source's
    // orientation, R its stance, M the matched one), one that follows it in part at C S_a R_a^-1 D_b^share M
    // with D_b = R_a s_b R_b^-1. The parent's inverse times this leaves locals s and powers of D between
    // constants.
    bool find_product(int bone, TurnProgram::TargetStep& step) const {
        const BoneFollow& own = follow(bone);
        if (is_partial(own) && !can_be_part(own)) return false;
        Quat kept = Quat::Identity();  // locals above that keep their rest
        int above = target_.parent(bone);
        while (above != k_no_bone && follow(above).b == k_no_bone) {
            kept = target_.bone(above).rest.rotation * kept;
            above = target_.parent(above);
        }
        std::vector<TurnProgram::Factor> factors;
        Quat left;             // the constant before the next factor
        int from = k_no_bone;  // the source bone whose orientation the parent's ends with
        if (above == k_no_bone) {
            left = (program_.target_above * kept).conjugate() * program_.to_target * program_.source_above;
        } else {
            const BoneFollow& parent = follow(above);
            left = (parent.matched * kept).conjugate();
            from = parent.b;
            if (is_partial(parent)) {
                if (!can_be_part(parent)) return false;
                if (is_partial(own) && own.b == parent.b) {
                    if (own.share <= parent.share) return false;
                    factors.push_back(part_of_turn(left, own.b, own.share - parent.share, left));
                    return finish(factors, left * own.matched, step);
                }
                factors.push_back(part_of_turn(left, parent.b, 1.0f - parent.share, left));
            }
            left = left * stance(from);
        }
        std::vector<int> path;
        if (!find_path(from, is_partial(own) ? own.a : own.b, path)) return false;
        for (const int s : path) {
            factors.push_back({s, 1.0f, left, Quat::Identity()});
            left = Quat::Identity();
        }
        const int last = is_partial(own) ? own.a : own.b;
        left = left * stance(last).conjugate();
        if (!is_partial(own)) return finish(factors, left * own.matched, step);
        factors.push_back(part_of_turn(left, own.b, own.share, left));
        return finish(factors, left * own.matched, step);
    }

    static bool finish(const std::vector<TurnProgram::Factor>& factors, const Quat& after,
                       TurnProgram::TargetStep& step) {
        if (factors.size() > TurnProgram::k_longest_path) return false;
        std::copy(factors.begin(), factors.end(), step.factors.begin());
        step.factor_count = static_cast<int>(factors.size());
        step.after = after.normalized();
        return true;
    }

    TurnProgram::LimbStep limb_step(const LimbFollow& limb) {
        const std::vector<Transform> source_rest = rest_in_model_space(source_);
        const std::vector<Transform> target_rest = rest_in_model_space(target_);
        TurnProgram::LimbStep step;
        step.source_slot = slot_of(limb.source[0]);
        step.root = limb.target[0];
        const int above = target_.parent(step.root);
        step.target_slot = above == k_no_bone ? -1 : target_slot_[static_cast<std::size_t>(above)];
        for (const int bone : bones_between(source_, limb.source[0], limb.source[2]))
            step.source_path.push_back(
                {bone, source_rest[static_cast<std::size_t>(source_.parent(bone))].scale});
        for (std::size_t part = 0; part < 2; ++part) {
            for (const int bone : bones_between(target_, limb.target[part], limb.target[part + 1])) {
                const Vec3& scale = target_rest[static_cast<std::size_t>(target_.parent(bone))].scale;
                step.target_path[part].push_back(
                    {bone, scale.cwiseProduct(target_.bone(bone).rest.translation)});
            }
        }
        step.source_end = limb.source_end;
        step.target_end = limb.target_end;
        step.ratio = limb.ratio;
        step.weight = limb.weight;
        const Quat& stands = above == k_no_bone ? target_.above().rotation
                                                : target_rest[static_cast<std::size_t>(above)].rotation;
        step.hint = stands.conjugate() * limb.hint;
        return step;
    }

    // From below `first` down to `last`.
    static std::vector<int> bones_between(const Skeleton& skeleton, int first, int last) {
        std::vector<int> bones;
        for (int bone = last; bone != first; bone = skeleton.parent(bone)) bones.push_back(bone);
        std::reverse(bones.begin(), bones.end());
        return bones;
    }

    TurnProgram::TargetStep step_for(int bone) {
        TurnProgram::TargetStep step;
        step.bone = bone;
        step.after = target_.bone(bone).rest.rotation;
        const BoneFollow& own = follow(bone);
        if (own.b == k_no_bone || find_product(bone, step)) return step;
        step.factor_count = 0;
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
                          std::span<const BoneFollow> follow, std::span<const Quat> source_stance,
                          std::span<const LimbFollow> limbs) {
    TurnProgram program;
    program.source_bones = source.size();
    program.target_bones = target.size();
    program.source_above = source.above().rotation;
    program.target_above = target.above().rotation;
    program.to_target = to_target;
    program.rest = rest_pose(target);
    program.source_frame = source.above();
    program.target_frame = target.above();
    TurnCompiler(source, target, follow, source_stance, program).compile(limbs);
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

}  // namespace dendraxis::detail
