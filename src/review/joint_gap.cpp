// Own method: how far each charted bone's joint is from its place at rest, as the bone sees it that it hangs
// on in the body, less the most that any joint of the source is in the same frame, in proportion.
#include "joint_gap.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis::detail {
namespace {

struct Joint {
    int bone = k_no_bone;
    int holder = k_no_bone;
    Vec3 at = Vec3::Zero();  // at rest, in the holder's frame
};

Vec3 seen_from(const Joint& joint, std::span<const Transform> model) {
    const Transform& holder = model[static_cast<std::size_t>(joint.holder)];
    return holder.rotation.conjugate() *
           (model[static_cast<std::size_t>(joint.bone)].translation - holder.translation);
}

std::vector<Joint> joints_of(const BodyTree& body) {
    const Chart& chart = body.chart();
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    std::vector<Joint> joints;
    for (const Chain& chain : chart.chains) {
        for (const int bone : chain.bones) {
            Joint joint{bone, body.body_above(bone), Vec3::Zero()};
            if (bone == chart.hips || joint.holder == k_no_bone) continue;
            joint.at = seen_from(joint, rest);
            joints.push_back(joint);
        }
    }
    return joints;
}

}  // namespace

Measure joint_gap(const TwoClips& clips) {
    Measure gap{"joint_gap_pct", 0.0f, -1, ""};
    const Chart& target = clips.pairing.target;
    const std::vector<Joint> own = joints_of(clips.target_body);
    const std::vector<Joint> theirs = joints_of(clips.source_body);
    const float ratio = leg_ratio(clips.pairing);
    const float share = 100.0f / std::max(target.height, 1e-6f);
    for (std::size_t f = 0; f < clips.frames; ++f) {
        float allowed = 0.0f;
        for (const Joint& joint : theirs)
            allowed = std::max(allowed, (seen_from(joint, clips.source_at(f)) - joint.at).norm());
        for (const Joint& joint : own) {
            const float off = (seen_from(joint, clips.target_at(f)) - joint.at).norm();
            keep_worst(gap, share * (off - ratio * allowed), f, target.skeleton.bone(joint.bone).label);
        }
    }
    return gap;
}

}  // namespace dendraxis::detail
