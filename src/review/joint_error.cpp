#include "joint_error.hpp"

#include <dendraxis/retarget/matched_stance.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis::detail {
namespace {

// The middle of the skin of a bone, which shows how it is turned where no joint does.
struct SkinMark {
    std::size_t bone;
    Vec3 position;     // in the bone's frame
    Quat from_source;  // from the target bone's frame to its source bone's
};

std::vector<SkinMark> skin_marks(const Pairing& pairing, const std::vector<Transform>& source_rest,
                                 const std::vector<Transform>& rest) {
    std::vector<SkinMark> marks;
    for (const BoneMark& mark : pairing.target.shape.marks) {
        const auto b = static_cast<std::size_t>(mark.bone);
        const BoneAnswer& answer = pairing.bones.answers[b];
        if (answer.source == k_no_bone || (!marks.empty() && marks.back().bone == b)) continue;
        const Quat& source = source_rest[static_cast<std::size_t>(answer.source)].rotation;
        marks.push_back({b, rest[b].rotation.conjugate() * (mark.position - rest[b].translation),
                         source.conjugate() * answer.turn.conjugate() * rest[b].rotation});
    }
    return marks;
}

}  // namespace

Measure joint_error(const Pairing& pairing, const Clip& source, std::span<const Transform> source_model,
                    std::span<const Transform> model) {
    Measure joints{"joint_error_pct", 0.0f, -1, ""};
    if (!follows_exactly(pairing) || pairing.settings.root_motion_of(source.name) != RootMotion::scaled)
        return joints;
    const auto& answers = pairing.bones.answers;
    const auto hips = static_cast<std::size_t>(pairing.target.hips);
    if (answers[hips].source == k_no_bone) return joints;
    const std::vector<Transform> source_rest = rest_in_model_space(pairing.source.skeleton);
    const std::vector<Transform> rest = rest_in_model_space(pairing.target.skeleton);
    const std::vector<SkinMark> marks = skin_marks(pairing, source_rest, rest);
    const Quat to_target = source_to_target(pairing);
    const float scale = pairing.bones.scale;
    const auto carried = [&](const Vec3& position) -> Vec3 { return scale * (to_target * position); };
    const Vec3 offset = rest[hips].translation -
                        carried(source_rest[static_cast<std::size_t>(answers[hips].source)].translation);
    const float height = std::max(1e-6f, pairing.target.height);
    for (std::size_t f = 0; f < source.frame_count(); ++f) {
        const auto theirs = source_model.subspan(f * source.bone_count, source.bone_count);
        const auto own = model.subspan(f * answers.size(), answers.size());
        const auto add = [&](std::size_t b, const Vec3& off) {
            const float value = 100.0f * off.norm() / height;
            if (joints.frame >= 0 && value <= joints.value) return;
            joints = {joints.name, value, static_cast<int>(f), pairing.target.skeleton.bones()[b].label};
        };
        const auto off_at = [&](std::size_t b) -> Vec3 {
            const Vec3& from = theirs[static_cast<std::size_t>(answers[b].source)].translation;
            return own[b].translation - carried(from) - offset;
        };
        for (std::size_t b = 0; b < answers.size(); ++b) {
            if (answers[b].source != k_no_bone) add(b, off_at(b));
        }
        for (const SkinMark& mark : marks) {
            const auto a = static_cast<std::size_t>(answers[mark.bone].source);
            const Quat wanted = to_target * theirs[a].rotation * mark.from_source;
            add(mark.bone,
                off_at(mark.bone) + own[mark.bone].rotation * mark.position - wanted * mark.position);
        }
    }
    return joints;
}

}  // namespace dendraxis::detail
