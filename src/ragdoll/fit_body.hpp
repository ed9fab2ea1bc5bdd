// Shapes that fit the skin.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ragdoll/plan.hpp>

#include <array>
#include <cstdint>

namespace dendraxis::detail {

/// The skin at rest in the upright frame; each vertex belongs to the body whose bones move it most.
struct SkinByBody {
    std::vector<Vec3> positions;
    std::vector<int> bodies;  ///< -1: no body's
    std::vector<std::array<std::uint32_t, 3>> triangles;

    /// A body's vertices and as many points all over its surface: where vertices are far apart, those
    /// alone would leave gaps.
    std::vector<Vec3> positions_of(int body, float apart) const;
};

/// `owners`: of each bone its body, or -1.
SkinByBody skin_by_body(const Character& character, const Chart& chart, std::span<const int> owners);

/// Cubic metres of the skin's inside that belong to each body; overlapping parts count once.
std::vector<float> volumes_by_body(const SkinByBody& skin, std::size_t bodies);

/// What is known of a body before it is fitted.
struct FitTask {
    Vec3 from = Vec3::Zero();  ///< the bone's head, upright frame
    Vec3 to = Vec3::Zero();    ///< where the segment ends
    bool trunk = false;        ///< thick for its length
    bool boxy = false;         ///< rather an upright box than a capsule along the bone: trunk and feet
    bool loose = false;        ///< along the bone whatever fits better: hair, cloth
    float height = 1.0f;       ///< the character's
};

/// The shape, and where it stands in the upright frame. `positions` lie on the body's skin; where there are
/// too few, the shape is made from the segment's length. A `volume` of 0: flat, which makes a slab.
PlacedShape fit_body(const FitTask& task, std::span<const Vec3> positions, float volume);

/// How badly a shape fits; lower is better.
float fit_cost(const PlacedShape& placed, std::span<const Vec3> positions, float volume);

}  // namespace dendraxis::detail
