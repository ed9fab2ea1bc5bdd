#include <dendraxis/chart/unit.hpp>
#include <dendraxis/review/gate.hpp>
#include <dendraxis/review/review.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <utility>

namespace dendraxis {
namespace {

constexpr float k_usual_height = 1.75f;  // metres, that millimetres are meant for

constexpr std::array<Gate, 16> k_gates{
    {{"foot_slide_mm", 3.0f, "review.foot-slide", "a foot that should stand slides",
      "set the frames in which it stands in the pairing's \"contacts\", and see that \"feet\" is not off"},
     {"ground_depth_mm", 5.0f, "review.ground-depth", "a sole is below the floor",
      "see that the pairing's \"feet\" is not off, or raise the leg by \"offsets\""},
     {"float_mm", 5.0f, "review.float", "a standing foot hangs over the floor",
      "set the frames in which it stands in the pairing's \"contacts\", or lower the leg by \"offsets\""},
     {"reach_error_pct", -1.0f, "review.reach", "a hand or foot is elsewhere than the source's in proportion",
      "raise that limb's \"reach\" in the pairing"},
     {"direction_error_deg", 60.0f, "review.direction", "a limb points elsewhere than the source's",
      "raise that chain's \"strength\" in the pairing, or take back its \"turns\""},
     {"clipping_mm", 5.0f, "review.clipping", "an arm is in the body",
      "see that the pairing's \"clearance\" is not off, or move the hand out by \"offsets\""},
     {"body_depth_mm", 60.0f, "review.body-depth", "the body is below the floor",
      "see what `dendraxis chart` says of both floors, or keep it up by \"offsets\" and \"source_stance\""},
     {"pops", 0.0f, "review.pop", "a joint jumps",
      "look at the frame; lengthen or join the \"contacts\" around it in the pairing"},
     {"bend_flips", 0.0f, "review.bend-flip", "a knee or elbow bends to the other side",
      "look at the limb's rest in both characters; straighten it by \"turns\" in the pairing"},
     {"range_overshoot_deg", 2.0f, "review.range", "a joint goes beyond its range",
      "widen the range in the target's sheet, or see that the pairing's \"ranges\" is not off"},
     {"root_motion_error_pct", 1.0f, "review.root-motion",
      "the root motion is not what the clip's rule asks for",
      "set the clip's rule in the pairing's \"root_motion\""},
     {"trunk_error_deg", 30.0f, "review.trunk", "the trunk leans elsewhere than the source's",
      "see `dendraxis chart` for spine and head of both, or turn the spine by \"turns\" in the pairing"},
     {"hips_height_pct", 15.0f, "review.hips-height",
      "the hips are higher or lower than the source's in proportion",
      "see what `dendraxis chart` says of both floors, or name a \"source_stance\" in the pairing"},
     {"joint_gap_pct", 3.0f, "review.joint-gap", "a bone has left the one that it hangs on",
      "retarget the clip again; if the source's joints slide, drop its \"positions\" in the pairing"},
     {"loop_gap_pct", 1.0f, "review.loop-gap",
      "the clip no longer ends as it begins: it jumps where it repeats",
      "retarget the clip again, whole; a clip cut by hand needs its first pose at its end"},
     {"joint_error_pct", 0.2f, "review.joint", "a joint of the same build is not where the source's is",
      "retarget the clip again"}}};

// Of one build, where the joints are says all.
constexpr std::string_view k_joint_error = "joint_error_pct";

constexpr std::string_view k_hips_height = "hips_height_pct";

bool has_stiff_legs(const Chart& chart) {
    return !chart.shape.soles.empty() && !legs_bend(chart);
}

// Of a leg of two bones, whose foot is the shin's skin.
bool is_without_ankle(const Chart& chart, const std::string& leg) {
    const Chain* chain = chart.find(leg);
    return chain != nullptr && chain->role() == ChainRole::leg && chain->bones.size() == 2;
}

bool decides_alone(const ClipReview& clip) {
    return clip[k_joint_error].frame >= 0;
}

}  // namespace

const std::vector<std::string>& measure_names() {
    static const std::vector<std::string> k_names = [] {
        std::vector<std::string> names;
        for (const Gate& gate : k_gates) names.emplace_back(gate.measure);
        return names;
    }();
    return k_names;
}

float default_gate(std::string_view measure) noexcept {
    const Gate* gate = find_gate(k_gates, measure);
    return gate == nullptr ? -1.0f : gate->most;
}

float gate_of(const Pairing& pairing, std::string_view measure) {
    const auto set = pairing.settings.gate.find(std::string(measure));
    if (set != pairing.settings.gate.end()) return set->second;
    const float size = pairing.target.height > 0.0f
                           ? pairing.target.height * metres_in_unit(pairing.target) / k_usual_height
                           : 1.0f;
    return (measure.ends_with("_mm") ? size : 1.0f) * default_gate(measure);
}

std::optional<Finding> over_gate(const Pairing& pairing, const ClipReview& clip, const Measure& measure) {
    if (decides_alone(clip) && measure.name != k_joint_error) return std::nullopt;
    const Gate* gate = find_gate(k_gates, measure.name);
    const float most = gate_of(pairing, measure.name);
    if (gate == nullptr || !is_over(measure, most)) return std::nullopt;
    Finding finding = finding_over(*gate, measure, most,
                                   fmt::format("{}, frame {}, {}", clip.clip, measure.frame, measure.where));
    if (measure.name == k_hips_height && has_stiff_legs(pairing.target)) {
        finding.message += "; its legs have no knees";
        finding.advice =
            "nothing brings it down; if it may stay up, set this measure's \"gate\" in the pairing";
    }
    if (is_without_ankle(pairing.target, measure.where)) {
        finding.message += "; its foot turns with the shin";
        finding.advice = "give the leg a foot bone, or set this measure's \"gate\" in the pairing";
    }
    return finding;
}

std::vector<JudgedMeasure> judged(const Pairing& pairing, const ClipReview& review) {
    std::vector<JudgedMeasure> measures;
    for (const Measure& measure : review.measures) {
        if (measure.frame < 0) continue;
        const float gate = gate_of(pairing, measure.name);
        const float strain = gate > 0.0f                            ? measure.value / gate
                             : gate == 0.0f && measure.value > 0.0f ? 1.0f + measure.value
                                                                    : 0.0f;
        measures.push_back({measure, gate, strain, over_gate(pairing, review, measure)});
    }
    return measures;
}

const JudgedMeasure* worst_of(std::span<const JudgedMeasure> measures) noexcept {
    const JudgedMeasure* worst = nullptr;
    for (const JudgedMeasure& one : measures) {
        if (worst == nullptr ||
            std::pair(one.over.has_value(), one.strain) > std::pair(worst->over.has_value(), worst->strain))
            worst = &one;
    }
    return worst;
}

Review judge(const Pairing& pairing, std::vector<ClipReview> clips) {
    Review review;
    for (const ClipReview& clip : clips) {
        for (JudgedMeasure& one : judged(pairing, clip)) {
            if (!one.over) continue;
            review.passed = false;
            review.findings.push_back(std::move(*one.over));
        }
    }
    const bool all_exact = std::all_of(clips.begin(), clips.end(), decides_alone);
    for (const Finding& finding : pairing.findings) {
        if (finding.code != "chart.doubtful" || all_exact) continue;
        review.passed = false;
        review.findings.push_back({Severity::warning, "review.doubtful-chart", finding.where,
                                   "measured by a chart that is doubtful: " + finding.message,
                                   "set the chains in its sheet; they are then no longer doubtful"});
    }
    review.clips = std::move(clips);
    return review;
}

std::string verdict_on(const Pairing& pairing, const ClipReview& review) {
    const Findings findings = judge(pairing, {review}).findings;
    if (findings.empty()) return "right";
    const std::string more = findings.size() > 1 ? fmt::format(" (and {} more)", findings.size() - 1) : "";
    return fmt::format("{} [{}]{}", findings.front().message, findings.front().where, more);
}

}  // namespace dendraxis
