// What a bone's name says about it.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace dendraxis {

enum class Part {
    none,
    root,
    hips,
    spine,
    neck,
    head,
    shoulder,
    arm,  ///< any of the three below
    upper_arm,
    forearm,
    hand,
    palm,
    thumb,
    index,
    middle,
    ring,
    little,
    leg,  ///< any of the three below
    thigh,
    shin,
    foot,
    toes,
    tail,
    ear,
    eye,
    jaw,
    wing,
    grip,
};

enum class Side { none, left, right };

enum class NameKind {
    plain,
    twist,   ///< spreads a limb's twist
    end,     ///< marks where a bone ends
    target,  ///< a control that other bones follow
    palm,    ///< within the palm, behind the finger that `part` names
};

struct NameReading {
    Part part = Part::none;
    Side side = Side::none;
    NameKind kind = NameKind::plain;
};

/// The words of a name in lower case, split where letter case changes, at digits and at separators; digits
/// are dropped: `Sk_L_UpArm2` gives `sk l up arm`.
std::vector<std::string> name_words(std::string_view name);

/// How many words at the start all of `names` share (a prefix that says nothing); 0 for fewer than three
/// names.
std::size_t shared_words(std::span<const std::string> names);

/// Reads one name after leaving out its first `skipped` words.
NameReading read_bone_name(std::string_view name, std::size_t skipped = 0);

std::string_view to_string(Part part) noexcept;
std::string_view to_string(Side side) noexcept;

}  // namespace dendraxis
