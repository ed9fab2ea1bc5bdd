// What follows a fall in a clip: the character gets up and plays on.
#pragma once

#include <dendraxis/ragdoll/ragdoll.hpp>
#include <dendraxis/skeleton/clip.hpp>

namespace dendraxis {

/// Frames of a fall's clip between which the character gets up: from the last frame of the fall to the first
/// in which the animation alone is seen.
struct GetUp {
    std::size_t from = 0;
    std::size_t to = 0;
    const Clip* clip = nullptr;  ///< what it gets up into
    Transform controller;        ///< where the model space of that clip is
};

/// Appends to a baked fall how the character gets up from its last frame into `clip`, and the rest of `clip`.
/// The blend is that of `Ragdoll::recover` with these settings and this ground (along up in model space); it
/// takes `seconds`, or longer where `fastest_recovery` asks for it. What is above the hips stays where it was
/// as the character fell. Throws `Error` if the fall or `clip` has no frame, or is of other bones than the
/// binding's skeleton, and if `seconds` is below 0 or not finite.
GetUp append_get_up(const RagdollBinding& binding, const Clip& clip, float seconds,
                    const RagdollSettings& settings, std::optional<float> ground, Clip& fall);

/// How fast any bone turns in these clips at most, rad/s, between two frames; steps do not count.
float fastest_turn(std::span<const Clip> clips);

}  // namespace dendraxis
