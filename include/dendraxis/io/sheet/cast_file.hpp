// Casts as JSON files: one source, and the bodies that follow it.
#pragma once

#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/retarget/cast.hpp>

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace dendraxis::io {

/// One entry of a cast file.
struct CastEntry {
    std::string id;
    std::filesystem::path file;      ///< a character or its sheet
    std::optional<Rig> rig;          ///< nothing if it cannot be read
    std::optional<Pairing> pairing;  ///< with the cast's source; nothing if it cannot follow
    std::string problem;             ///< why there is none, in one line; empty if there is
};

struct CastFile {
    Rig source;
    std::vector<CastEntry> entries;  ///< in the file's order
};

/// Reads a cast file, all that it names (relative to it), and pairs every body with the source. An entry that
/// cannot be used says why in `problem` (with the nearest name if a file is missing) and does not stop the
/// others. Throws `Error` if the cast file itself or its source is not what it should be.
CastFile read_cast(const std::filesystem::path& file);

/// The bodies that can follow.
std::vector<CastBody> bodies_of(const CastFile& cast);

}  // namespace dendraxis::io
