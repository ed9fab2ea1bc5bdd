#include "print.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cstdlib>
#include <map>

#include <unistd.h>

namespace dendraxis::tool {
namespace {

constexpr std::size_t k_most_alike = 5;  // findings of one kind that are printed

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
    std::map<std::string, std::size_t> counts;
    std::map<std::string, std::size_t> printed;
    for (const Finding& finding : sorted) ++counts[finding.code];
    for (const Finding& finding : sorted) {
        const std::size_t all = counts[finding.code];
        const std::size_t now = ++printed[finding.code];
        if (all <= k_most_alike || now < k_most_alike)
            fmt::print("  {}\n", finding);
        else if (now == k_most_alike)
            fmt::print("  {}\n", dim(fmt::format("and {} more {} ({} and others; --json lists all)",
                                                 all - k_most_alike + 1, finding.code, finding.where)));
    }
}

void show_progress(std::size_t done, std::size_t all, const std::string& name) {
    static const bool k_shows = isatty(STDERR_FILENO) != 0;
    if (!k_shows || all < 2) return;
    const std::size_t filled = 30 * done / all;
    fmt::print(stderr, "\r[{}{}] {}/{} {:<32.32}", std::string(filled, '#'), std::string(30 - filled, '.'),
               done, all, name);
    if (done == all) fmt::print(stderr, "\r{:>80}\r", "");
}

}  // namespace dendraxis::tool
