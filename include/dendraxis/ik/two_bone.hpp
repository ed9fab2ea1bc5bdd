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
    float stretch = 1.0f;  ///< how much longer both bones are to be
};

/// What decides to which side the middle joint goes.
enum class Bend {
    pose,  ///< it stays on the side where it is; where the limb is straight, the hint's
    hint,  ///< toward the hint
    hinge  ///< as far as turning about the hinge axis takes it
};

struct TwoBoneOptions {
    /// From this share of the limb's length on the reach is eased, so that it nears full stretch without ever
    /// getting there and without a jump in speed or acceleration. A limb that is stretched farther already is
    /// not drawn back.
    float soft_from = 0.985f;
    Bend bend = Bend::pose;
    /// Which way the middle joint goes; any length, zero for any way.
    Vec3 hint = Vec3::Zero();
    /// The axis that the middle joint turns about, right-handed as it bends; model space, as the limb is now.
    Vec3 hinge = Vec3::Zero();
    /// How much longer the bones may become to reach what is out of reach; 1: they keep their length.
    float most_stretch = 1.0f;
};

/// Turns the limb so that its end comes to `target`: its triangle is turned the shortest way toward the
/// target, so that elbow or knee keep their side, then opened or closed by the law of cosines. Never
/// allocates or throws. Source: the triangle's law of cosines (Euclid, Elements II.12-13).
LimbTurns solve_two_bone(const LimbJoints& limb, const Vec3& target,
                         const TwoBoneOptions& options = {}) noexcept;

}  // namespace dendraxis
