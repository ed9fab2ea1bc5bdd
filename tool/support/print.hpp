// Text for people, and what may be written where.
#pragma once

#include <dendraxis/base/finding.hpp>

#include <string>

namespace dendraxis::tool {

/// Text in bold or dim on a terminal that shows it, unless NO_COLOR is set.
std::string bold(const std::string& text);
std::string dim(const std::string& text);

/// One line for each finding, worst first; of many of one kind the first ones and how many more there are.
void print_findings(const Findings& findings);

/// A bar on a terminal's standard error; nothing elsewhere.
void show_progress(std::size_t done, std::size_t all, const std::string& name);

}  // namespace dendraxis::tool
