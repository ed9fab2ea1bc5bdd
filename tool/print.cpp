#include "commands.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/sheet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

#include <algorithm>
#include <cstdlib>

#include <unistd.h>

namespace dendraxis::tool {
namespace {

std::string styled(const std::string& text, const char* code) {
    static const bool k_shows = isatty(STDOUT_FILENO) != 0 && std::getenv("NO_COLOR") == nullptr;
    return k_shows ? std::string("\033[") + code + "m" + text + "\033[0m" : text;
}

}  // namespace

std::string bold(const std::string& text) {
    return styled(text, "1");
}

std::string dim(const std::string& text) {
    return styled(text, "2");
}

void print_findings(const Findings& findings) {
    if (findings.empty()) return;
    Findings sorted = findings;
    std::stable_sort(sorted.begin(), sorted.end(),
                     [](const Finding& a, const Finding& b) { return a.severity > b.severity; });
    fmt::print("\n{}\n", bold("findings"));
    for (const Finding& finding : sorted) fmt::print("  {}\n", finding);
}

void check_sheet_place(const fs::path& out, const fs::path& character) {
    check_not_input(out, {character});
    try {
        io::refuse_other_sheet(out, character);
    } catch (const Error& problem) {
        throw UsageError(problem.what());
    }
}

void check_not_input(const fs::path& out, const std::vector<fs::path>& inputs) {
    try {
        io::refuse_to_replace(out, inputs);
    } catch (const Error& problem) {
        throw UsageError(problem.what());
    }
}

}  // namespace dendraxis::tool
