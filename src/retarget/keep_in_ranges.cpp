#include "pass_plan.hpp"

#include <dendraxis/retarget/joint_turn.hpp>
#include <dendraxis/skeleton/pose.hpp>

namespace dendraxis {
namespace {

constexpr float k_soft_from = 0.9f;  // of the way to a limit

}  // namespace

std::vector<JointFrame> joint_frames(const Chart& chart) {
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    const Quat upright = chart.to_upright();
    std::vector<JointFrame> frames;
    for (const JointRange& joint : chart.ranges) {
        const int parent = chart.skeleton.parent(joint.bone);
        const Quat above = parent == k_no_bone ? chart.skeleton.above().rotation
                                               : rest[static_cast<std::size_t>(parent)].rotation;
        frames.push_back({upright * above, chart.skeleton.bone(joint.bone).rest.rotation});
    }
    return frames;
}

void keep_in_ranges(Take& take) {
    const Chart& target = take.plan.pairing.target;
    const std::vector<JointFrame> frames = joint_frames(target);
    for (std::size_t f = 0; f < take.frames(); ++f) {
        for (std::size_t i = 0; i < frames.size(); ++i) {
            Quat& local = take.result.frame(f)[static_cast<std::size_t>(target.ranges[i].bone)].rotation;
            const Quat turn = frames[i].turn(local);
            local = frames[i].local(limited(target.ranges[i].range, turn, k_soft_from)).normalized();
        }
    }
}

}  // namespace dendraxis
