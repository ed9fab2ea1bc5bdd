// The sockets of a rig sheet.
#pragma once

#include <dendraxis/equip/socket.hpp>
#include <dendraxis/io/sheet/sheet.hpp>

#include <optional>

namespace dendraxis::io {

/// The sockets that the rig's sheet holds; nothing where `sheet` is no sheet or has no `sockets`. A socket
/// whose bone is gone is left out, with the finding `socket.no-bone`. Throws `Error` with line and JSON
/// pointer where two have one name.
std::optional<std::vector<Socket>> read_sockets(const std::filesystem::path& sheet, const Rig& rig,
                                                Findings& findings);

/// The same, or where there are none the ones that the chart suggests.
std::vector<Socket> sockets_of(const std::filesystem::path& file, const Rig& rig, Findings& findings);

/// The text of a rig's sheet with these sockets in it; all else in it stays. `folder` as for `sheet_json`.
std::string sheet_with_sockets(const Rig& rig, std::span<const Socket> sockets,
                               const std::filesystem::path& folder = {});

}  // namespace dendraxis::io
