// Own method: rotations relative to a matched stance in model space, spread along chains by arc length.
#include "pass_plan.hpp"
#include "turn_kernel.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/retarget/matched_stance.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace dendraxis {
namespace {

int hub_of(const Chart& chart) {
    if (chart.hub == k_no_bone) {
        throw Error(chart.file.empty() ? chart.character : chart.file,
                    "has no hub, the bone that carries the body", "",
                    "see what `dendraxis chart` says of it");
    }
    return chart.hub;
}

float ratio(float target, float source) {
    return target > 1e-6f && source > 1e-6f ? target / source : 0.0f;
}

// The bones from the root to `bone`, itself included; none for no bone.
std::vector<int> way_down(const Skeleton& skeleton, int bone) {
    std::vector<int> way;
    for (; bone != k_no_bone; bone = skeleton.parent(bone)) way.push_back(bone);
    std::reverse(way.begin(), way.end());
    return way;
}

// Where the last bone of a way stands in model space.
Transform standing(const Transform& above, const std::vector<int>& way, std::span<const Transform> local) {
    Transform at = above;
    for (const int bone : way) at = at * local[static_cast<std::size_t>(bone)];
    return at;
}

// Moves the last bone of a way to a place in model space.
void place(const Transform& above, const std::vector<int>& way, const Vec3& wanted,
           std::span<Transform> local) {
    Transform parent = above;
    for (std::size_t i = 0; i + 1 < way.size(); ++i)
        parent = parent * local[static_cast<std::size_t>(way[i])];
    local[static_cast<std::size_t>(way.back())].translation = dendraxis::apply(inverse(parent), wanted);
}

}  // namespace

Transfer::Transfer(const Pairing& pairing)
    : source_(pairing.source.skeleton),
      target_(pairing.target.skeleton),
      to_target_(pairing.target.to_upright().conjugate() * pairing.source.to_upright()),
      source_hub_(hub_of(pairing.source)),
      target_hub_(hub_of(pairing.target)) {
    std::vector<Quat> source_stance;
    for (const Transform& stance : source_stance_in_model_space(pairing))
        source_stance.push_back(stance.rotation);
    const MatchedStance stance = match_stance(pairing);
    if (pairing.source.ground != k_no_bone && pairing.target.ground != k_no_bone) {
        source_ground_ = pairing.source.ground;
        target_ground_ = pairing.target.ground;
        ground_stance_ = source_stance[static_cast<std::size_t>(source_ground_)];
    }
    compile_follow(pairing, stance.turns, source_stance);
    compile_travel(pairing, stance.hub_drop);
    passes_ = std::make_shared<PassPlan>(pairing);
}

void Transfer::compile_follow(const Pairing& pairing, const std::vector<Quat>& matched_turns,
                              const std::vector<Quat>& source_stance) {
    const std::vector<Transform> source_model = rest_in_model_space(source_);
    const std::vector<Transform> target_model = rest_in_model_space(target_);
    std::vector<BoneFollow> follow(target_.size());
    const auto set = [&](int bone, int a, int b, float share) {
        const auto i = static_cast<std::size_t>(bone);
        const Quat matched = to_target_.conjugate() * matched_turns[i] * target_model[i].rotation;
        follow[i] = {a, b, share, matched.normalized()};
    };
    set(target_hub_, source_hub_, source_hub_, 1.0f);
    if (target_ground_ != k_no_bone) set(target_ground_, source_ground_, source_ground_, 1.0f);
    for (const Chain& chain : pairing.target.chains) {
        const Chain* answer = pairing.source_of(chain);
        if (answer == nullptr || answer->bones.empty()) continue;
        if (answer->bones.size() == chain.bones.size()) {
            for (std::size_t i = 0; i < chain.bones.size(); ++i)
                set(chain.bones[i], answer->bones[i], answer->bones[i], 1.0f);
            continue;
        }
        const auto shares_of = [](const Chart& chart, const Chain& c, const std::vector<Transform>& model) {
            std::vector<Vec3> heads;
            for (const int bone : c.bones) heads.push_back(model[static_cast<std::size_t>(bone)].translation);
            return tail_shares(heads, chain_tail(chart, c, model));
        };
        const std::vector<float> shares = shares_of(pairing.target, chain, target_model);
        const std::vector<float> source_shares = shares_of(pairing.source, *answer, source_model);
        for (std::size_t i = 0; i < chain.bones.size(); ++i) {
            // The source bone in which this bone's tail lies, and how far along it; the last tails always
            // meet.
            std::size_t j = 0;
            while (j + 1 < source_shares.size() && source_shares[j] < shares[i] - 1e-6f) ++j;
            const float start = j == 0 ? 0.0f : source_shares[j - 1];
            const float span = source_shares[j] - start;
            const bool last = i + 1 == chain.bones.size();
            const float share =
                last || span <= 0.0f ? 1.0f : std::clamp((shares[i] - start) / span, 0.0f, 1.0f);
            const int before = j == 0 ? source_.parent(answer->bones.front()) : answer->bones[j - 1];
            set(chain.bones[i], before, answer->bones[last ? answer->bones.size() - 1 : j], share);
        }
    }
    program_ =
        std::make_shared<TurnProgram>(compile_turns(source_, target_, to_target_, follow, source_stance));
    source_to_hub_ = way_down(source_, source_hub_);
    source_to_ground_ = way_down(source_, source_ground_);
    target_to_hub_ = way_down(target_, target_hub_);
    target_to_ground_ = way_down(target_, target_ground_);
}

