// How long a unit of a character's file is.
#pragma once

#include <dendraxis/chart/chart.hpp>

namespace dendraxis {

/// A unit of length that files are made in.
struct LengthUnit {
    const char* name;
    float metres;
};

/// Whether a figure so many metres tall is taken as it is (0.2 to 4.5).
bool is_usual_height(float metres) noexcept;

/// The units that a file may have whose character stands `height` units tall, the likeliest first.
std::vector<LengthUnit> likely_units(float height);

/// Metres in a unit of the character's model space: by `Chart::height_metres` if a person gave it; else 1, as
/// glTF has it, if that makes a usual height; else the likeliest unit's. What weighs, falls or swings goes by
/// it.
float metres_in_unit(const Chart& chart);

/// The chart in another unit: all lengths times `by`, those of the skeleton by what stands above its first
/// bone, so that local poses stay as they are.
Chart scaled(Chart chart, float by);

/// A note if the character's height is not usual and nobody gave it; no finding otherwise.
Findings odd_size(const Chart& chart);

}  // namespace dendraxis
