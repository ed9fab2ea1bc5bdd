// The one exception of set-up and file code. What runs per frame throws nothing.
#pragma once

#include <stdexcept>
#include <string>

namespace dendraxis {

/// Something is wrong with what was given. `what()` is one line: `SUBJECT: what is wrong (where); what to
/// do`.
class Error : public std::runtime_error {
 public:
    /// `subject` is most often a file; `where` (node, JSON pointer, line) and `advice` may be empty.
    Error(const std::string& subject, const std::string& problem, const std::string& where = {},
          const std::string& advice = {});
};

}  // namespace dendraxis
