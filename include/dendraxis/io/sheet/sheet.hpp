// Rig sheets and pairings as JSON files.
#pragma once

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/skeleton/character.hpp>

#include <filesystem>
#include <string>

namespace dendraxis::io {

/// A character with its chart.
struct Rig {
    Character character;
    Chart chart;
    std::string sheet;  ///< the text of the sheet it came from; empty where there was none
};

/// Whether a file's name says that it is a rig sheet: `.json`, but not `.puppet.json`.
bool is_sheet(const std::filesystem::path& file);

/// Opens a character file and charts it, or a rig sheet (.json) and the character it names (relative to the
/// sheet). `fps` as in `LoadOptions`. Throws `Error` with the JSON pointer or line of what is wrong.
Rig load_rig(const std::filesystem::path& file, float fps = 0.0f);

/// Charts anew the character that a sheet names, or `character` where one is given (another one with the same
/// skeleton). What a person decided in the sheet stays: all that its `set` names, and all else in it that
/// differs from what is found now; the rest is found.
Rig rechart(const std::filesystem::path& sheet, const std::filesystem::path& character = {});

/// Throws `Error` if `out` is the sheet of another character than the one in the file `character`.
void refuse_other_sheet(const std::filesystem::path& out, const std::filesystem::path& character);

/// A pairing file, for these two characters, with all its settings. Chains it does not mention are left
/// unpaired. Throws `Error`, naming the nearest chain, bone, stance or clip where one does not exist.
Pairing read_pairing(const std::filesystem::path& file, const Rig& source, const Rig& target);

/// The same for a text; `name` stands in messages.
Pairing pairing_of_text(const std::string& name, const std::string& text, const Rig& source,
                        const Rig& target);

/// The texts of the files. `folder` is where the sheet will be: its character is named relative to it. Of a
/// sheet `before` that is written over, unknown keys are kept.
std::string sheet_json(const Chart& chart, const std::filesystem::path& folder = {},
                       const std::string& before = {});
std::string pairing_json(const Pairing& pairing);

}  // namespace dendraxis::io
