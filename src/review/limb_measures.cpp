// Own method: joints of limbs that answer to each other, in the target's model space.
#include "limb_measures.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/retarget/matched_stance.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr float k_clear_bend = 8.0f / k_degrees;  // a limb straighter than this has no side

float length_of(const std::array<int, 3>& bones, std::span<const Transform> model) {
    const auto head = [&](std::size_t i) { return model[static_cast<std::size_t>(bones[i])].translation; };
    return std::max(1e-6f, (head(1) - head(0)).norm() + (head(2) - head(1)).norm());
}

std::optional<Vec3> bend(const std::array<Vec3, 3>& joints) {
    const Vec3 upper = joints[1] - joints[0];
    const Vec3 lower = joints[2] - joints[1];
    const Vec3 normal = upper.cross(lower);
    if (std::atan2(normal.norm(), upper.dot(lower)) < k_clear_bend) return std::nullopt;
    return normal.normalized();
}

}  // namespace

LimbMeasures::LimbMeasures(const TwoClips& clips)
    : clips_(clips), to_target_(source_to_target(clips.pairing)) {
    const Pairing& pairing = clips.pairing;
    for (const Chain& chain : pairing.target.chains) {
        const Chain* answer = pairing.source_of(chain);
        if (!is_limb(chain.role()) || answer == nullptr) continue;
        const auto own = bending_bones(pairing.target.skeleton, chain);
        const auto its = bending_bones(pairing.source.skeleton, *answer);
        if (own && its)
            limbs_.push_back({chain.name, *its, *own});
        else if (is_limb(answer->role()))
            whole_limbs_.push_back({end_of(clips.source_body, *answer), end_of(clips.target_body, chain)});
    }
}

LimbMeasures::End LimbMeasures::end_of(const BodyTree& body, const Chain& limb) {
    End end{limb.bones.front(), limb.bones.back(), Vec3::Zero()};
    if (limb.bones.size() >= 3) return end;
    const std::vector<Transform> rest = rest_in_model_space(body.chart().skeleton);
    const Transform& last = rest[static_cast<std::size_t>(end.bone)];
    end.offset = last.rotation.conjugate() * (chain_tail(body, limb, rest) - last.translation);
    return end;
}

Vec3 LimbMeasures::along(const End& end, std::span<const Transform> model) {
    const Transform& last = model[static_cast<std::size_t>(end.bone)];
    return last.translation + last.rotation * end.offset -
           model[static_cast<std::size_t>(end.root)].translation;
}

std::array<Vec3, 3> LimbMeasures::own(const Limb& limb, std::size_t frame) const {
    std::array<Vec3, 3> joints;
    for (std::size_t i = 0; i < 3; ++i)
        joints[i] = clips_.target_at(frame)[static_cast<std::size_t>(limb.target[i])].translation;
    return joints;
}

std::array<Vec3, 3> LimbMeasures::theirs(const Limb& limb, std::size_t frame) const {
    std::array<Vec3, 3> joints;
    for (std::size_t i = 0; i < 3; ++i)
        joints[i] =
            to_target_ * clips_.source_at(frame)[static_cast<std::size_t>(limb.source[i])].translation;
    return joints;
}

Measure LimbMeasures::reach() const {
    Measure reach{"reach_error_pct", 0.0f, -1, ""};
    const Pairing& pairing = clips_.pairing;
    const std::vector<Transform> source_rest = rest_in_model_space(pairing.source.skeleton);
    const std::vector<Transform> rest = rest_in_model_space(pairing.target.skeleton);
    for (const Limb& limb : limbs_) {
        const float length = length_of(limb.target, rest);
        const float source_length = length_of(limb.source, source_rest);
        for (std::size_t f = 0; f < clips_.frames; ++f) {
            const Vec3& hips = clips_.target_at(f)[static_cast<std::size_t>(pairing.target.hips)].translation;
            const Vec3& source_hips =
                clips_.source_at(f)[static_cast<std::size_t>(pairing.source.hips)].translation;
            const Vec3 position = (own(limb, f)[2] - hips) / length;
            const Vec3 wanted = (theirs(limb, f)[2] - to_target_ * source_hips) / source_length;
            keep_worst(reach, 100.0f * (position - wanted).norm(), f, limb.chain);
        }
    }
    return reach;
}

Measure LimbMeasures::direction() const {
    Measure direction{"direction_error_deg", 0.0f, -1, ""};
    for (const Limb& limb : limbs_) {
        for (std::size_t f = 0; f < clips_.frames; ++f) {
            const std::array<Vec3, 3> mine = own(limb, f);
            const std::array<Vec3, 3> its = theirs(limb, f);
            for (std::size_t i = 0; i < 2; ++i)
                keep_angle(direction, mine[i + 1] - mine[i], its[i + 1] - its[i], f, limb.target[i]);
        }
    }
    for (const WholeLimb& limb : whole_limbs_) {
        for (std::size_t f = 0; f < clips_.frames; ++f)
            keep_angle(direction, along(limb.target, clips_.target_at(f)),
                       to_target_ * along(limb.source, clips_.source_at(f)), f, limb.target.root);
    }
    return direction;
}

Measure LimbMeasures::bend_flips() const {
    Measure flips{"bend_flips", 0.0f, -1, ""};
    float least = 2.0f;
    for (std::size_t f = 0; f < clips_.frames; ++f) {
        bool flipped = false;
        for (const Limb& limb : limbs_) {
            const auto mine = bend(own(limb, f));
            const auto its = bend(theirs(limb, f));
            if (!mine || !its) continue;
            const float agree = mine->dot(*its);
            flipped = flipped || agree < 0.0f;
            if (agree >= least) continue;
            least = agree;
            flips.frame = static_cast<int>(f);
            flips.where = clips_.pairing.target.skeleton.bone(limb.target[1]).label;
        }
        flips.value += flipped ? 1.0f : 0.0f;
    }
    return flips;
}

void LimbMeasures::keep_angle(Measure& measure, const Vec3& own, const Vec3& theirs, std::size_t frame,
                              int bone) const {
    const float off = std::atan2(own.cross(theirs).norm(), own.dot(theirs));
    keep_worst(measure, off * k_degrees, frame, clips_.pairing.target.skeleton.bone(bone).label);
}

}  // namespace dendraxis::detail
