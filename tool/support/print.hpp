// Text for people, and what may be written where.
#pragma once

#include <dendraxis/base/finding.hpp>

#include <condition_variable>
#include <mutex>
#include <string>
#include <thread>

namespace dendraxis::tool {

/// Text in bold or dim on a terminal that shows it, unless NO_COLOR is set.
std::string bold(const std::string& text);
std::string dim(const std::string& text);

/// One line for each finding, worst first; of many of one kind the first ones and how many more there are.
void print_findings(const Findings& findings);

/// A bar on a terminal's standard error; nothing elsewhere.
void show_progress(std::size_t done, std::size_t all, const std::string& name);

/// On a terminal, says after two seconds and then each second that the command still works, unless a bar
/// does; what is printed meanwhile appears at the end.
class WorkingNotice {
 public:
    WorkingNotice();
    ~WorkingNotice();
    WorkingNotice(const WorkingNotice&) = delete;
    WorkingNotice& operator=(const WorkingNotice&) = delete;

 private:
    void run();

    std::mutex mutex_;
    std::condition_variable ended_;
    bool is_done_ = false;
    std::thread thread_;
};

}  // namespace dendraxis::tool
