#include "pass_plan.hpp"

#include "standing.hpp"

#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/retarget/matched_stance.hpp>

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

float limb_length(const LimbBones& limb, const std::vector<Transform>& model) {
    const LimbJoints joints = limb.joints(model);
    return (joints.middle - joints.root).norm() + (joints.end - joints.middle).norm();
}

Vec3 in_bone(int bone, const Vec3& point, const std::vector<Transform>& rest) {
    const Transform& frame = rest[static_cast<std::size_t>(bone)];
    return frame.rotation.conjugate() * (point - frame.translation);
}

std::optional<LimbBones> limb_bones(const BodyTree& body, const Chain& chain,
                                    const std::vector<Transform>& rest) {
    const Chart& chart = body.chart();
    LimbBones limb;
    if (const auto bones = bending_bones(chart.skeleton, chain)) {
        limb.bones = *bones;
        return limb;
    }
    if (!is_limb(chain.role()) || chain.bones.size() < 2) return std::nullopt;
    const std::size_t last = chain.bones.size() - 1;
    const std::size_t lower = last < 2 ? 1 : std::clamp<std::size_t>(chain.lower, 1, last - 1);
    limb.bones = {chain.bones.front(), chain.bones[lower], chain.bones.back()};
    if (last < 2) limb.end = in_bone(chain.bones.back(), chain_tail(body, chain, rest), rest);
    if (!descends(chart.skeleton, chain.bones)) limb.loose = chain.bones;
    return limb;
}

// A limb of one bone, from its joint to `end` in model space.
LimbBones stiff_bones(const Chain& chain, const std::vector<Transform>& rest, const Vec3& end) {
    LimbBones limb;
    limb.bones.fill(chain.bones.front());
    limb.end = in_bone(chain.bones.front(), end, rest);
    return limb;
}

Vec3 middle_of(const Sole& sole, const std::vector<Transform>& rest) {
    Vec3 middle = Vec3::Zero();
    for (const SolePoint& part : sole.parts) middle += position_of(sole, part, rest) / k_foot_parts;
    return middle;
}

template <class Shapes, class Name>
int index_of(const Shapes& shapes, const Name& is) {
    const auto found = std::find_if(shapes.begin(), shapes.end(), is);
    return found == shapes.end() ? -1 : static_cast<int>(found - shapes.begin());
}

// The solid of the target with the same part, the nearest along its chain.
int answering_solid(const Solid& solid, const std::vector<Solid>& candidates) {
    int best = -1;
    float nearest = 1e30f;
    for (std::size_t i = 0; i < candidates.size(); ++i) {
        const float distance = std::abs(candidates[i].share - solid.share);
        if (candidates[i].part != solid.part || distance >= nearest) continue;
        nearest = distance;
        best = static_cast<int>(i);
    }
    return best;
}

}  // namespace

LimbJoints LimbBones::joints(std::span<const Transform> model) const {
    LimbJoints joints = joints_of(bones, model);
    joints.end += model[static_cast<std::size_t>(bones[2])].rotation * end;
    return joints;
}

void LimbBones::turn(const Skeleton& skeleton, const LimbTurns& turns, const Vec3& root,
                     std::span<const Transform> model, std::span<Transform> local, bool keep_end) const {
    const bool kept = keep_end && bones[1] != bones[2];
    if (loose.empty()) {
        turn_limb(skeleton, bones, turns, kept ? &k_end_kept : nullptr, model, local);
        return;
    }
    const LimbJoints before = joints_of(bones, model);
    const Vec3 middle = root + turns.upper * (before.middle - before.root);
    const Vec3 end_position = middle + turns.lower * (before.end - before.middle);
    Vec3 pivot = before.root;
    Vec3 position = root;
    Quat turned = turns.upper;
    for (const int bone : loose) {
        if (bone == bones[1]) pivot = before.middle, position = middle, turned = turns.lower;
        if (bone == bones[2] && bones[1] != bones[2])
            pivot = before.end, position = end_position, turned = kept ? Quat::Identity() : turns.lower;
        const auto b = static_cast<std::size_t>(bone);
        const Transform above = standing_above(skeleton, local, bone);
        local[b].rotation = (above.rotation.conjugate() * turned * model[b].rotation).normalized();
        if (bone != bones[0])
            local[b].translation =
                dendraxis::apply(inverse(above), position + turned * (model[b].translation - pivot));
    }
}

