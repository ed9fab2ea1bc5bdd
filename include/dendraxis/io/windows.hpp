// The live windows of a rig sheet.
#pragma once

#include <dendraxis/equip/window.hpp>
#include <dendraxis/io/sheet.hpp>

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

/// What a volume touched in one window; points and normals left, up and forward of the character's origin.
struct WindowReport {
    ClipWindow window;
    float fps = 0.0f;
    std::vector<WindowTouch> touches;
};

/// What `sweep --json` tells. `target` names the bones of what was touched.
std::string touches_json(std::span<const WindowReport> reports, const Skeleton& target,
                         const Findings& findings);

}  // namespace dendraxis::io
