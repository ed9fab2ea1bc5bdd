#include <dendraxis/page/overview.hpp>

#include "parts.hpp"

#include <dendraxis/version.hpp>

#include <fmt/format.h>

namespace dendraxis::page {
namespace {

// Over its gate before all else, then by its share of the gate.
float rank_of(const JudgedMeasure& judged) {
    const float share = judged.gate > 0.0f ? judged.measure.value / judged.gate : 0.0f;
    return judged.over ? 1000.0f + share : share;
}

}  // namespace

std::vector<JudgedMeasure> judged(const Pairing& pairing, const ClipReview& review) {
    std::vector<JudgedMeasure> measures;
    for (const Measure& measure : review.measures) {
        if (measure.frame >= 0)
            measures.push_back(
                {measure, gate_of(pairing, measure.name), over_gate(pairing, review, measure)});
    }
    return measures;
}

const JudgedMeasure* worst_of(const std::vector<JudgedMeasure>& measures) noexcept {
    const JudgedMeasure* worst = nullptr;
    for (const JudgedMeasure& one : measures) {
        if (worst == nullptr || rank_of(one) > rank_of(*worst)) worst = &one;
    }
    return worst;
}

namespace detail {

Json measures_part(const std::vector<JudgedMeasure>& measures) {
    Json part = Json::array();
    for (const auto& [measure, gate, over] : measures) {
        Json json{{"name", measure.name},
                  {"value", io::rounded(measure.value)},
                  {"frame", measure.frame},
                  {"where", measure.where}};
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
