// The anatomical role of a chain, as its name tells it.
#pragma once

#include <dendraxis/chart/bone_names.hpp>

#include <string_view>

namespace dendraxis {

/// What a chain is in the body. `loose` is hair, cloth or feathers; `other` is a name of the user's own.
enum class ChainRole {
    spine,
    neck,
    head,
    shoulder,
    arm,
    thumb,
    index,
    middle,
    ring,
    little,
    leg,
    toes,
    tail,
    ear,
    wing,
    grip,
    loose,
    other,
};

/// The role that the first word of a chain's name gives: `arm` for `arm.left`, `spine` for `spine.back`.
ChainRole role_of(std::string_view chain) noexcept;

/// The side that the last word of a chain's name gives: `left` for `leg.back.left`.
Side side_of(std::string_view chain) noexcept;

/// Whether it is an arm or a leg.
bool is_limb(ChainRole role) noexcept;

/// Whether it is a thumb or a finger.
bool is_digit(ChainRole role) noexcept;

std::string_view to_string(ChainRole role) noexcept;

}  // namespace dendraxis
