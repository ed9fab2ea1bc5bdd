// Rig sheets and pairings as JSON files.
#pragma once

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/skeleton/character.hpp>

#include <filesystem>
#include <memory>
#include <string>

namespace dendraxis::io {

struct JsonDocument;  // private

/// A rig sheet, parsed and checked once. Its chart stands in `Rig::chart`; the other sections are read by
/// `read_ragdoll`, `read_sway`, `read_sockets` and `read_windows`, edited by `set_ragdoll` and so on, and
/// saved with all else by `sheet_json`. Cheap to copy; a copy is edited for itself.
struct RigSheet {
    std::shared_ptr<const JsonDocument> document;  ///< none where the character was opened by itself

    bool exists() const noexcept { return document != nullptr; }
};

/// A character with its chart.
struct Rig {
    Character character;
    Chart chart;
    RigSheet sheet;
};

/// Whether a file's name says that it is a rig sheet: `.json`, but not `.puppet.json`.
bool is_sheet(const std::filesystem::path& file);

/// Opens a character file and charts it, or a rig sheet (.json) and the character it names (relative to the
/// sheet), or `character` instead where one is given (another one with the same skeleton). The sheet counts:
/// its chains are the character's, no others; what it leaves out altogether is found. `fps` as in
/// `LoadOptions`. Throws `Error` with the JSON pointer or line of what is wrong.
Rig load_rig(const std::filesystem::path& file, float fps = 0.0f,
             const std::filesystem::path& character = {});

/// The same, charted anew: what a person decided in the sheet stays, that is all that its `set` names and all
/// else in it that differs from what is found now; everything else is found, new chains among it.
Rig rechart(const std::filesystem::path& sheet, const std::filesystem::path& character = {});

/// Throws `Error` if `out` is the sheet of another character than the one in the file `character`.
void refuse_other_sheet(const std::filesystem::path& out, const std::filesystem::path& character);

/// A pairing file, for these two characters, with all its settings. Chains it does not mention are left
/// unpaired. Throws `Error`, naming the nearest chain, bone, stance or clip where one does not exist.
Pairing read_pairing(const std::filesystem::path& file, const Rig& source, const Rig& target);

/// The same for a text; `name` stands in messages.
Pairing pairing_of_text(const std::string& name, const std::string& text, const Rig& source,
                        const Rig& target);

/// The texts of the files. `folder` is where the sheet will be: its character is named relative to it. All
/// sections of `sheet`, its order, and keys that this program does not know are kept.
std::string sheet_json(const Chart& chart, const std::filesystem::path& folder = {},
                       const RigSheet& sheet = {});
std::string pairing_json(const Pairing& pairing);

}  // namespace dendraxis::io
