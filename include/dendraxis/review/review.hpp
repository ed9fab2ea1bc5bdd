// Measures of a retargeted clip against the clip that it came from.
#pragma once

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace dendraxis {

/// One figure about one clip, the worst of all frames, and where that was.
struct Measure {
    std::string name;  ///< with its unit: `foot_slide_mm`
    float value = 0.0f;
    int frame = -1;     ///< -1: nothing to measure
    std::string where;  ///< the target's bone or chain
};

/// All measures of one clip, always the same ones in the same order:
/// `foot_slide_mm`: how far a part of a foot strays from where it was planted while the source's stands,
/// beyond the source's own straying in proportion. `ground_depth_mm`: how deep the soles go below the floor,
/// beyond the source's in proportion.
/// `float_mm`: how high the sole of a standing foot is over the floor, beyond the source's in proportion.
/// `reach_error_pct`: hands and feet seen from the hips, in limb lengths, against the source's.
/// `direction_error_deg`: where upper and lower limbs point, against the source's.
/// `clipping_mm`: how deep forearms and hands are in the body, beyond the source's in proportion.
/// `body_depth_mm`: how deep the lowest part of trunk, head, legs or arms is below the floor, beyond the
/// source's in proportion.
/// `pops`: frames in which a joint's angular acceleration is over three times the worst of the source.
/// `bend_flips`: frames in which a knee or elbow bends to the other side than the source's.
/// `range_overshoot_deg`: how far joints go beyond the ranges of the target's sheet.
/// `root_motion_error_pct`: how far the hips' way over the floor is from what the root-motion rule asks, of
/// the way. `trunk_error_deg`: where the head is, seen from the hips, against the source's.
/// `hips_height_pct`: how far the legs' roots are from the height of the source's in proportion, in lengths
/// of the leg. `joint_error_pct`: if both are one build and nothing was set by hand, how far any joint is
/// from the place of the source's, of the target's height. It then decides alone.
struct ClipReview {
    std::string clip;
    std::size_t frames = 0;
    float fps = 0.0f;
    std::vector<Measure> measures;

    /// The measure of that name. Throws `Error` where there is none.
    const Measure& operator[](std::string_view name) const;
};

struct Review {
    std::vector<ClipReview> clips;
    Findings findings;   ///< one for each measure over its gate, with the setting to change
    bool passed = true;  ///< whether all gates hold
};

/// The names of all measures, in their order.
const std::vector<std::string>& measure_names();

/// The most that passes, where the pairing's settings say nothing else; negative: no gate. What is in
/// millimetres is for a character 1.75 m tall and goes with the target's height.
float default_gate(std::string_view measure) noexcept;

/// The most that passes of this pairing: what its settings say, else the default at the target's height;
/// negative: no gate.
float gate_of(const Pairing& pairing, std::string_view measure);

/// What there is to say of a clip's measure that is over its gate; nothing if it passes or does not count.
std::optional<Finding> over_gate(const Pairing& pairing, const ClipReview& clip, const Measure& measure);

/// Measures `result`, a clip of the pairing's target, against `source`, the clip of its source that it came
/// from. Throws `Error` where bones or frames do not fit. Safe to call from several threads.
ClipReview review_clip(const Pairing& pairing, const Clip& source, const Clip& result);

/// Puts the gates of the pairing's settings to reviewed clips.
Review judge(const Pairing& pairing, std::vector<ClipReview> clips);

}  // namespace dendraxis
