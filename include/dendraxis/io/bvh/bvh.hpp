// BVH motion files, in and out.
// Source: M. Meredith and S. Maddock, "Motion Capture File Formats Explained", University of Sheffield
// (2001).
#pragma once

#include <dendraxis/skeleton/character.hpp>

#include <filesystem>
#include <string>
#include <string_view>

namespace dendraxis::io {

/// Reads a BVH file as a character of bare bones with one clip, named after the file. `load_character` does
/// the same for names that end in .bvh. Taken as it comes: channels in any order and number, positions on any
/// joint (from the parent or on top of the offset, whichever the values say), several roots, missing or empty
/// end sites, comments (`#`, `//`), odd blanks and line ends, frame times with a comma or as frames a second.
/// The unit is found from the figure's size. Findings list what was mended. Throws `Error` with the
/// line where it cannot be read.
Character read_bvh(const std::filesystem::path& file);

/// The same from text in memory; `name` is for messages and the clip.
Character parse_bvh(std::string_view text, const std::string& name);

/// One clip of a character as BVH: every bone a joint, the rest as it stands in model space, +Y up,
/// centimetres, rotations Z X Y; roots carry six channels, bones that slide too. Scales are left out.
std::string bvh_text(const Skeleton& skeleton, const Clip& clip);

}  // namespace dendraxis::io
