// Figures of other sizes than a person's, simulated as if they were of one.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ragdoll/plan.hpp>

namespace dendraxis::sim::detail {

/// A figure of any size is simulated as one of a person's, at its own gravity, so that all that the
/// simulation takes for small or slow is so for this figure (dynamic similarity: L. Rayleigh, 1915).
struct Scale {
    explicit Scale(const Chart& chart);
    float mass() const { return metre * metre * metre; }

    float model = 1.0f;  ///< from the character's model space to the simulation
    float metre = 1.0f;  ///< from metres
};

/// Masses of one density.
RagdollPlan scaled(const RagdollPlan& plan, const Scale& scale);

}  // namespace dendraxis::sim::detail
