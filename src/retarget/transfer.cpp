// Own method: rotations relative to a matched stance in model space; where bone counts differ, those of the
// bones that overlap by arc length.
#include "aim_limbs.hpp"
#include "body_bone.hpp"
#include "calm_whips.hpp"
#include "carry_positions.hpp"
#include "carry_steps.hpp"
#include "chain_map.hpp"
#include "clear_arms.hpp"
#include "pass_guard.hpp"
#include "turn_kernel.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/flat.hpp>
#include <dendraxis/chart/floor.hpp>
#include <dendraxis/chart/loop.hpp>
#include <dendraxis/retarget/matched_stance.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <optional>

namespace dendraxis {
namespace {

using namespace detail;

float ratio(float target, float source) {
    return target > 1e-6f && source > 1e-6f ? target / source : 0.0f;
}

// The bones from the root to `bone`, itself included; none for no bone.
std::vector<int> path_down(const Skeleton& skeleton, int bone) {
    std::vector<int> path;
    for (; bone != k_no_bone; bone = skeleton.parent(bone)) path.push_back(bone);
    std::reverse(path.begin(), path.end());
    return path;
}

// A chain with the bone above it, from whose joint its first stretch runs: the hips of a spine.
Chain with_start(Chain chain, int above) {
    chain.bones.insert(chain.bones.begin(), above);
    return chain;
}

// For every bone of a target chain the source bones whose stretch of the chain it overlaps. A spine is
// measured from the hips.
template <class Set>
void spread(const Pairing& pairing, const std::array<BodyTree, 2>& bodies, Chain chain, Chain answer,
            const std::vector<Transform>& source_rest, const std::vector<Transform>& target_rest,
            const Set& set) {
    const Vec3 tail = chain_tail(bodies[1], chain, target_rest);
    const Vec3 source_tail = chain_tail(bodies[0], answer, source_rest);
    const bool is_spine = chain.name == "spine" && answer.name == "spine";
    if (is_spine) {
        chain = with_start(chain, pairing.target.hips);
        answer = with_start(answer, pairing.source.hips);
    }
    const std::vector<SegmentOverlap> over =
        overlaps(joint_shares(chain, target_rest, tail), joint_shares(answer, source_rest, source_tail));
    const int body = body_bone(pairing.source);
    const auto bone_at = [&](std::size_t i) { return is_spine && i == 0 ? body : answer.bones[i]; };
    for (std::size_t i = is_spine ? 1 : 0; i < chain.bones.size(); ++i) {
        const bool whole = over[i].first == over[i].second;
        set(chain.bones[i], bone_at(over[i].first), bone_at(over[i].second), whole ? 1.0f : over[i].share);
    }
}

LimbFollow follow_of(const LimbPlan& plan, const Vec3& bend) {
    LimbFollow limb;
    limb.source = plan.source.bones;
    limb.target = plan.target.bones;
    limb.ratio = plan.target_length / plan.source_length;
    limb.weight = plan.reach;
    limb.hint = bend;
    return limb;
}

// The limbs whose ends are brought in proportion; of an arm, the palm.
std::vector<LimbFollow> reaching_limbs(const PassPlan& plan) {
    std::vector<LimbFollow> limbs;
    const Vec3& facing = plan.pairing.target.facing;
    for (const LimbPlan& leg : plan.legs) {
        if (leg.reach != 0.0f && leg.source.ends_in_joint() && leg.target.ends_in_joint())
            limbs.push_back(follow_of(leg, facing));
    }
    for (const LimbPlan& arm : plan.arms) {
        const ArmShape* source = plan.source_arm(arm);
        if (arm.reach == 0.0f || !arm.source.ends_in_joint() || !arm.target.ends_in_joint()) continue;
        limbs.push_back(follow_of(arm, -facing));
        const Probe& palm = plan.target_arm(arm).palm();
        if (source == nullptr || source->palm().bone != arm.source.bones[2] ||
            palm.bone != arm.target.bones[2])
            continue;
        limbs.back().source_end = source->palm().offset;
        limbs.back().target_end = palm.offset;
    }
    return limbs;
}

bool may_lean(const Pairing& pairing) {
    const PairingSettings& settings = pairing.settings;
    return settings.turns.empty() && (settings.target_stance.empty() || settings.target_stance == "rest");
}

constexpr float k_clear_seconds = 0.2f;       // in which an arm goes around the body
constexpr float k_soft_clear_seconds = 0.4f;  // if that would jerk it

// Runs a pass that takes arms out of the body straight, and to any side, and keeps the better result.
template <typename Pass>
bool run_both_ways(PassGuard& guard, const PassGuard::Price& price, const Pass& pass) {
    return guard.run_best(price, std::array<PassGuard::Pass, 2>{[&] { return pass(WaysOut::straight); },
                                                                [&] { return pass(WaysOut::any); }});
}

// The passes that correct what turning leaves over, each only if it mends more than it harms.
void run_passes(PassRun& run) {
    const PairingSettings& settings = run.plan.pairing.settings;
    // Arms of a flat figure lie before its body or behind it.
    const bool clears = settings.clearance && run.plan.pairing.target.shape.flat_across.isZero();
    ArmDepths depths(run);
    PassGuard guard(run, clears ? &depths : nullptr);
    if (settings.feet) {
        const auto hold = [&](FeetBy by) {
            const auto as_carried = [&run, by](int rounds) {
                for (int round = 0; round < rounds; ++round) hold_feet(run, by);
                return 0.0f;
            };
            const auto tilted = [&run, by] {
                const float cost = tilt_feet(run);
                if (cost > 0.0f) hold_feet(run, by);
                return -cost;
            };
            // A foot that turns with its shin is placed by iteration: two rounds suit some bodies, four
            // others.
            const bool turns = run.plan.turns_feet();
            return guard.run_best(
                PassGuard::k_feet_price,
                std::array<PassGuard::Pass, 3>{[&] { return as_carried(turns ? 2 : 1); },
                                               [&] { return as_carried(turns ? 4 : 0); }, tilted});
        };
        if (!run.plan.legs.empty() && !hold(FeetBy::legs)) hold(FeetBy::hips);
        const auto stand = [&run] {
            stand_on_stiff_legs(run);
            return 0.0f;
        };
        const auto plant = [&run] {
            plant_stiff_legs(run);
            stand_on_stiff_legs(run);
            return 0.0f;
        };
        if (!run.plan.stiff_legs.empty())
            guard.run_best(PassGuard::k_feet_price, std::array<PassGuard::Pass, 2>{stand, plant});
    }
    guard.run(PassGuard::k_arms_price, [&] { return place_hands(run); });
    float ease = k_clear_seconds;
    if (clears) {
        const auto clear = [&](WaysOut ways) {
            ArmClearer(run, depths, ways, ease).clear();
            return 0.0f;
        };
        if (!run_both_ways(guard, PassGuard::k_clear_price, clear)) {
            ease = k_soft_clear_seconds;
            run_both_ways(guard, PassGuard::k_clear_price, clear);
        }
    }
    if (settings.hands) {
        run_both_ways(guard, PassGuard::k_arms_price, [&](WaysOut ways) {
            ArmClearer clearer(run, depths, ways, ease);
            return keep_hands_together(run, clears ? &clearer : nullptr);
        });
    }
    if (settings.ranges) keep_in_ranges(run);
}

constexpr std::size_t k_aligned = 8;  // floats: lanes must lie on their own width

struct TransferScratch final : Workspace::Part {
    std::vector<float> lanes;
    std::vector<Transform> source_pose;
    std::vector<Transform> target_pose;
};

}  // namespace

Transfer::Transfer(const Pairing& pairing)
    : source_bones_(pairing.source.skeleton.size()), target_bones_(pairing.target.skeleton.size()) {
    require_hips(pairing.source);
    require_hips(pairing.target);
    const MatchedStance stance = match_stance(pairing);
    passes_ = std::make_shared<PassPlan>(pairing);
    if (!pairing.target.shape.flat_across.isZero() && !pairing.is_same_build())
        plane_ = std::make_shared<PlaneKeeper>(pairing.target);
    TurnProgram program;
    program.to_target = source_to_target(pairing);
    compile_follow(pairing, stance, program);
    compile_root_motion(pairing, stance.hips_drop, program);
    program.twists = find_twists(pairing.target);
    const std::vector<int> followed = followed_bones(pairing);
    std::erase_if(program.twists, [&](const TwistFeed& feed) {
        return followed[static_cast<std::size_t>(feed.bone)] != k_no_bone;
    });
    program_ = std::make_shared<TurnProgram>(std::move(program));
}

void Transfer::compile_follow(const Pairing& pairing, const MatchedStance& stance, TurnProgram& program) {
    const Chart& source = pairing.source;
    const Chart& target = pairing.target;
    const Quat to_target = program.to_target;
    const std::vector<Transform> source_rest = rest_in_model_space(source.skeleton);
    const std::vector<Transform> target_rest = rest_in_model_space(target.skeleton);
    const std::array bodies{BodyTree(source), BodyTree(target)};
    std::vector<Quat> source_stance;
    for (const Transform& bone : source_stance_in_model_space(pairing))
        source_stance.push_back(bone.rotation);
    std::vector<BoneFollow> follow(target_bones_);
    const auto set = [&](int bone, int a, int b, float share) {
        const auto i = static_cast<std::size_t>(bone);
        const Quat matched = to_target.conjugate() * stance.turns[i] * target_rest[i].rotation;
        follow[i] = {a, b, share, matched.normalized()};
    };
    const int body = body_bone(source);
    set(target.hips, body, body, 1.0f);
    const bool has_root =
        source.root != k_no_bone && target.root != k_no_bone &&
        (!pairing.is_same_build() ||
         pairing.bones.answers[static_cast<std::size_t>(target.root)].source == source.root);
    if (has_root) set(target.root, source.root, source.root, 1.0f);
    const std::vector<int> followed = followed_bones(pairing);
    const auto is_followed = [&](int bone) { return followed[static_cast<std::size_t>(bone)] != k_no_bone; };
    for (const Chain& chain : target.chains) {
        const Chain* answer = pairing.source_of(chain);
        if (answer == nullptr || answer->bones.empty() || is_left_out(pairing, chain)) continue;
        if (std::any_of(chain.bones.begin(), chain.bones.end(), is_followed)) continue;
        if (answer->bones.size() != chain.bones.size() || chain.name == "spine") {
            spread(pairing, bodies, chain, *answer, source_rest, target_rest, set);
            continue;
        }
        for (std::size_t i = 0; i < chain.bones.size(); ++i)
            set(chain.bones[i], answer->bones[i], answer->bones[i], 1.0f);
    }
    if (!pairing.is_same_build()) {
        const std::vector<int> same_names = namesakes(pairing);
        for (std::size_t b = 0; b < same_names.size(); ++b) {
            if (same_names[b] != k_no_bone) set(static_cast<int>(b), same_names[b], same_names[b], 1.0f);
        }
    }
    for (int bone = 0; bone < static_cast<int>(target_bones_); ++bone) {
        const int source_bone = followed[static_cast<std::size_t>(bone)];
        if (source_bone != k_no_bone) set(bone, source_bone, source_bone, 1.0f);
    }
    std::vector<char> is_aimed;
    for (const Chain& chain : target.chains)
        is_aimed.push_back(
            may_aim(pairing, chain) && std::none_of(chain.bones.begin(), chain.bones.end(), is_followed) ? 1
                                                                                                         : 0);
    aims_ = std::make_shared<AimProgram>(
        compile_aims(pairing, is_aimed, may_lean(pairing) && !is_followed(target.hips), to_target, stance));
    positions_ = std::make_shared<PositionProgram>(compile_positions(pairing, followed, to_target));
    program = compile_turns(source.skeleton, target.skeleton, to_target, follow, source_stance,
                            reaching_limbs(*passes_));
    const bool hips_follows = is_followed(target.hips);
    program.hips = {
        path_down(source.skeleton, hips_follows ? followed[static_cast<std::size_t>(target.hips)] : body),
        path_down(target.skeleton, target.hips)};
    if (has_root) {
        program.root = {path_down(source.skeleton, source.root), path_down(target.skeleton, target.root)};
        program.root_undo = source_stance[static_cast<std::size_t>(source.root)].conjugate();
        program.source_root_rest = source_rest[static_cast<std::size_t>(source.root)].translation;
        program.target_root_rest = target_rest[static_cast<std::size_t>(target.root)].translation;
    }
}

void Transfer::compile_root_motion(const Pairing& pairing, float hips_drop, TurnProgram& program) {
    const Chart& source = pairing.source;
    const Chart& target = pairing.target;
    const std::vector<Transform> source_rest = rest_in_model_space(source.skeleton);
    const std::vector<Transform> target_rest = rest_in_model_space(target.skeleton);
    const auto head = [](const std::vector<Transform>& rest, int bone) -> const Vec3& {
        return rest[static_cast<std::size_t>(bone)].translation;
    };
    const bool is_same = pairing.is_same_build();
    const int source_bone = program.hips.source_path.back();
    const Vec3 source_body = is_same ? head(source_rest, source_bone)
                                     : legs_middle(source, source_rest, answering_legs(source, target));
    const Vec3 target_legs = is_same ? head(target_rest, target.hips)
                                     : legs_middle(target, target_rest, answering_legs(target, source));
    const Vec3 target_body = target_legs - hips_drop * target.up;
    const auto carried_by = [](const Transform& bone, const Vec3& position) -> Vec3 {
        return bone.rotation.conjugate() * (position - bone.translation);
    };
    program.source_body = carried_by(source_rest[static_cast<std::size_t>(source_bone)], source_body);
    program.target_body = carried_by(target_rest[static_cast<std::size_t>(target.hips)], target_legs);
    leg_ratio_ = dendraxis::leg_ratio(pairing);
    const float source_height = source_body.dot(source.up) - (is_same ? 0.0f : source.rest_floor);
    const float target_height = target_body.dot(target.up) - (is_same ? 0.0f : target.rest_floor);
    hips_ratio_ = is_same ? leg_ratio_ : ratio(target_height, source_height);
    const float size_ratio = ratio(target.height, source.height);
    if (hips_ratio_ == 0.0f) hips_ratio_ = size_ratio == 0.0f ? 1.0f : size_ratio;
    // Standing answers to standing; from there it comes down as far as its legs are long.
    program.hips_ratio = leg_ratio_;
    program.source_floor = is_same ? 0.0f : source.floor;
    program.target_floor = (is_same ? 0.0f : target.floor) + target_height - leg_ratio_ * source_height;
    program.source_up = source.up;
    program.target_up = target.up;
    program.leg_ratio = leg_ratio_;
    const auto over_floor = [](const Vec3& position, const Vec3& up) -> Vec3 {
        return position - position.dot(up) * up;
    };
    program.by_legs = !is_same && !hips_answer(pairing);
    const Vec3& answering = program.by_legs ? source_body : head(source_rest, source_bone);
    program.hips_offset =
        over_floor(program.by_legs ? target_legs : head(target_rest, target.hips), target.up) -
        leg_ratio_ * (program.to_target * over_floor(answering, source.up));
}

void Transfer::reserve(Workspace& workspace) const {
    auto& own = workspace.part<TransferScratch>();
    own.lanes.resize(std::max(own.lanes.size(), program_->scratch_floats() + k_aligned));
    own.source_pose.resize(source_bones_);
    own.target_pose.resize(target_bones_);
}

void Transfer::apply(std::span<const Transform> source, std::span<Transform> target,
                     Workspace& workspace) const {
    apply(*positions_, source, target, workspace);
}

void Transfer::apply(const PositionProgram& positions, std::span<const Transform> source,
                     std::span<Transform> target, Workspace& workspace) const {
    if (source_bones_ == 0 || target_bones_ == 0) return;
    reserve(workspace);
    auto& own = workspace.part<TransferScratch>();
    const auto address = reinterpret_cast<std::uintptr_t>(own.lanes.data());
    float* scratch = own.lanes.data() + (k_aligned - address / sizeof(float) % k_aligned) % k_aligned;
    const std::size_t frames = std::min(source.size() / source_bones_, target.size() / target_bones_);
    run_turns(*program_, source.data(), target.data(), frames, scratch);
    const detail::AttachProgram& attachments = passes_->attachments;
    const bool has_more = !positions.steps.empty() || !aims_->limbs.empty() || !attachments.is_empty();
    for (std::size_t f = 0; has_more && f < frames; ++f) {
        const auto from = source.subspan(f * source_bones_, source_bones_);
        const auto to = target.subspan(f * target_bones_, target_bones_);
        carry_positions(positions, passes_->pairing, from, to, own.source_pose, own.target_pose);
        aim_limbs(*aims_, AimOf::limbs, passes_->pairing, from, to, own.source_pose, own.target_pose);
        attach(attachments, passes_->pairing.target.skeleton, to);
    }
    if (plane_) plane_->apply(target.first(frames * target_bones_));
}

Clip Transfer::apply_turns(const Clip& clip) const {
    if (clip.bone_count != source_bones_) {
        throw Error(clip.name,
                    "the clip has " + std::to_string(clip.bone_count) + " bones, its source character " +
                        std::to_string(source_bones_),
                    "", "use a clip of the source character");
    }
    Clip result;
    result.name = clip.name;
    result.fps = clip.fps;
    result.start = clip.start;
    result.bone_count = target_bones_;
    result.transforms.resize(clip.frame_count() * target_bones_);
    Workspace workspace;
    const Pairing& pairing = passes_->pairing;
    if (pairing.settings.positions.empty()) {
        apply(clip.transforms, result.transforms, workspace);
    } else {
        const PositionProgram positions =
            compile_positions(pairing, followed_bones(pairing), program_->to_target, clip.name);
        apply(positions, clip.transforms, result.transforms, workspace);
    }
    carry_steps(pairing, followed_bones(pairing), clip, result);
    return result;
}

void Transfer::aim_trunk(const Clip& clip, Clip& result) const {
    std::vector<Transform> source_model(source_bones_);
    std::vector<Transform> target_model(target_bones_);
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        aim_limbs(*aims_, AimOf::trunk, passes_->pairing, clip.frame(f), result.frame(f), source_model,
                  target_model);
        attach(passes_->attachments, passes_->pairing.target.skeleton, result.frame(f));
    }
}

