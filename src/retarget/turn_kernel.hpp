// The inner loop of a transfer: rotations of a source's poses in, rotations of a target's poses out. A
// program made once for a pairing, run over any number of frames, several of them at a time.
#pragma once

#include "twist.hpp"

#include <dendraxis/skeleton/skeleton.hpp>

#include <array>
#include <span>
#include <vector>

namespace dendraxis::detail {

/// A bone of the target that turns as source bone `a` does, on toward `b` by `share`, in model space. `a` may
/// be no bone, which does not turn.
struct BoneFollow {
    int a = k_no_bone;
    int b = k_no_bone;  ///< no bone: the target's bone keeps its rest
    float share = 0.0f;
    Quat matched = Quat::Identity();  ///< the matched orientation, seen from the source's model space
};

/// A limb of the target whose end is brought to where that of the source's limb is in proportion.
struct LimbFollow {
    std::array<int, 3> source{};  // root, middle, end
    std::array<int, 3> target{};
    Vec3 source_end = Vec3::Zero();  // what is brought, in the end bone's frame without its scale: the palm
    Vec3 target_end = Vec3::Zero();
    float ratio = 1.0f;  // of the limbs' lengths
    float weight = 1.0f;
    Vec3 hint = Vec3::Zero();  // in the target's model space at rest
};

struct TurnProgram {
    static constexpr float k_soft_from = 0.985f;  // of a limb's length, from where on its reach is eased
    static constexpr std::size_t k_longest_path = 4;

    /// A bone of the source whose orientation in model space is needed.
    struct SourceStep {
        int bone;
        int parent_slot;  // -1: what stands above the bones
    };

    /// A local rotation of the source on its way into one of the target: left * s, or, of a bone that is
    /// followed in part, left * (s * right)^power.
    struct Factor {
        int bone = k_no_bone;
        float power = 1.0f;
        Quat left = Quat::Identity();
        Quat right = Quat::Identity();
    };

    /// A bone of the target. Most are a product of factors and of `after`. Where that cannot be (the bone
    /// follows another branch of the source than its parent does) it is found `between` two orientations in
    /// model space. A bone without factors has the constant rotation `after`.
    struct TargetStep {
        int bone = 0;
        bool between = false;
        std::array<Factor, k_longest_path> factors{};
        int factor_count = 0;
        Quat after = Quat::Identity();
        int slot_a = -1;  // source orientations; -1: does not turn
        int slot_b = -1;
        Quat undo_a = Quat::Identity();  // the rest that is taken off
        Quat undo_b = Quat::Identity();
        float share = 0.0f;
        int parent_slot = -1;  // of the target's parent's orientation; -1: what stands above
        int own_slot = -1;     // where its own is kept for others; -1: nobody asks
    };

    /// Where hips and root go: the source's way down to each in, a translation of the target's out.
    struct BodyStep {
        std::vector<int> source_path;  // from the root; empty: not carried
        std::vector<int> target_path;
    };

    /// A bone on the way down a limb. `offset`: of the source what its translation is multiplied by, of the
    /// target its rest translation times that.
    struct LimbJoint {
        int bone;
        Vec3 offset;
    };

    struct LimbStep {
        int source_slot = -1;  // of the root's orientation
        int target_slot = -1;  // of the root's parent's
        std::vector<LimbJoint> source_path;
        int root = 0;
        std::array<std::vector<LimbJoint>, 2> target_path;  // to the middle joint, and on to the end
        Vec3 source_end = Vec3::Zero();
        Vec3 target_end = Vec3::Zero();
        float ratio = 1.0f;
        float weight = 1.0f;
        Vec3 hint = Vec3::Zero();  // in the root's parent's frame
    };

    std::size_t source_bones = 0;
    std::size_t target_bones = 0;
    Quat source_above = Quat::Identity();
    Quat target_above = Quat::Identity();
    Quat to_target = Quat::Identity();
    std::vector<SourceStep> source_steps;
    std::vector<TargetStep>
        target_steps;  // parents first; those that keep their rest and are not asked for left out
    std::size_t target_slots = 0;
    std::vector<Transform> rest;  // the target's, local: what no step writes
    Transform source_frame;       // what stands above the bones
    Transform target_frame;
    std::vector<LimbStep> limbs;
    std::vector<TwistFeed> twists;
    BodyStep hips;
    BodyStep root;
    Vec3 source_up = Vec3::UnitY();
    Vec3 target_up = Vec3::UnitY();
    float source_floor = 0.0f;
    float target_floor = 0.0f;
    float leg_ratio = 1.0f;
    float hips_ratio = 1.0f;
    Vec3 hips_offset = Vec3::Zero();  // over the floor: what scaling leaves over at rest; turns with the root
    Vec3 source_body = Vec3::Zero();  // in the frame of the source's bone: the position that is followed
    Vec3 target_body = Vec3::Zero();  // in the hips' frame: the position that is brought to it
    bool by_legs = false;             // over the floor those positions answer to each other, else the bones
    Quat root_undo = Quat::Identity();
    Vec3 source_root_rest = Vec3::Zero();
    Vec3 target_root_rest = Vec3::Zero();

    /// Floats of scratch for one run with 8 lanes.
    std::size_t scratch_floats() const { return 32 * (source_steps.size() + target_slots) + 8; }
};

/// `follow` has one entry a bone of the target; `source_stance` the orientations, in model space, that turns
/// are measured from.
TurnProgram compile_turns(const Skeleton& source, const Skeleton& target, const Quat& to_target,
                          std::span<const BoneFollow> follow, std::span<const Quat> source_stance,
                          std::span<const LimbFollow> limbs);

/// Runs the program over `frames` poses. Translations (but those of hips and root) and scales of the
/// target are those of its rest. `scratch` holds `scratch_floats()`. Never allocates or throws.
void run_turns(const TurnProgram& program, const Transform* source, Transform* target, std::size_t frames,
               float* scratch) noexcept;

/// The lane counts that this machine can run, for tests: 1, 4 and, where it has AVX2, 8.
std::vector<std::size_t> turn_lane_counts();
void run_turns_with(std::size_t lanes, const TurnProgram& program, const Transform* source, Transform* target,
                    std::size_t frames, float* scratch) noexcept;

}  // namespace dendraxis::detail
