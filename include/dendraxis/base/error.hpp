// The one exception of set-up and file code. What runs per frame throws nothing.
#pragma once

#include <stdexcept>
#include <string>
#include <string_view>

namespace dendraxis {

/// What kind of thing is wrong, for programs that answer to it.
enum class ErrorCode {
    invalid,       ///< what was given contradicts itself or is damaged
    unknown_name,  ///< it names a bone, clip, chain, socket ... that is not there
    cannot_read,   ///< a file is missing, or may not be read
    cannot_write,  ///< a file cannot be written, or must not be written over
    too_large,     ///< beyond a limit of docs/formats.md
};

/// `invalid`, `unknown-name`, `cannot-read`, `cannot-write`, `too-large`.
std::string_view to_string(ErrorCode code) noexcept;

/// Something is wrong with what was given. `what()` is one line: `SUBJECT: what is wrong (where); what to
/// do`.
class Error : public std::runtime_error {
 public:
    /// `subject` is most often a file; `where` (node, JSON pointer, line) and `advice` may be empty.
    Error(ErrorCode code, const std::string& subject, const std::string& problem,
          const std::string& where = {}, const std::string& advice = {});
    /// The same with `ErrorCode::invalid`.
    Error(const std::string& subject, const std::string& problem, const std::string& where = {},
          const std::string& advice = {});

    ErrorCode code() const noexcept { return code_; }
    const std::string& subject() const noexcept { return subject_; }
    const std::string& problem() const noexcept { return problem_; }
    const std::string& where() const noexcept { return where_; }
    const std::string& advice() const noexcept { return advice_; }

 private:
    ErrorCode code_;
    std::string subject_;
    std::string problem_;
    std::string where_;
    std::string advice_;
};

}  // namespace dendraxis