Clip Transfer::apply(const Clip& given) const {
    const Chart& source = passes_->pairing.source;
    const bool as_it_is = passes_->pairing.is_same_build() || is_on_floor(source, given);
    const Clip moved = as_it_is ? Clip() : on_floor(source, given);
    const Clip& clip = as_it_is ? given : moved;
    const std::optional<Loop> loop = passes_->is_exact ? std::nullopt : find_loop(source, clip);
    Clip result = loop ? apply_loop(clip, *loop) : apply_passes(clip, 0, passes_->pairing.settings.contacts);
    hold_poses(clip, result);
    if (plane_) plane_->apply(result.transforms);
    return result;
}

Clip Transfer::apply_passes(const Clip& clip, std::size_t first, std::vector<ContactSpan> contacts) const {
    Clip result = apply_turns(clip);
    calm_whips(*aims_, passes_->pairing, clip, result);
    aim_trunk(clip, result);
    PassRun run{*passes_,
                clip,
                result,
                first,
                std::move(contacts),
                {},
                {},
                std::vector<Transform>(clip.transforms.size())};
    to_model_space(passes_->pairing.source.skeleton, clip.transforms, run.source_model);
    carry_root_motion(run);
    run.attach_all();
    if (!passes_->is_exact) run_passes(run);
    run.attach_all();
    feed_twists_over_time(program_->twists, target_bones_, result.transforms);
    return result;
}

}  // namespace dendraxis
