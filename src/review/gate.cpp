#include <dendraxis/review/gate.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace dendraxis {

const Gate* find_gate(std::span<const Gate> gates, std::string_view measure) noexcept {
    const auto found =
        std::find_if(gates.begin(), gates.end(), [&](const Gate& gate) { return gate.measure == measure; });
    return found == gates.end() ? nullptr : &*found;
}

bool is_over(const Measure& measure, float most) noexcept {
    return most >= 0.0f && measure.frame >= 0 && measure.value > most;
}

Finding finding_over(const Gate& gate, const Measure& measure, float most, std::string where) {
    return {
        Severity::warning, gate.code, std::move(where),
        fmt::format("{}: {} is {:.3g}, at most {:.3g} passes", gate.seen, measure.name, measure.value, most),
        gate.advice};
}

}  // namespace dendraxis
