// The groups of chains that share a color, in pictures and on pages alike.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <array>
#include <span>

namespace dendraxis::draw {

struct BoneGroup {
    const char* name;            ///< `left arm`
    std::array<float, 3> color;  ///< sRGB, 0 to 1; told apart by color-blind people too
};

/// The group of helpers, the last one.
inline constexpr std::size_t k_helper_group = 8;

/// All groups, in the order of a legend.
std::span<const BoneGroup> bone_groups();

/// The group of a bone, as an index into `bone_groups()`.
std::size_t group_of(const Chart& chart, int bone);

}  // namespace dendraxis::draw
