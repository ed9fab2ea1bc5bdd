// A limb of two bones brought to a target in closed form.
#pragma once

#include <dendraxis/base/transform.hpp>

namespace dendraxis {

/// Where the joints of a limb stand, in model space, metres.
struct LimbJoints {
    Vec3 root;    ///< shoulder, hip
    Vec3 middle;  ///< elbow, knee
    Vec3 end;     ///< wrist, ankle
};

/// How much both bones are to be turned, each from where it is now, in model space. The lower turn is whole:
/// it holds what the upper bone's turn does to the lower one.
struct LimbTurns {
    Quat upper = Quat::Identity();
    Quat lower = Quat::Identity();
};

struct TwoBoneOptions {
    /// From this share of the limb's length on the reach is eased, so that it nears full stretch without ever
    /// getting there and without a jump in speed or acceleration. A limb that is stretched farther already is
    /// not drawn back.
    float soft_from = 0.985f;
    /// Which way the middle joint goes where the limb is straight; any length, zero for any way.
    Vec3 hint = Vec3::Zero();
};

/// Turns the limb so that its end comes to `target`: its triangle is turned the shortest way toward the
/// target, so that elbow or knee keep their side, then opened or closed by the law of cosines. Never
/// allocates or throws. Source: the triangle's law of cosines (Euclid, Elements II.12-13).
LimbTurns solve_two_bone(const LimbJoints& limb, const Vec3& target,
                         const TwoBoneOptions& options = {}) noexcept;

}  // namespace dendraxis
