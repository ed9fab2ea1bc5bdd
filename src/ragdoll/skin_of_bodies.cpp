#include "fit_body.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/build.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace dendraxis {
namespace {

constexpr int k_directions = 96;

// Evenly over the ball: R. Swinbank and R. J. Purser, "Fibonacci grids" (2006).
Vec3 direction(int index) {
    const float height = 1.0f - (2.0f * static_cast<float>(index) + 1.0f) / k_directions;
    const float around = 2.0f * k_pi * static_cast<float>(index) / std::numbers::phi_v<float>;
    const float radius = std::sqrt(1.0f - height * height);
    return {radius * std::cos(around), height, radius * std::sin(around)};
}

}  // namespace

std::vector<std::vector<Vec3>> skin_of_bodies(const RagdollPlan& plan, const Character& character,
                                              const Chart& chart) {
    const detail::SkinByBody skin =
        detail::skin_by_body(character, chart, bodies_of_bones(chart.skeleton, plan));
    const std::vector<PlacedShape> placed = shapes_at_rest(plan, chart);
    std::vector<std::vector<Vec3>> own(plan.bodies.size());
    for (std::size_t v = 0; v < skin.positions.size(); ++v) {
        if (skin.bodies[v] < 0) continue;
        const auto body = static_cast<std::size_t>(skin.bodies[v]);
        const Transform& frame = placed[body].frame;
        own[body].push_back(frame.rotation.conjugate() * (skin.positions[v] - frame.translation));
    }
    std::vector<std::vector<Vec3>> outermost(plan.bodies.size());
    for (std::size_t body = 0; body < own.size(); ++body) {
        std::vector<std::size_t> chosen;
        for (int i = 0; i < k_directions && !own[body].empty(); ++i) {
            const Vec3 way = direction(i);
            const auto farthest =
                std::max_element(own[body].begin(), own[body].end(),
                                 [&](const Vec3& a, const Vec3& b) { return a.dot(way) < b.dot(way); });
            chosen.push_back(static_cast<std::size_t>(farthest - own[body].begin()));
        }
        std::sort(chosen.begin(), chosen.end());
        chosen.erase(std::unique(chosen.begin(), chosen.end()), chosen.end());
        for (const std::size_t v : chosen) outermost[body].push_back(own[body][v]);
    }
    return outermost;
}

}  // namespace dendraxis
