// Measures of a retargeted clip against the clip that it came from.
#pragma once

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/review/measure.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace dendraxis {

/// All measures of one clip, always the same ones in the same order:
/// `foot_slide_mm`: how far a part of a foot strays from where it was planted while the source's stands,
/// beyond the source's own straying in proportion, and a quarter of how far that one sways as it stands, as
/// in captures. `ground_depth_mm`: how deep the soles go below the floor, beyond the source's in proportion.
/// `float_mm`: how high the sole of a standing foot is over the floor, beyond the source's in proportion.
/// `reach_error_pct`: hands and feet seen from the hips, in limb lengths, against the source's.
/// `direction_error_deg`: where upper and lower limbs point, against the source's.
/// `clipping_mm`: how deep forearms and hands are in the body, beyond the source's in proportion.
/// `body_depth_mm`: how deep the lowest part of trunk, head, legs or arms is below the floor, beyond the
/// source's in proportion.
/// `pops`: frames in which a joint's angular acceleration is over three times the worst of the source.
/// `bend_flips`: frames in which a knee or elbow bends to the other side than the source's.
/// `range_overshoot_deg`: how far joints go beyond the ranges of the target's sheet.
/// `root_motion_error_pct`: how far the way of the hips over the floor (of the legs' roots, if the hips do
/// not answer to each other: `hips_answer`) is from what the root-motion rule asks, of the way.
/// `trunk_error_deg`: where the head is, seen from the hips, against the source's.
/// `hips_height_pct`: how far the legs' roots are from the height of the source's in proportion, in lengths
/// of the leg; standing (on legs as straight as the source's) answers to standing, or rest to rest, whichever
/// is nearer.
/// `joint_gap_pct`: how far any joint is from its place on the bone that it hangs on in the body, beyond the
/// source's in proportion, of the height.
/// `loop_gap_pct`: if the source ends as it begins, how far any joint is at the end from where it is at the
/// start, less what the character goes by, of the height.
/// `joint_error_pct`: if both are one build and nothing was set by hand, how far any joint is from the place
/// of the source's, of the target's height. It then decides alone.
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

/// A measure that has a frame, its gate, and what there is to say if it is over it.
struct JudgedMeasure {
    Measure measure;
    float gate = -1.0f;   ///< negative: none
    float strain = 0.0f;  ///< how near to the gate: 1 is at it; 0 without a gate
    std::optional<Finding> over;
};

/// The measures of a reviewed clip by the gates of its pairing, in their order.
std::vector<JudgedMeasure> judged(const Pairing& pairing, const ClipReview& review);

/// The measure that is farthest over its gate, or else nearest to it; null without measures.
const JudgedMeasure* worst_of(std::span<const JudgedMeasure> measures) noexcept;

/// Measures `result`, a clip of the pairing's target, against `source`, the clip of its source that it came
/// from. Throws `Error` where bones or frames do not fit. Safe to call from several threads.
ClipReview review_clip(const Pairing& pairing, const Clip& source, const Clip& result);

/// Puts the gates of the pairing's settings to reviewed clips.
Review judge(const Pairing& pairing, std::vector<ClipReview> clips);

/// What a person should look at first, in one line: `right`, or the first finding and how many more there
/// are.
std::string verdict_on(const Pairing& pairing, const ClipReview& review);

}  // namespace dendraxis
