// Stick figures: the smallest bodies that have one awkward thing each. No skin; every limb ends in an end
// bone.
#pragma once

#include <dendraxis/skeleton/character.hpp>

#include <functional>
#include <string>
#include <vector>

namespace sticks {

using dendraxis::Character;
using dendraxis::Clip;
using dendraxis::Quat;
using dendraxis::Vec3;

struct Plan {
    int spine_bones = 2;
    int thigh_bones = 1;  ///< the thigh cut into so many
    float size = 1.0f;
    bool control = false;     ///< hips below a control that rests turned by half a turn
    bool loose_feet = false;  ///< feet hang below the root, not below the shins
    std::string hair = {};    ///< a bone of this name on the head; empty: none
    float bent_knees = 0.0f;  ///< how far knees stand forward at rest, metres
};

Quat turned(float degrees, const Vec3& axis);

/// A biped in T stance that faces +Z, about 1.8 m tall.
Character figure(const Plan& plan);

struct FourPlan {
    float size = 1.0f;
    bool middle_hips = false;  ///< the body is carried by a bone in its middle, from which both ends hang
    float crouch = 0.0f;       ///< how far hind knees stand forward at rest, metres
    float fore_legs = 0.6f;    ///< how high the shoulders are
    float longer = 0.0f;       ///< trunk, to either end, metres
};

/// A body on four legs that faces +Z, about 0.8 m tall.
Character on_four(const FourPlan& plan);

/// A clip of so many frames at 30 a second; `move` sets a local pose that starts as the rest.
Clip clip(const Character& character, std::size_t frames,
          const std::function<void(std::size_t frame, std::vector<dendraxis::Transform>& pose)>& move);

/// The local transform of the bone of this name in a pose.
dendraxis::Transform& bone(const Character& character, std::vector<dendraxis::Transform>& pose,
                           const std::string& name);

/// A bone half way between `name` and its first child, which hangs below it then.
Character split(Character character, const std::string& name);

/// Without this bone; what hung below it hangs on its parent, where it was.
Character merged(Character character, const std::string& name);

}  // namespace sticks