PassPlan::PassPlan(const Pairing& given)
    : pairing(given),
      to_target(source_to_target(pairing)),
      is_exact(follows_exactly(pairing)),
      leg_ratio(dendraxis::leg_ratio(pairing)),
      source_floor(trodden_floor(pairing.source)),
      attachments(compile_attachments(pairing)) {
    const std::vector<Transform> source_rest = rest_in_model_space(pairing.source.skeleton);
    const std::vector<Transform> target_rest = rest_in_model_space(pairing.target.skeleton);
    const BodyShape& source_shape = pairing.source.shape;
    const BodyShape& target_shape = pairing.target.shape;
    const BodyTree source_body(pairing.source);
    const BodyTree target_body(pairing.target);
    float source_arms = 0.0f;
    float target_arms = 0.0f;
    for (const Chain& chain : pairing.target.chains) {
        const Chain* answer = pairing.source_of(chain);
        if (answer == nullptr) continue;
        const auto sole_of = [&](const BodyShape& shape, const std::string& name) {
            return index_of(shape.soles, [&](const Sole& sole) { return sole.leg == name; });
        };
        const int target_sole = sole_of(target_shape, chain.name);
        const int source_sole = sole_of(source_shape, answer->name);
        auto own = limb_bones(target_body, chain, target_rest);
        auto its = limb_bones(source_body, *answer, source_rest);
        const bool stands = target_sole >= 0 && source_sole >= 0;
        const bool is_stiff = stands && !own;
        if (is_stiff)
            own = stiff_bones(
                chain, target_rest,
                middle_of(target_shape.soles[static_cast<std::size_t>(target_sole)], target_rest));
        if (stands && own && own->has_no_ankle())
            own->end =
                in_bone(own->bones[2],
                        middle_of(target_shape.soles[static_cast<std::size_t>(target_sole)], target_rest),
                        target_rest);
        if (own && !its) {
            const Vec3 end =
                stands ? middle_of(source_shape.soles[static_cast<std::size_t>(source_sole)], source_rest)
                       : chain_tail(source_body, *answer, source_rest);
            its = stiff_bones(*answer, source_rest, end);
        }
        if (!own || !its) continue;
        LimbPlan limb;
        limb.chain = chain.name;
        limb.source = *its;
        limb.target = *own;
        limb.source_length = limb_length(limb.source, source_rest);
        limb.target_length = limb_length(limb.target, target_rest);
        if (limb.source_length < 1e-6f || limb.target_length < 1e-6f) continue;
        limb.reach = pairing.entry_of(chain)->reach;
        for (const EffectorOffset& offset : pairing.settings.offsets) {
            if (offset.chain == chain.name)
                limb.offset +=
                    pairing.target.to_upright().conjugate() * offset.metres / metres_in_unit(pairing.target);
        }
        const auto arm_of = [&](const BodyShape& shape, const std::string& name) {
            return index_of(shape.arms, [&](const ArmShape& arm) { return arm.arm == name; });
        };
        limb.target_shape = arm_of(target_shape, chain.name);
        limb.source_shape = arm_of(source_shape, answer->name);
        if (stands) {
            limb.source_shape = source_sole;
            limb.target_shape = target_sole;
            (is_stiff ? stiff_legs : legs).push_back(limb);
        } else if (limb.target_shape >= 0) {
            source_arms += limb.source_length;
            target_arms += limb.target_length;
            arms.push_back(limb);
        }
    }
    if (!legs.empty()) stiff_legs.clear();
    if (source_arms > 0.0f) arm_ratio = target_arms / source_arms;
    for (const Solid& solid : source_shape.solids)
        solid_of.push_back(answering_solid(solid, target_shape.solids));
}

bool PassPlan::turns_feet() const {
    return std::any_of(legs.begin(), legs.end(),
                       [](const LimbPlan& leg) { return leg.target.has_no_ankle(); });
}

const Sole& PassPlan::source_sole(const LimbPlan& leg) const {
    return pairing.source.shape.soles[static_cast<std::size_t>(leg.source_shape)];
}

const Sole& PassPlan::target_sole(const LimbPlan& leg) const {
    return pairing.target.shape.soles[static_cast<std::size_t>(leg.target_shape)];
}

const ArmShape* PassPlan::source_arm(const LimbPlan& arm) const {
    return arm.source_shape < 0 ? nullptr
                                : &pairing.source.shape.arms[static_cast<std::size_t>(arm.source_shape)];
}

const ArmShape& PassPlan::target_arm(const LimbPlan& arm) const {
    return pairing.target.shape.arms[static_cast<std::size_t>(arm.target_shape)];
}

void raise_hips(PassRun& run, std::size_t frame, float by) {
    const Chart& target = run.plan.pairing.target;
    move_bone(run.skeleton(), run.model, run.result.frame(frame), target.hips, by * target.up);
}

void PassRun::attach_all() {
    if (plan.attachments.is_empty()) return;
    for (std::size_t f = 0; f < frames(); ++f) attach(plan.attachments, skeleton(), result.frame(f));
}

void PassRun::pose(std::size_t frame) {
    model.resize(skeleton().size());
    to_model_space(skeleton(), result.frame(frame), model);
}

}  // namespace dendraxis::detail
