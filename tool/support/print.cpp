#include "print.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <map>

#include <unistd.h>

namespace dendraxis::tool {
namespace {

constexpr std::size_t k_most_alike = 5;  // findings of one kind that are printed
std::atomic<bool> g_shows_bar = false;

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
    g_shows_bar = true;
    const std::size_t filled = 30 * done / all;
    fmt::print(stderr, "\r[{}{}] {}/{} {:<32.32}", std::string(filled, '#'), std::string(30 - filled, '.'),
               done, all, name);
    if (done == all) fmt::print(stderr, "\r{:>80}\r", "");
}

WorkingNotice::WorkingNotice() {
    if (isatty(STDERR_FILENO) == 0) return;
    if (isatty(STDOUT_FILENO) != 0) (void)std::setvbuf(stdout, nullptr, _IOFBF, 1 << 16);
    thread_ = std::thread([this] { run(); });
}

WorkingNotice::~WorkingNotice() {
    if (!thread_.joinable()) return;
    {
        const std::lock_guard lock(mutex_);
        is_done_ = true;
    }
    ended_.notify_one();
    thread_.join();
}

void WorkingNotice::run() {
    using std::chrono::seconds;
    std::unique_lock lock(mutex_);
    seconds passed{2};
    if (ended_.wait_for(lock, passed, [this] { return is_done_; })) return;
    do {
        if (!g_shows_bar) fmt::print(stderr, "\rworking, {} s", passed.count());
        ++passed;
    } while (!ended_.wait_for(lock, seconds(1), [this] { return is_done_; }));
    if (!g_shows_bar) fmt::print(stderr, "\r{:>20}\r", "");
}

}  // namespace dendraxis::tool
