#include <dendraxis/page/overview.hpp>

#include "parts.hpp"

#include <dendraxis/version.hpp>

#include <fmt/format.h>

namespace dendraxis::page {
namespace detail {

Json measures_part(const std::vector<JudgedMeasure>& measures) {
    Json part = Json::array();
    for (const auto& [measure, gate, strain, over] : measures) {
        Json json{{"name", measure.name},
                  {"value", io::rounded(measure.value)},
                  {"frame", measure.frame},
                  {"where", measure.where},
                  {"strain", io::rounded(strain)}};
        if (gate >= 0.0f) json["gate"] = io::rounded(gate);
        if (over) json["finding"] = io::json_of(*over);
        part.push_back(std::move(json));
    }
    return part;
}

}  // namespace detail

std::string html_of(const Overview& overview) {
    detail::Json entries = detail::Json::array();
    for (const OverviewEntry& entry : overview.entries) {
        entries.push_back({{"clip", entry.clip},
                           {"source", entry.source},
                           {"result", entry.result},
                           {"page", entry.page},
                           {"frames", entry.frames},
                           {"measures", detail::measures_part(entry.measures)},
                           {"picture", detail::base64(entry.picture)}});
    }
    const detail::Json document{{"format", "dendraxis-overview"},
                                {"version", 1},
                                {"made_with", fmt::format("Dendraxis {}", k_version)},
                                {"made_by", overview.made_by},
                                {"title", overview.title},
                                {"entries", std::move(entries)},
                                {"findings", io::json_of(overview.findings)}};
    return detail::filled(detail::overview_template(), {{"@TITLE@", detail::safe_in_html(overview.title)},
                                                        {"@DOCUMENT@", detail::safe_in_script(document)}});
}

}  // namespace dendraxis::page
