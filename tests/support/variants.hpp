// The same character in other clothes: what must not change any result.
#pragma once

#include <dendraxis/chart/chain_role.hpp>
#include <dendraxis/skeleton/character.hpp>

#include <string>

namespace variants {

using dendraxis::Character;
using dendraxis::Quat;
using dendraxis::Transform;
using dendraxis::Vec3;

/// Every bone renamed by rule: `upper_arm_left` to `RIG:ArmUpper.L` and so on.
Character renamed(Character character);

/// Every bone's local axes turned at random; children and skin made up for it.
Character reaxed(Character character, unsigned seed);

/// Data `factor` times as large under a node that scales it back.
Character under_scaled_node(Character character, float factor);

/// Turned as a whole in model space, as a file with another up axis is.
Character turned(Character character, const Quat& by);

/// The data turned, under a node that turns it back.
Character under_turned_node(Character character, const Quat& by);

/// Rest arms lowered by `degrees`.
Character arms_lowered(Character character, float degrees);

/// Larger by `factor`.
Character scaled(Character character, float factor);

/// Every bone called `n000`, `n001` and so on.
Character nameless(Character character);

/// Every name with something before and behind it.
Character with_affixes(Character character, const std::string& before, const std::string& behind);

/// Words for left and right taken out of the names, or put the wrong way around.
Character without_sides(Character character);
Character sides_swapped(Character character);

/// Siblings in another order, and so the bones.
Character reordered(Character character, unsigned seed);

/// No bone hangs on another: all are roots, where they were, or hang on one bone more at the origin, which
/// comes first. Without clips.
Character flattened(Character character, bool on_one_bone = false);

/// Limbs of this role end with their forearm or shin, whose skin a hand or foot is then. Without clips.
Character without_ends(Character character, dendraxis::ChainRole role);

/// Bones alone, without surface and clips.
Character bare(Character character);

/// The largest distance between joints of two clips in model space, over all frames: `to(a)` against `b`.
/// Bones are paired by their order.
float worst_distance(const dendraxis::Skeleton& a, const dendraxis::Clip& clip_a,
                     const dendraxis::Skeleton& b, const dendraxis::Clip& clip_b, const Transform& to = {});

}  // namespace variants
