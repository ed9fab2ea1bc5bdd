// The sockets of a rig sheet.
#pragma once

#include <dendraxis/equip/socket.hpp>
#include <dendraxis/io/sheet/sheet.hpp>

#include <optional>

namespace dendraxis::io {

/// The sockets that the rig's sheet holds; nothing where it has none. A socket whose bone is gone is left
/// out, with the finding `socket.no-bone`. Throws `Error` with line and JSON pointer where two have one name.
std::optional<std::vector<Socket>> read_sockets(const Rig& rig, Findings& findings);

/// The same, or where there are none the ones that the chart suggests.
std::vector<Socket> sockets_of(const Rig& rig, Findings& findings);

/// Puts sockets on bones of this skeleton into a sheet.
void set_sockets(RigSheet& sheet, std::span<const Socket> sockets, const Skeleton& skeleton);

}  // namespace dendraxis::io
