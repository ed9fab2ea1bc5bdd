// Parts of sheets and pairings as JSON: what the files hold, and reports as well.
#pragma once

#include "../json/json_document.hpp"

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/equip/socket.hpp>
#include <dendraxis/equip/window.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/ragdoll/plan.hpp>
#include <dendraxis/ragdoll/sway.hpp>

#include <span>

namespace dendraxis::io {

/// Whether a sheet is there and holds this section.
bool holds(const RigSheet& sheet, const char* section);

/// Puts a section into a sheet, in the place of the one it had; the document it shared stays as it is.
void put(RigSheet& sheet, const char* section, Json value);

Json pairing_part(const Pairing& pairing);
Json ragdoll_part(const RagdollPlan& plan, const Skeleton& skeleton);
Json sway_part(const SwayPlan& plan, const Skeleton& skeleton);
Json sockets_part(std::span<const Socket> sockets, const Skeleton& skeleton);
Json window_part(const ClipWindow& window);

}  // namespace dendraxis::io
