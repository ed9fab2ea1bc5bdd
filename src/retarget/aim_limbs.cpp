// Own method: each segment of a limb points as the stretch of the source's limb that it answers to, the short
// way from where turning alone has it; so its twist stays.
#include "aim_limbs.hpp"

#include "chain_map.hpp"
#include "standing.hpp"
#include "trunk_lean.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <optional>

namespace dendraxis::detail {
namespace {

// One limb at rest: its joints, with the tail of its last bone where that has no hand or foot.
struct RestingLimb {
    RestingLimb(const BodyTree& body, const Chain& limb, std::span<const Transform> model)
        : chain(limb),
          rest(model),
          tail(chain_tail(body, limb, {model.begin(), model.end()})),
          shares(joint_shares(limb, model, tail)) {}

    bool has_hand() const { return is_limb(chain.role()) && chain.bones.size() >= 3; }
    std::size_t segments() const { return has_hand() ? chain.bones.size() - 1 : chain.bones.size(); }

    const Transform& bone(std::size_t i) const { return rest[static_cast<std::size_t>(chain.bones[i])]; }

    // From a bone's head to the next joint, in its own frame.
    Vec3 along(std::size_t i) const {
        const Vec3 next = i + 1 < chain.bones.size() ? bone(i + 1).translation : tail;
        return bone(i).rotation.conjugate() * (next - bone(i).translation);
    }

    ChainPoint joint(std::size_t i) const {
        if (i < chain.bones.size()) return {chain.bones[i], chain.bones[i], 0.0f, Vec3::Zero()};
        return {chain.bones.back(), chain.bones.back(), 1.0f, along(i - 1)};
    }

    ChainPoint point(float share) const {
        std::size_t i = 0;
        while (i + 1 < segments() && shares[i + 1] < share - 1e-5f) ++i;
        const float span = shares[i + 1] - shares[i];
        ChainPoint point = joint(i + 1);
        point.before = chain.bones[i];
        point.share = span > 0.0f ? std::clamp((share - shares[i]) / span, 0.0f, 1.0f) : 1.0f;
        return point;
    }

