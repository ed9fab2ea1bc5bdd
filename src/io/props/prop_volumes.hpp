// Volumes of props as they stand in JSON.
#pragma once

#include "../json/json_document.hpp"

#include <dendraxis/equip/volume.hpp>

#include <vector>

namespace dendraxis::io {

Json volumes_json(const std::vector<SweepVolume>& volumes);

/// Of a checked document, or of what `volumes_json` wrote.
std::vector<SweepVolume> volumes_of(const Json& volumes);

}  // namespace dendraxis::io
