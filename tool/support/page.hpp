// Pages that commands write.
#pragma once

#include "command_line.hpp"

#include <dendraxis/page/page.hpp>

#include <vector>

namespace dendraxis::tool {

/// Throws `UsageError` if the page would have another ending than .html, or is one of the files that are
/// read. An empty `out` is no page.
void check_page(const fs::path& out, const std::vector<fs::path>& inputs);

/// Writes the page.
void write_page(const fs::path& out, const page::Page& page);

/// Writes a page of one character: its rest, and these clips.
void write_character_page(const fs::path& out, const page::Actor& actor, std::span<const Clip> clips,
                          const Findings& findings, const std::string& command);

/// Adds `--page FILE.html` to a command.
void add_page_option(CLI::App* command, fs::path& out, const char* what);

}  // namespace dendraxis::tool