    const Chain& chain;
    std::span<const Transform> rest;
    Vec3 tail;
    std::vector<float> shares;
};

// The first bones of the chains that hang on this one.
std::vector<int> chains_on(const BodyTree& body, const Chain& chain) {
    std::vector<int> found;
    for (const Chain& other : body.chart().chains) {
        const int holder = body.body_above(other.bones.front());
        if (&other != &chain && holder != k_no_bone && body.chart().chain_of(holder) == &chain)
            found.push_back(other.bones.front());
    }
    return found;
}

LimbAim aim_for(const Pairing& pairing, const BodyTree& body, const RestingLimb& own,
                const RestingLimb& theirs) {
    const Skeleton& source = pairing.source.skeleton;
    const Skeleton& target = pairing.target.skeleton;
    const std::vector<int>& bones = own.chain.bones;
    const bool one_to_one = bones.size() == theirs.chain.bones.size();
    LimbAim aim;
    for (std::size_t i = 0; i < own.segments(); ++i) {
        LimbAim::Segment segment;
        segment.bone = bones[i];
        segment.along = own.along(i);
        segment.from = one_to_one ? theirs.joint(i) : theirs.point(own.shares[i]);
        segment.to = one_to_one ? theirs.joint(i + 1) : theirs.point(own.shares[i + 1]);
        if (i + 1 < bones.size()) {
            segment.next = bones[i + 1];
            segment.carries = target.is_above(segment.bone, segment.next);
        }
        aim.segments.push_back(segment);
    }
    aim.is_trunk = !is_limb(own.chain.role());
    aim.kept = own.has_hand() ? std::vector<int>{bones.back()} : chains_on(body, own.chain);
    // A spine that the hips hang on in the file turns without them.
    const int hips = pairing.target.hips;
    if (std::any_of(bones.begin(), bones.end(),
                    [&](int bone) { return bone != hips && target.is_above(bone, hips); })) {
        aim.kept.push_back(hips);
        aim.standing = hips;
    }
    aim.always = !one_to_one || !descends(source, theirs.chain.bones) || !descends(target, bones);
    for (int bone = theirs.chain.bones.back();
         bone != k_no_bone && bone != theirs.chain.bones.front() && !aim.always; bone = source.parent(bone))
        aim.watched.push_back(bone);
    return aim;
}

void keep_rotation(const Skeleton& skeleton, std::span<Transform> target, int bone, const Quat& rotation) {
    const Transform above = standing_above(skeleton, target, bone);
    target[static_cast<std::size_t>(bone)].rotation = (above.rotation.conjugate() * rotation).normalized();
}

// The next bone comes to the end of this one, if it does not hang from it.
void bring_next(const Skeleton& skeleton, std::span<Transform> target, const LimbAim::Segment& segment) {
    if (segment.next == k_no_bone || segment.carries) return;
    const Transform at = standing(skeleton, target, segment.bone);
    target[static_cast<std::size_t>(segment.next)].translation =
        apply(inverse(standing_above(skeleton, target, segment.next)),
              at.translation + at.rotation * segment.along);
}

}  // namespace

Vec3 position_of(const ChainPoint& point, std::span<const Transform> model) noexcept {
    const Vec3& before = model[static_cast<std::size_t>(point.before)].translation;
    const Transform& after = model[static_cast<std::size_t>(point.after)];
    return before + point.share * (after.translation + after.rotation * point.carried - before);
}

bool is_active(const AimProgram& program, const LimbAim& limb, std::span<const Transform> source) noexcept {
    return limb.always || std::any_of(limb.watched.begin(), limb.watched.end(), [&](int bone) {
               const auto b = static_cast<std::size_t>(bone);
               const float unit = program.unit[b];
               return (source[b].translation - program.rest[b]).squaredNorm() * unit * unit >
                      program.slide * program.slide;
           });
}

bool may_aim(const Pairing& pairing, const Chain& chain) {
    const PairingSettings& settings = pairing.settings;
    const ChainPair* entry = pairing.entry_of(chain);
    return settings.turns.empty() && (settings.target_stance.empty() || settings.target_stance == "rest") &&
           entry != nullptr && entry->strength == 1.0f && entry->reach == 0.0f;
}

AimProgram compile_aims(const Pairing& pairing, std::span<const char> is_aimed, bool leans,
                        const Quat& to_target, const MatchedStance& stance) {
    const Skeleton& source = pairing.source.skeleton;
    const std::vector<Transform> source_rest = rest_in_model_space(source);
    const std::vector<Transform> target_rest = rest_in_model_space(pairing.target.skeleton);
    const BodyTree body(pairing.target);
    const BodyTree source_body(pairing.source);
    AimProgram program;
    program.to_target = to_target;
    program.slide = k_slides * std::max(pairing.source.height, 1e-6f);
    for (std::size_t i = 0; i < source.size(); ++i) {
        const int parent = source.bones()[i].parent;
        const Vec3& above =
            parent == k_no_bone ? source.above().scale : source_rest[static_cast<std::size_t>(parent)].scale;
        program.rest.push_back(source.bones()[i].rest.translation);
        program.unit.push_back(above.cwiseAbs().maxCoeff());
    }
    const bool on_four = stands_on_four(pairing.source) && stands_on_four(pairing.target);
    if (leans && (on_four || pairing.target.find("spine") == nullptr)) {
        if (const auto trunk =
                aim_between_limbs(pairing, body, on_four, to_target, stance, source_rest, target_rest))
            program.limbs.push_back(*trunk);
    }
    for (std::size_t i = 0; i < pairing.target.chains.size(); ++i) {
        const Chain& chain = pairing.target.chains[i];
        const Chain* answer = pairing.source_of(chain);
        if (!is_aimed[i] || answer == nullptr) continue;
        // A spine of fewer bones cannot turn as the source's does and point as it does at once.
        const bool is_spine = chain.name == "spine" && !on_four && chain.bones.size() < answer->bones.size();
        const bool bends = chain.bones.size() > 1 || answer->bones.size() > 1;
        if (!is_spine && !(is_limb(chain.role()) && is_limb(answer->role()) && bends)) continue;
        program.limbs.push_back(
            aim_for(pairing, body, {body, chain, target_rest}, {source_body, *answer, source_rest}));
    }
    return program;
}

void aim_limbs(const AimProgram& program, AimOf what, const Pairing& pairing,
               std::span<const Transform> source, std::span<Transform> target,
               std::span<Transform> source_model, std::span<Transform> target_model) noexcept {
    const Skeleton& skeleton = pairing.target.skeleton;
    bool is_known = false;
    for (const LimbAim& limb : program.limbs) {
        if (limb.is_trunk != (what == AimOf::trunk) || !is_active(program, limb, source)) continue;
        if (!is_known) {
            to_model_space(pairing.source.skeleton, source, source_model);
            to_model_space(skeleton, target, target_model);
            is_known = true;
        }
        const auto keep_position = [&](const LimbAim::Lean& lean, int hips, const Quat& aimed) {
            const Vec3& up = pairing.target.up;
            const Transform& was = target_model[static_cast<std::size_t>(hips)];
            const Vec3 back = position_of(lean.back, target_model);
            const Vec3 kept =
                lean.on_four ? Vec3(0.5f * (back + position_of(lean.front, target_model))) : back;
            const Vec3 arm = kept - was.translation;
            const Quat turn = aimed * was.rotation.conjugate();
            Vec3 by = arm - turn * arm;
            if (lean.on_four) {
                by = up.dot(by) * up;
                const auto deficit = [&](const ChainPoint& own, const ChainPoint& its, float rest) {
                    const Vec3 position =
                        was.translation + by + turn * (position_of(own, target_model) - was.translation);
                    const float wanted =
                        rest + lean.leg_ratio * position_of(its, source_model).dot(pairing.source.up);
                    return wanted - up.dot(position);
                };
                // By how much one pair is lower than both are as a mean.
                const float low = 0.5f * std::abs(deficit(lean.back, limb.segments[0].from, lean.height[0]) -
                                                  deficit(lean.front, limb.segments[0].to, lean.height[1]));
                by += low * low / (low + lean.slack) * up;
            }
            target[static_cast<std::size_t>(hips)].translation =
                apply(inverse(standing_above(skeleton, target, hips)), was.translation + by);
        };
        for (const LimbAim::Segment& segment : limb.segments) {
            const Quat& turned = target_model[static_cast<std::size_t>(segment.bone)].rotation;
            Vec3 wanted = program.to_target *
                          (position_of(segment.to, source_model) - position_of(segment.from, source_model));
            Vec3 now = turned * segment.along;
            if (limb.lean) {
                const Quat& hips = source_model[static_cast<std::size_t>(limb.lean->source_hips)].rotation;
                const Quat went = program.to_target * hips * limb.lean->source_rest.conjugate() *
                                  program.to_target.conjugate();
                wanted = went * (limb.lean->turn * (went.conjugate() * wanted));
                now =
                    position_of(limb.lean->front, target_model) - position_of(limb.lean->back, target_model);
            }
            const bool is_known_direction = wanted.norm() > program.slide;
            const Quat aimed = is_known_direction ? Quat(shortest_arc(now, wanted) * turned) : turned;
            keep_rotation(skeleton, target, segment.bone, aimed);
            if (limb.lean) keep_position(*limb.lean, segment.bone, aimed);
            bring_next(skeleton, target, segment);
        }
        // Hand and foot stand as they stood.
        for (const int bone : limb.kept)
            keep_rotation(skeleton, target, bone, target_model[static_cast<std::size_t>(bone)].rotation);
        const auto put = [&](int bone, const Vec3& position) {
            target[static_cast<std::size_t>(bone)].translation =
                apply(inverse(standing_above(skeleton, target, bone)), position);
        };
        const auto was = [&](int bone) -> const Transform& {
            return target_model[static_cast<std::size_t>(bone)];
        };
        if (limb.standing != k_no_bone) put(limb.standing, was(limb.standing).translation);
        for (const auto& [bone, root] : limb.loose) {
            keep_rotation(skeleton, target, bone, was(bone).rotation);
            put(bone,
                was(bone).translation + standing(skeleton, target, root).translation - was(root).translation);
        }
    }
}

void aim_along(const LimbAim& limb, std::span<const Vec3> directions, const Skeleton& skeleton,
               std::span<Transform> target, std::span<Transform> target_model) noexcept {
    to_model_space(skeleton, target, target_model);
    for (std::size_t s = 0; s < limb.segments.size(); ++s) {
        const LimbAim::Segment& segment = limb.segments[s];
        const Quat& turned = target_model[static_cast<std::size_t>(segment.bone)].rotation;
        const Quat turn = shortest_arc(turned * segment.along, directions[s]);
        keep_rotation(skeleton, target, segment.bone, turn * turned);
        bring_next(skeleton, target, segment);
    }
    for (const int bone : limb.kept)
        keep_rotation(skeleton, target, bone, target_model[static_cast<std::size_t>(bone)].rotation);
}

}  // namespace dendraxis::detail
