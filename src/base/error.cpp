#include <dendraxis/base/error.hpp>

namespace dendraxis {
namespace {

std::string one_line(const std::string& subject, const std::string& problem, const std::string& where,
                     const std::string& advice) {
    std::string line = subject + ": " + problem;
    if (!where.empty()) line += " (" + where + ")";
    if (!advice.empty()) line += "; " + advice;
    for (char& letter : line) {
        if (letter == '\n' || letter == '\r') letter = ' ';
    }
    return line;
}

}  // namespace

std::string_view to_string(ErrorCode code) noexcept {
    switch (code) {
        case ErrorCode::invalid:
            return "invalid";
        case ErrorCode::unknown_name:
            return "unknown-name";
        case ErrorCode::cannot_read:
            return "cannot-read";
        case ErrorCode::cannot_write:
            return "cannot-write";
        case ErrorCode::too_large:
            return "too-large";
    }
    return "";
}

Error::Error(ErrorCode code, const std::string& subject, const std::string& problem, const std::string& where,
             const std::string& advice)
    : std::runtime_error(one_line(subject, problem, where, advice)),
      code_(code),
      subject_(subject),
      problem_(problem),
      where_(where),
      advice_(advice) {}

Error::Error(const std::string& subject, const std::string& problem, const std::string& where,
             const std::string& advice)
    : Error(ErrorCode::invalid, subject, problem, where, advice) {}

}  // namespace dendraxis
