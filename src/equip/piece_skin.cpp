#include "piece_skin.hpp"

#include <dendraxis/skeleton/skin_surface.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr float k_deepest = 0.4f;  // of the skin's distance from the middle: what is nearer is another thing
constexpr float k_farthest = 3.0f;
constexpr float k_apart = 0.01f;               // of the height: spots lie no farther from each other
constexpr int k_most_steps = 8;                // along an edge
constexpr std::size_t k_most_points = 50'000;  // shares measured on them are off by 0.2 % at most (one sigma)

bool is_covered(const PieceSkin::Point& point, const std::optional<ShellAround::Crossings>& met) {
    return met && met->first < k_farthest && met->last > (point.own ? k_deepest : 1.0f);
}

// Spots spread evenly over a triangle, its corners and edges left to whoever has them.
template <class Visit>
void visit_spots(const Surface& surface, const std::array<std::uint32_t, 3>& corners, float apart,
                 const Visit& visit) {
    float longest = 0.0f;
    for (std::size_t c = 0; c < 3; ++c)
        longest = std::max(longest,
                           (surface.positions[corners[c]] - surface.positions[corners[(c + 1) % 3]]).norm());
    const int steps = std::clamp(static_cast<int>(std::ceil(longest / apart)), 1, k_most_steps);
    for (int i = 0; i < steps; ++i) {
        for (int j = 0; i + j < steps; ++j) {
            const float b = (static_cast<float>(i) + 1.0f / 3.0f) / static_cast<float>(steps);
            const float c = (static_cast<float>(j) + 1.0f / 3.0f) / static_cast<float>(steps);
            visit(SkinSpot{corners, Vec3(1.0f - b - c, b, c)});
        }
    }
}

// Evenly in the order of the surface, whose neighbors are neighbors on the body.
void thin(std::vector<PieceSkin::Point>& points) {
    if (points.size() <= k_most_points) return;
    for (std::size_t i = 0; i < k_most_points; ++i) points[i] = points[i * points.size() / k_most_points];
    points.resize(k_most_points);
}

}  // namespace

Vec3 place_of(const SkinSpot& spot, std::span<const Vec3> positions) noexcept {
    return spot.shares[0] * positions[spot.corners[0]] + spot.shares[1] * positions[spot.corners[1]] +
           spot.shares[2] * positions[spot.corners[2]];
}

PieceSkin::PieceSkin(const BodyPart& part, const Character& character, const Chart& chart) {
    const Surface surface = surface_of(character);
    const std::vector<int> parts = part_of_bones(chart);
    const int own = parts[static_cast<std::size_t>(part.bones.front())];
    const auto add = [&](const SkinSpot& spot) {
        std::size_t most = 0;
        spot.shares.maxCoeff(&most);
        Point point{spot, part.straight(chart.to_upright() * place_of(spot, surface.positions)),
                    surface.bones[spot.corners[most]], -1, false};
        const float share = part.share(point.place);
        if (share < -0.5f || share > 1.5f) return;
        point.part = parts[static_cast<std::size_t>(point.bone)];
        point.own = point.part == own;
        points.push_back(point);
    };
    for (std::uint32_t v = 0; v < surface.positions.size(); ++v) add({{v, v, v}, Vec3::UnitX()});
    const float apart = k_apart * std::max(1e-3f, chart.height);
    for (const auto& corners : surface.triangles) visit_spots(surface, corners, apart, add);
    thin(points);
    const auto others =
        std::stable_partition(points.begin(), points.end(), [](const Point& p) { return p.own; });
    own_count = static_cast<std::size_t>(others - points.begin());
}

std::vector<std::size_t> PieceSkin::covered(const PlacedPiece& piece) const {
    std::vector<std::size_t> found;
    for (std::size_t p = 0; p < points.size(); ++p) {
        if (is_covered(points[p], piece.crossings(points[p].place))) found.push_back(p);
    }
    return found;
}

PieceSkin::Gaps PieceSkin::gaps(const BodyPart& part, const PlacedPiece& piece, float clearance) const {
    Gaps result;
    std::vector<float> inside;
    std::size_t bad = 0;
    for (std::size_t p = 0; p < own_count; ++p) {
        const auto met = piece.crossings(points[p].place);
        if (!is_covered(points[p], met)) continue;
        const float distance = (points[p].place - part.on_axis(points[p].place)).norm();
        inside.push_back((met->first - 1.0f) * distance);
        bad += (met->last - 1.0f) * distance < clearance ? 1 : 0;
    }
    result.covered = inside.size();
    if (inside.empty()) return result;
    const auto middle = inside.begin() + static_cast<std::ptrdiff_t>(inside.size() / 2);
    std::nth_element(inside.begin(), middle, inside.end());
    result.inside = *middle;
    result.through = static_cast<float>(bad) / static_cast<float>(inside.size());
    return result;
}

}  // namespace dendraxis::detail
