// Gates: the most that a measure may be, and what there is to say if it is more.
#pragma once

#include <dendraxis/review/measure.hpp>

#include <span>
#include <string>
#include <string_view>

namespace dendraxis {

struct Gate {
    std::string_view measure;
    float most = -1.0f;  ///< negative: none
    const char* code = "";
    const char* seen = "";  ///< what people see where it is exceeded
    const char* advice = "";
};

/// The gate of the measure of that name; null where there is none.
const Gate* find_gate(std::span<const Gate> gates, std::string_view measure) noexcept;

/// Whether a measure has a frame and is over `most`; a negative `most` is never exceeded.
bool is_over(const Measure& measure, float most) noexcept;

/// What there is to say of a measure that is over `most`, the gate as it holds for this character.
Finding finding_over(const Gate& gate, const Measure& measure, float most, std::string where);

}  // namespace dendraxis
