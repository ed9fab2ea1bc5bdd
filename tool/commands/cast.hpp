// Casts at the command line.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace dendraxis::tool {

/// `retarget --cast`: all members in one go; prints what became of each. Returns the exit status.
int run_retarget_cast(const std::filesystem::path& file, const std::vector<std::string>& clips,
                      const std::filesystem::path& out_dir, int jobs, bool json);

}  // namespace dendraxis::tool
