// What is wrong with a baked fall, measured on the clip itself.
#pragma once

#include <dendraxis/ragdoll/get_up.hpp>
#include <dendraxis/review/measure.hpp>
#include <dendraxis/sim/drop.hpp>
#include <dendraxis/skeleton/character.hpp>

namespace dendraxis::sim {

/// A fall that is to be judged. No pointer is null.
struct BakedFall {
    const Character* character = nullptr;
    const Chart* chart = nullptr;
    const RagdollBinding* binding = nullptr;
    const Clip* clip = nullptr;
    std::span<const Transform> let_go{};  ///< the local pose in which the bodies were let go
    bool is_level = true;                 ///< whether it fell onto a level floor at the soles
    std::optional<float> settled{};       ///< `DropFigures::settled`
    std::optional<GetUp> get_up{};        ///< where the clip goes on with getting up
    float fastest = 0.0f;                 ///< rad/s: what `get_up_turn_pct` is told in
};

/// Measures of a fall, always the same ones in the same order; lengths in hundredths of the character's
/// height:
/// `joint_gap_pct`: how far apart the two bones of a joint are, where they met as the bodies were let go.
/// `skin_stretch_pct`: how much longer an edge of the skin is than at rest.
/// `below_ground_pct`: how deep the skin is in a level floor in the last frame.
/// `beyond_range_deg`: how far joints go beyond their ranges, but for one in a thousand of all joints and
/// frames.
/// `jitter_pct`: how far the bone that moves most does so in a frame, on average over the last quarter
/// second, if all bodies came to rest. `unsettled_seconds`: how long the fall lasts without coming to rest; 0
/// if it does.
/// The fall ends where the character gets up; then there are two more:
/// `get_up_turn_pct`: how fast a joint turns at most as the character gets up, in hundredths of `fastest`.
/// `get_up_below_pct`: how deep the skin is in a level floor meanwhile, beyond how it lay and how the clip
/// itself stands.
std::vector<Measure> fall_measures(const BakedFall& fall);

/// The most that passes; negative: no gate.
float fall_gate(std::string_view measure) noexcept;

/// One finding for each measure over its gate.
Findings judge_fall(const std::string& character, std::span<const Measure> measures);

}  // namespace dendraxis::sim
