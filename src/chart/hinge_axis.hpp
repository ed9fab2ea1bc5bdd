// What a knee or an elbow turns about.
#pragma once

#include <dendraxis/base/range.hpp>
#include <dendraxis/chart/joint_turn.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <span>

namespace dendraxis::detail {

/// What shows a hinge at rest, in the upright frame; unit vectors.
struct HingeEvidence {
    Vec3 upper = Vec3::Zero();
    Vec3 lower = Vec3::Zero();
    Vec3 toward = Vec3::Zero();  ///< where the lower bone goes as the hinge bends, by the body's axes
    Vec3 foot = Vec3::Zero();    ///< where the foot points, of knees; zero where it is not known
};

/// The axis that the bone turns about in clips, as its rest points (`bone`), as long as it is sure: from 0,
/// where it hardly turns or in all directions, to 1. Either sign.
Vec3 axis_of_motion(int joint, const JointFrame& frame, const Vec3& bone, std::span<const Clip> clips);

/// The axis from the body's axes, the foot, the bend at rest and the motion, each by how clear it is. Unit
/// length, square to nothing in particular.
Vec3 hinge_axis(const HingeEvidence& evidence, const Vec3& motion);

}  // namespace dendraxis::detail
