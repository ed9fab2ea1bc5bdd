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
    std::filesystem::path file;          ///< a character or its sheet
    std::filesystem::path pairing_file;  ///< empty: paired automatically
    std::optional<Rig> rig;              ///< nothing if it cannot be read
    std::optional<Pairing> pairing;      ///< with the cast's source; nothing if it cannot follow
    std::string problem;                 ///< why it cannot be read or follow, in one line; else empty
    std::string stamp;                   ///< of its files when they were read: names, sizes and times
};

struct CastFile {
    Rig source;
    std::vector<CastEntry> entries;  ///< in the file's order
};

/// Reads a cast file, all that it names (relative to it), and pairs every body with the source. An entry that
/// cannot be used says why in `problem` (with the nearest name if a file is missing) and does not stop the
/// others. Throws `Error` if the cast file itself or its source is not what it should be.
CastFile read_cast(const std::filesystem::path& file);

/// Reads entries again whose files have changed since they were read, and tells which. One that cannot be
/// used any more keeps what it had, so that its members play on, and says why in `problem`. Touches no file
/// of the source. For what plays: `Cast::replace`.
std::vector<std::size_t> read_changed(CastFile& cast);

/// The bodies that can follow.
std::vector<CastBody> bodies_of(const CastFile& cast);

}  // namespace dendraxis::io