void Transfer::compile_travel(const Pairing& pairing, float hub_drop) {
    const std::vector<Transform> source_model = rest_in_model_space(source_);
    const std::vector<Transform> target_model = rest_in_model_space(target_);
    source_up_ = pairing.source.up;
    target_up_ = pairing.target.up;
    source_floor_ = pairing.source.floor;
    target_floor_ = pairing.target.floor;
    const Vec3 source_hub = source_model[static_cast<std::size_t>(source_hub_)].translation;
    const Vec3 target_hub =
        target_model[static_cast<std::size_t>(target_hub_)].translation - hub_drop * target_up_;
    const float source_height = source_hub.dot(source_up_) - source_floor_;
    const float target_height = target_hub.dot(target_up_) - target_floor_;
    hub_ratio_ = ratio(target_height, source_height);
    leg_ratio_ = dendraxis::leg_ratio(pairing);
    const float size_ratio = ratio(pairing.target.height, pairing.source.height);
    if (hub_ratio_ == 0.0f) hub_ratio_ = size_ratio == 0.0f ? 1.0f : size_ratio;
    if (source_ground_ != k_no_bone) {
        source_ground_rest_ = source_model[static_cast<std::size_t>(source_ground_)].translation;
        target_ground_rest_ = target_model[static_cast<std::size_t>(target_ground_)].translation;
    }
    hub_offset_ = target_hub - hub_place(source_hub, Quat::Identity());
    hub_offset_ -= target_up_ * target_up_.dot(hub_offset_);
}

Vec3 Transfer::hub_place(const Vec3& source_hub, const Quat& heading) const {
    const float height = source_hub.dot(source_up_);
    const Vec3 over_floor = to_target_ * Vec3(source_hub - height * source_up_);
    // What is left over at rest (one hub farther forward than the other) turns with the ground bone.
    return leg_ratio_ * over_floor + heading * hub_offset_ +
           (target_floor_ + hub_ratio_ * (height - source_floor_)) * target_up_;
}

Vec3 Transfer::ground_place(const Vec3& source_ground) const {
    return target_ground_rest_ + leg_ratio_ * (to_target_ * Vec3(source_ground - source_ground_rest_));
}

// Puts the ground bone and the hub of one pose where they belong.
void Transfer::place_body(std::span<const Transform> source, std::span<Transform> target) const {
    Quat heading = Quat::Identity();
    if (source_ground_ != k_no_bone) {
        const Transform ground = standing(source_.above(), source_to_ground_, source);
        heading = to_target_ * (ground.rotation * ground_stance_.conjugate()) * to_target_.conjugate();
        place(target_.above(), target_to_ground_, ground_place(ground.translation), target);
    }
    const Vec3 hub = standing(source_.above(), source_to_hub_, source).translation;
    place(target_.above(), target_to_hub_, hub_place(hub, heading), target);
}

void Transfer::apply(std::span<const Transform> source, std::span<Transform> target,
                     Workspace& workspace) const {
    if (source_.empty() || target_.empty()) return;
    // Lanes must lie on their own width.
    constexpr std::size_t k_aligned = 8;
    if (workspace.lanes.size() < program_->scratch_floats() + k_aligned)
        workspace.lanes.resize(program_->scratch_floats() + k_aligned);
    const auto address = reinterpret_cast<std::uintptr_t>(workspace.lanes.data());
    float* scratch = workspace.lanes.data() + (k_aligned - address / sizeof(float) % k_aligned) % k_aligned;
    const std::size_t frames = std::min(source.size() / source_.size(), target.size() / target_.size());
    run_turns(*program_, source.data(), target.data(), frames, scratch);
    for (std::size_t f = 0; f < frames; ++f) {
        place_body(source.subspan(f * source_.size(), source_.size()),
                   target.subspan(f * target_.size(), target_.size()));
    }
}

Clip Transfer::apply_turns(const Clip& clip) const {
    if (clip.bone_count != source_.size()) {
        throw Error(clip.name,
                    "the clip has " + std::to_string(clip.bone_count) + " bones, its source character " +
                        std::to_string(source_.size()),
                    "", "use a clip of the source character");
    }
    Clip result;
    result.name = clip.name;
    result.fps = clip.fps;
    result.bone_count = target_.size();
    result.transforms.resize(clip.frame_count() * target_.size());
    Workspace workspace;
    apply(clip.transforms, result.transforms, workspace);
    return result;
}

Clip Transfer::apply(const Clip& clip) const {
    Clip result = apply_turns(clip);
    Take take{*passes_, clip, result, {}, {}};
    const PairingSettings& settings = passes_->pairing.settings;
    carry_travel(take);
    if (settings.feet) hold_feet(take);
    place_hands(take);
    if (settings.clearance) clear_arms(take);
    if (settings.hands) keep_hands_together(take);
    if (settings.ranges) keep_in_ranges(take);
    return result;
}

}  // namespace dendraxis
