// A run of bones turned toward something: eyes and head that look, an arm that points, a spine that bends
// after a target.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <array>
#include <span>
#include <string_view>
#include <vector>

namespace dendraxis {

struct AimBone {
    int bone = k_no_bone;
    float share = 1.0f;  ///< of the turn that is left when its bone is come to, 0 to 1; the last one's is 1
};

/// What looks, and how far it may turn.
struct Aim {
    std::vector<AimBone> bones;      ///< each below the one before; the last one looks
    Vec3 origin = Vec3::Zero();      ///< of the look, in the last bone's frame without scale
    Vec3 direction = Vec3::UnitZ();  ///< of the look, in the last bone's frame; unit length
    /// An arm that points: its shoulder, elbow and hand. The look is then the line from shoulder to hand, and
    /// the arm is straightened as it points. No bones: `direction` is the look.
    std::array<int, 3> arm{k_no_bone, k_no_bone, k_no_bone};
    Vec3 up = Vec3::UnitY();     ///< in model space: what turning sideways goes about
    float most_sideways = 1.4f;  ///< radians, from where the pose looks by itself
    float most_upward = 0.9f;
    bool sideways = true;  ///< the directions asked for
    bool upward = true;
    float ease_seconds = 0.25f;  ///< in which it turns to a new target, and on and off
};

/// Looking with the head (neck and spine help), or pointing along an arm. `name` is `head`, `spine` or an
/// arm's chain. Throws `Error` where the chart has no such chain.
Aim aim_of(const Chart& chart, std::string_view name);

/// A look in a pose: from where, and which way (unit length), in model space.
struct Look {
    Vec3 from;
    Vec3 direction;
};
Look look_of(const Aim& aim, std::span<const Transform> model) noexcept;

/// What is remembered of one character from pose to pose; the caller owns it.
struct AimState {
    float weight = 0.0f;    ///< 0 to 1, eased
    float sideways = 0.0f;  ///< radians, eased
    float upward = 0.0f;
    bool started = false;
};

/// Turns the bones of a local pose so that the look goes through `target` (model space), as far as the limits
/// let it, times `weight` (0 to 1): at 0 the pose stays what it was. `seconds` have passed since the pose
/// before; 0: no easing. `model` is scratch, a transform a bone. Never allocates or throws.
void apply_aim(const Skeleton& skeleton, const Aim& aim, const Vec3& target, float weight, float seconds,
               AimState& state, std::span<Transform> local, std::span<Transform> model) noexcept;

}  // namespace dendraxis
