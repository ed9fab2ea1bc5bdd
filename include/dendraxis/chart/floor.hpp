// Where a character stands.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <optional>
#include <span>

namespace dendraxis {

/// The height on which the feet come to rest in a clip, along `up` from the model's origin. Nothing if they
/// rest too seldom to tell (the character swims, flies, or falls). Needs the chart's shape.
std::optional<float> resting_floor(const Chart& chart, const Clip& clip);

/// The clip as if it stood on `chart.floor`: moved up or down as a whole if it has a floor of its own in the
/// chart.
Clip on_floor(const Chart& chart, Clip clip);

/// Whether a clip stands on `chart.floor` as it is, so that `on_floor` would only copy it.
bool is_on_floor(const Chart& chart, const Clip& clip);

/// Sets `floor` and `clip_floors` from where feet rest in the clips: the height that most clips share, and
/// each clip's own where it lies elsewhere. What was found at rest stays if the clips agree with it or do not
/// tell. Adds a finding if the character does not stand where it rests.
void find_floors(Chart& chart, std::span<const Clip> clips);

}  // namespace dendraxis
