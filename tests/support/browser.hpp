// Pages in a headless browser.
#pragma once

#include "workshop.hpp"

#include <doctest/doctest.h>

#include <optional>

namespace workshop {

/// Runs a script of tests/page with these arguments and gives what it prints; nothing, with a message, where
/// no browser is installed.
inline std::optional<nlohmann::json> in_browser(const std::string& script, const std::string& arguments) {
    const fs::path modules = DENDRAXIS_BROWSER;
    if (!fs::exists(modules / "node_modules/playwright-core") || !fs::exists("/usr/bin/chromium")) {
        MESSAGE("no browser is installed (./test.sh installs one where npm is there): not checked");
        return std::nullopt;
    }
    const Outcome outcome = run("node " + std::string(DENDRAXIS_SOURCE) + "/tests/page/" + script + " " +
                                modules.string() + " " + arguments);
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    return nlohmann::json::parse(outcome.out);
}

}  // namespace workshop
