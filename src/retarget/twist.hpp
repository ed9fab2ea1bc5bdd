// Twist bones of a target's limbs, fed from the limb's own twist.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <span>
#include <vector>

namespace dendraxis::detail {

/// One twist bone. It turns about the limb's axis by a share of a joint's twist: with the wrist along a
/// forearm, against the shoulder along an upper arm, so that the skin turns little by little instead of at
/// one position.
struct TwistFeed {
    int bone = k_no_bone;
    int driver = k_no_bone;         ///< the joint whose twist it takes
    bool driver_is_parent = false;  ///< the limb's own upper bone; its twist is taken back
    float share = 0.0f;
    Quat undo = Quat::Identity();  ///< takes off the driver's rest
    Quat rest = Quat::Identity();  ///< the bone's own
    Vec3 axis = Vec3::UnitY();     ///< in the frame of the bone's parent
};

/// The twist bones of arms and legs on which no bone of a chain hangs; others are left alone.
std::vector<TwistFeed> find_twists(const Chart& target);

/// Feeds them in poses of `bones` bones that follow each other: angles go on over half a turn. (Pose by pose,
/// the inner loop of the transfer feeds them, the short way.) Never allocates or throws.
void feed_twists_over_time(std::span<const TwistFeed> feeds, std::size_t bones,
                           std::span<Transform> poses) noexcept;

}  // namespace dendraxis::detail
