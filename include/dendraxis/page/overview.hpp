// The overview of many reviews: one HTML file with a picture of each clip, worst first, that leads to their
// pages.
#pragma once

#include <dendraxis/review/review.hpp>

#include <cstdint>
#include <string>
#include <vector>

namespace dendraxis::page {

/// One clip of a result.
struct OverviewEntry {
    std::string clip;
    std::string source;  ///< the character's name
    std::string result;  ///< the file's, below the folder of all results
    std::string page;    ///< where its page is, relative to the overview, with `/` between folders
    std::size_t frames = 0;
    std::vector<JudgedMeasure> measures;
    std::vector<std::uint8_t> picture;  ///< PNG
};

struct Overview {
    std::string title;
    std::vector<OverviewEntry> entries;
    Findings findings = {};    ///< about the whole
    std::string made_by = {};  ///< the command that made it
};

/// The overview as HTML that needs no network.
std::string html_of(const Overview& overview);

}  // namespace dendraxis::page
