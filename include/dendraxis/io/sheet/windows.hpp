// The live windows of a rig sheet.
#pragma once

#include <dendraxis/equip/window.hpp>
#include <dendraxis/io/sheet/sheet.hpp>

#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace dendraxis::io {

/// The windows that the rig's sheet holds. Throws `Error` with line and JSON pointer if one ends before it
/// starts.
std::vector<ClipWindow> read_windows(const Rig& rig);

/// Puts windows into a sheet.
void set_windows(RigSheet& sheet, std::span<const ClipWindow> windows);

}  // namespace dendraxis::io
