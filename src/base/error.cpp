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

Error::Error(const std::string& subject, const std::string& problem, const std::string& where,
             const std::string& advice)
    : std::runtime_error(one_line(subject, problem, where, advice)) {}

}  // namespace dendraxis
