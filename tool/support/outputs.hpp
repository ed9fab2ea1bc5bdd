// Which files a command may write.
#pragma once

#include "command_line.hpp"

#include <vector>

namespace dendraxis::tool {

/// Throws `UsageError` if `out` is one of the files that are read.
void check_not_input(const fs::path& out, const std::vector<fs::path>& inputs);

/// The same for a sheet that is to be written of the character in this file; also if `out` is the sheet of
/// another character.
void check_sheet_place(const fs::path& out, const fs::path& character);

}  // namespace dendraxis::tool
