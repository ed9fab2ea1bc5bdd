#include <dendraxis/chart/joint_turn.hpp>

namespace dendraxis {

JointFrame joint_frame(const Chart& chart, int bone) {
    const Skeleton& skeleton = chart.skeleton;
    Quat above = Quat::Identity();
    for (int parent = skeleton.parent(bone); parent != k_no_bone; parent = skeleton.parent(parent))
        above = skeleton.bone(parent).rest.rotation * above;
    return {chart.to_upright() * skeleton.above().rotation * above, skeleton.bone(bone).rest.rotation};
}

std::vector<JointFrame> joint_frames(const Chart& chart) {
    std::vector<JointFrame> frames;
    for (const JointRange& joint : chart.ranges) frames.push_back(joint_frame(chart, joint.bone));
    return frames;
}

}  // namespace dendraxis
