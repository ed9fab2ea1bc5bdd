#include "completeness.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace dendraxis::detail {
namespace {

constexpr float k_doubtful = 0.7f;
constexpr std::array<std::string_view, 5> k_codes{"chart.no-hips", "chart.no-root", "chart.missing-chain",
                                                  "chart.short-limb", "chart.doubtful"};

bool is_main(std::string_view chain) {
    return chain == "spine" || chain == "head" || is_limb(role_of(chain));
}

class Judge {
 public:
    explicit Judge(Chart& chart) : chart_(chart) {}

    void run() {
        std::erase_if(chart_.findings, [](const Finding& finding) {
            return std::find(k_codes.begin(), k_codes.end(), finding.code) != k_codes.end();
        });
        carriers();
        missing();
        if (chart_.hips != k_no_bone) short_limbs();
        doubtful();
    }

 private:
    void add(Severity severity, const char* code, const std::string& message, const char* advice) {
        chart_.findings.push_back({severity, code, chart_.character, message, advice});
    }

    void carriers() {
        if (chart_.hips == k_no_bone) {
            add(Severity::fault, "chart.no-hips",
                "no bone was found that carries the body (a pelvis, or a bone above both legs)",
                "if it has a body, set the hips and the legs in its sheet");
        } else if (chart_.root == k_no_bone) {
            add(Severity::note, "chart.no-root",
                "no root bone stands on the floor above the hips; the hips carry the root motion", "");
        }
    }

    void missing() {
        const bool many_legs =
            chart_.find("leg.back.left") != nullptr || chart_.find("leg.back.right") != nullptr;
        for (const char* wanted : {"spine", "head", "arm.left", "arm.right", "leg.left", "leg.right"}) {
            const std::string_view name = wanted;
            if (chart_.find(name) != nullptr || chart_.hips == k_no_bone) continue;
            if (many_legs && is_limb(role_of(name))) continue;
            add(Severity::warning, "chart.missing-chain", "no bones were found for " + std::string(name),
                "where it has one, name its bones in the sheet");
        }
    }

    void short_limbs() {
        for (const char* limb : {"arm.left", "arm.right", "leg.left", "leg.right"}) {
            const Chain* chain = chart_.find(limb);
            // A puppet's hand is most often drawn on its forearm.
            const std::size_t usual = chart_.shape.flat_across.isZero() ? 3 : 2;
            if (chain == nullptr || chain->bones.size() >= usual) continue;
            add(Severity::warning, "chart.short-limb",
                fmt::format("{} has {} bone(s) where three are usual", limb, chain->bones.size()),
                "check the bones' names with `dendraxis survey`");
        }
    }

    // The chart is as sure as the least sure of its main chains.
    void doubtful() {
        chart_.confidence = chart_.hips == k_no_bone ? 0.0f : 1.0f;
        std::string list;
        for (const Chain& chain : chart_.chains) {
            if (!is_main(chain.name)) continue;
            chart_.confidence = std::min(chart_.confidence, chain.confidence);
            if (chain.confidence < k_doubtful)
                list += fmt::format("{}{} ({:.0f} %)", list.empty() ? "" : ", ", chain.name,
                                    100.0f * chain.confidence);
        }
        if (chart_.hips == k_no_bone || list.empty()) return;
        add(Severity::warning, "chart.doubtful", "other readings of its bones are nearly as likely: " + list,
            "look at it with `dendraxis draw FILE --chart`, ask `dendraxis chart FILE --explain BONE`, and "
            "set what is "
            "wrong in its sheet");
    }

    Chart& chart_;
};

}  // namespace

void judge_completeness(Chart& chart) {
    Judge(chart).run();
}

}  // namespace dendraxis::detail
