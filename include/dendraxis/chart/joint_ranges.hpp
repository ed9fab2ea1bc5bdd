// How far joints turn: what anatomy allows, and what a character's own clips show.
#pragma once

#include <dendraxis/chart/joint_turn.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <span>
#include <vector>

namespace dendraxis {

/// Ranges for the joints of trunk, neck, arms and legs, whatever stance the character rests in; the rest is
/// always within them. People's: American Academy of Orthopaedic Surgeons, "Joint Motion: Method of Measuring
/// and Recording" (1965), spread evenly over the bones of a trunk or neck; of other legs and of tails our
/// own, wider. Fingers have none. The axes of a person's knees and elbows follow from the body's axes,
/// the feet, the bend at rest and, if `clips` of the character are given, from how they turn in these.
std::vector<JointRange> usual_ranges(const Chart& chart, std::span<const Clip> clips = {});

/// What joints do in these clips of the character, and `margin` radians more to all sides. Joints of chains
/// that never move get a range of the margin alone.
std::vector<JointRange> learned_ranges(const Chart& chart, std::span<const Clip> clips, float margin);

/// The range widened, if need be, until the rest lies within it.
Range holding_rest(Range range);

/// The ranges that hold: the sheet's, and the usual ones of joints that it says nothing of.
std::vector<JointRange> ranges_in_force(const Chart& chart, std::span<const Clip> clips = {});

}  // namespace dendraxis
