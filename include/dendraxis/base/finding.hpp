// The one way to report something to the user: every command and every library check returns findings.
#pragma once

#include <fmt/core.h>

#include <string>
#include <string_view>
#include <vector>

namespace dendraxis {

enum class Severity {
    note,     ///< good to know
    warning,  ///< the result may not be what was wanted
    fault,    ///< the result is wrong or missing something
};

/// One thing the user should know. `code` is stable (`chart.no-root`) and explained, with its cure, in
/// docs/findings.md.
struct Finding {
    Severity severity = Severity::note;
    std::string code;
    std::string where;    ///< bone, clip, chain or file; may be empty
    std::string message;  ///< what was seen
    std::string advice;   ///< what to do; may be empty
};

std::string_view to_string(Severity severity) noexcept;

/// `warning chart.no-root [WHERE]: MESSAGE; ADVICE`
std::string to_string(const Finding& finding);

using Findings = std::vector<Finding>;

}  // namespace dendraxis

/// For `fmt::print("{}\n", finding)`: the same line as `to_string`.
template <>
struct fmt::formatter<dendraxis::Finding> {
    constexpr auto parse(fmt::format_parse_context& context) { return context.begin(); }
    auto format(const dendraxis::Finding& finding, fmt::format_context& context) const {
        return fmt::format_to(context.out(), "{}", dendraxis::to_string(finding));
    }
};
