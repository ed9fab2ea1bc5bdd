// A character as a command line names it.
#pragma once

#include <dendraxis/io/sheet/sheet.hpp>

namespace dendraxis::tool {

/// The character's file or its sheet; with `sheet` not empty, that sheet on the character's file.
/// `height_metres` over 0 says how tall it is.
io::Rig open_rig(const std::filesystem::path& character, const std::filesystem::path& sheet,
                 float height_metres = 0.0f);

}  // namespace dendraxis::tool
