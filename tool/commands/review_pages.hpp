// Pages of reviewed files, and the overview of many.
#pragma once

#include "../support/command_line.hpp"

#include <dendraxis/page/overview.hpp>
#include <dendraxis/pipeline/review_set.hpp>

#include <mutex>

namespace dendraxis::tool {

/// Writes pages as files are reviewed. One file alone has its page where asked; of several the overview is
/// there, and the pages are in the folder beside it that has its name.
class ReviewPages {
 public:
    /// `made_by`: the command.
    ReviewPages(fs::path out, bool is_overview, std::string made_by);

    /// Writes the page of one file. From several threads at once.
    void add(const pipeline::ReviewedFile& file);

    /// Writes the overview, if there is one.
    void finish(const pipeline::ReviewReport& report);

 private:
    fs::path out_;
    bool is_overview_;
    std::string made_by_;
    std::mutex mutex_;
    page::Overview overview_;
};

}  // namespace dendraxis::tool
