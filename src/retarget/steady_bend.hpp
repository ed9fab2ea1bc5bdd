// To which side a limb bends while it is as good as straight.
#pragma once

#include <dendraxis/ik/two_bone.hpp>

#include <cstddef>
#include <span>

namespace dendraxis::detail {

/// Where the middle joint of a limb belongs in `frame`, any length, in model space: the side to which it
/// bends `around` frames before and after, where noise decides; zero where it is surely bent, or straight all
/// the while. `joints` are of all frames.
Vec3 steady_bend(std::span<const LimbJoints> joints, std::size_t frame, std::size_t around) noexcept;

}  // namespace dendraxis::detail
