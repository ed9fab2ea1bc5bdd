// How far a joint is turned away from its rest, in the frame that ranges are given in.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <vector>

namespace dendraxis {

/// The frame of one joint: from its parent bone's space to the character's upright frame, both at rest.
struct JointFrame {
    Quat to_upright = Quat::Identity();
    Quat rest = Quat::Identity();  ///< the joint's local rotation

    /// A local rotation as a turn away from rest, and back.
    Quat turn(const Quat& local) const {
        return to_upright * local * rest.conjugate() * to_upright.conjugate();
    }
    Quat local(const Quat& turn) const { return to_upright.conjugate() * turn * to_upright * rest; }
};

JointFrame joint_frame(const Chart& chart, int bone);

/// The frames of the joints that `chart.ranges` limits, in its order.
std::vector<JointFrame> joint_frames(const Chart& chart);

}  // namespace dendraxis
