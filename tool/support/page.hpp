// Pages that commands write.
#pragma once

#include "command_line.hpp"

#include <dendraxis/equip/window.hpp>
#include <dendraxis/page/page.hpp>

#include <map>
#include <vector>

namespace dendraxis::tool {

/// Throws `UsageError` if the page would have another ending than .html, or is one of the files that are
/// read. An empty `out` is no page.
void check_page(const fs::path& out, const std::vector<fs::path>& inputs);

/// Writes the page.
void write_page(const fs::path& out, const page::Page& page);

/// What happens in clips, by their names.
using ClipEvents = std::map<std::string, std::vector<page::ClipEvent>>;

/// Adds when the windows' volumes are live, as far as the windows lie in these clips.
void add_windows(ClipEvents& events, std::span<const ClipWindow> windows, std::span<const Clip> clips);

/// Writes a page of one character: its rest, and these clips.
void write_character_page(const fs::path& out, const page::Actor& actor, std::span<const Clip> clips,
                          const Findings& findings, const std::string& command,
                          const ClipEvents& events = {});

/// Says which page to open; nothing if none was written.
void tell_of_page(const fs::path& out);

/// Adds `--page FILE.html` to a command.
void add_page_option(CLI::App* command, fs::path& out, const char* what);

}  // namespace dendraxis::tool
