#include <dendraxis/base/finding.hpp>

namespace dendraxis {

std::string_view to_string(Severity severity) noexcept {
    switch (severity) {
        case Severity::note:
            return "note";
        case Severity::warning:
            return "warning";
        case Severity::fault:
            return "fault";
    }
    return "note";
}

std::string to_string(const Finding& finding) {
    std::string line(to_string(finding.severity));
    line += " " + finding.code;
    if (!finding.where.empty()) line += " [" + finding.where + "]";
    line += ": " + finding.message;
    if (!finding.advice.empty()) line += "; " + finding.advice;
    return line;
}

}  // namespace dendraxis
