// What a person says of a character's joints: how a bone is turned by hand, how far a joint may turn.
#pragma once

#include <dendraxis/base/range.hpp>
#include <dendraxis/base/transform.hpp>

#include <string>

namespace dendraxis {

/// A bone turned by hand; what hangs below turns with it.
struct BoneTurn {
    std::string bone;             ///< its label
    Vec3 degrees = Vec3::Zero();  ///< rotation vector in the character's upright frame: left, up, forward
};

/// The range of one joint.
struct JointRange {
    int bone = -1;
    Range range;  ///< its axes are in the character's upright frame
};

}  // namespace dendraxis
