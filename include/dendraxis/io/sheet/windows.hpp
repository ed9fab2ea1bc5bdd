// The live windows of a rig sheet.
#pragma once

#include <dendraxis/equip/window.hpp>
#include <dendraxis/io/sheet/sheet.hpp>

#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace dendraxis::io {

/// The windows that a sheet holds; none where `sheet` is no sheet. Throws `Error` with line and JSON pointer
/// where one ends before it starts.
std::vector<ClipWindow> read_windows(const std::filesystem::path& sheet);

/// The text of a rig's sheet with these windows in it; all else in it stays. `folder` as for `sheet_json`.
std::string sheet_with_windows(const Rig& rig, std::span<const ClipWindow> windows,
                               const std::filesystem::path& folder = {});

}  // namespace dendraxis::io
