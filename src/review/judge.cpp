#include <dendraxis/review/review.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace dendraxis {
namespace {

struct Gate {
    std::string_view measure;
    float most;  // negative: none
    const char* code;
    const char* seen;
    const char* advice;
};

constexpr std::array<Gate, 10> k_gates{
    {{"foot_slide_mm", 3.0f, "review.foot-slide", "a foot that should stand slides",
      "set the frames in which it stands in the pairing's \"contacts\", and see that \"feet\" is not off"},
     {"ground_depth_mm", 5.0f, "review.ground-depth", "a sole is below the floor",
      "see that the pairing's \"feet\" is not off, or raise the leg by \"offsets\""},
     {"float_mm", 5.0f, "review.float", "a standing foot hangs over the floor",
      "set the frames in which it stands in the pairing's \"contacts\", or lower the leg by \"offsets\""},
     {"reach_error_pct", -1.0f, "review.reach", "a hand or foot is elsewhere than the source's in proportion",
      "raise that limb's \"reach\" in the pairing"},
     {"direction_error_deg", -1.0f, "review.direction", "a limb points elsewhere than the source's",
      "raise that chain's \"strength\" in the pairing, or take back its \"turns\""},
     {"clipping_mm", 5.0f, "review.clipping", "an arm is in the body",
      "see that the pairing's \"clearance\" is not off, or move the hand out by \"offsets\""},
     {"pops", 0.0f, "review.pop", "a joint jumps",
      "look at the frame; lengthen or join the \"contacts\" around it in the pairing"},
     {"bend_flips", 0.0f, "review.bend-flip", "a knee or elbow bends to the other side",
      "look at the limb's rest in both characters; straighten it by \"turns\" in the pairing"},
     {"range_overshoot_deg", 2.0f, "review.range", "a joint goes beyond its range",
      "widen the range in the target's sheet, or see that the pairing's \"ranges\" is not off"},
     {"travel_error_pct", 1.0f, "review.travel", "the way over the floor is not what the rule asks",
      "set the clip's rule in the pairing's \"travel\""}}};

const Gate* gate_of(std::string_view measure) noexcept {
    const auto found = std::find_if(k_gates.begin(), k_gates.end(),
                                    [&](const Gate& gate) { return gate.measure == measure; });
    return found == k_gates.end() ? nullptr : found;
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
    const Gate* gate = gate_of(measure);
    return gate == nullptr ? -1.0f : gate->most;
}

Review judge(const Pairing& pairing, std::vector<ClipReview> clips) {
    Review review;
    for (const ClipReview& clip : clips) {
        for (const Measure& measure : clip.measures) {
            const Gate* gate = gate_of(measure.name);
            const auto set = pairing.settings.gate.find(measure.name);
            const float most = set != pairing.settings.gate.end() ? set->second : default_gate(measure.name);
            if (gate == nullptr || most < 0.0f || measure.frame < 0 || measure.value <= most) continue;
            review.passed = false;
            review.findings.push_back(
                {Severity::warning, gate->code,
                 fmt::format("{}, frame {}, {}", clip.clip, measure.frame, measure.where),
                 fmt::format("{}: {} is {:.3g}, at most {:g} passes", gate->seen, measure.name, measure.value,
                             most),
                 gate->advice});
        }
    }
    review.clips = std::move(clips);
    return review;
}

}  // namespace dendraxis
