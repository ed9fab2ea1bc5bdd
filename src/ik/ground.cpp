// Triangles seen from above, in a grid of even cells.
#include <dendraxis/ik/ground.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_upright = 0.02f;  // of a triangle's area: less is seen from above

}  // namespace

TriangleGround::TriangleGround(std::span<const Vec3> positions,
                               std::span<const std::array<unsigned, 3>> triangles, const Vec3& up,
                               float step_height)
    : up_(up.normalized()),
      first_(up_.unitOrthogonal()),
      second_(up_.cross(first_)),
      step_height_(step_height) {
    const auto flat = [&](const Vec3& v) { return Eigen::Vector2f(v.dot(first_), v.dot(second_)); };
    std::size_t broken = 0;
    Eigen::Vector2f high = Eigen::Vector2f::Constant(-1e30f);
    low_.setConstant(1e30f);
    for (const std::array<unsigned, 3>& corners : triangles) {
        std::array<Vec3, 3> p;
        bool sound = true;
        for (std::size_t k = 0; k < 3; ++k) {
            sound = sound && corners[k] < positions.size() && positions[corners[k]].allFinite();
            if (sound) p[k] = positions[corners[k]];
        }
        if (!sound) {
            ++broken;
            continue;
        }
        const Vec3 ab = p[1] - p[0];
        const Vec3 ac = p[2] - p[0];
        const Vec3 across = ab.cross(ac);
        const float area = across.dot(up_);
        if (std::abs(area) <= k_upright * across.norm() || across.norm() <= 0.0f) continue;
        triangles_.push_back({flat(p[0]), flat(ab), flat(ac), p[0].dot(up_), ab.dot(up_), ac.dot(up_),
                              1.0f / area, Vec3(across.normalized() * (area > 0.0f ? 1.0f : -1.0f))});
        for (const Vec3& corner : p) {
            low_ = low_.cwiseMin(flat(corner));
            high = high.cwiseMax(flat(corner));
        }
    }
    if (broken > 0)
        findings_.push_back(
            {Severity::warning, "ground.broken-triangles", "ground",
             fmt::format("{} of its {} triangles name no corner or one that is not finite; they "
                         "are left out",
                         broken, triangles.size()),
             "export the mesh again"});
    if (triangles_.empty()) {
        findings_.push_back({Severity::warning, "ground.nothing-to-stand-on", "ground",
                             "none of its triangles can be stood on", "check the mesh and which way is up"});
        low_.setZero();
        starts_.assign(2, 0);
        return;
    }
    const Eigen::Vector2f size = high - low_;
    cell_ = std::max(1e-3f, std::sqrt(size.x() * size.y() / static_cast<float>(triangles_.size()) + 1e-6f));
    for (std::size_t axis = 0; axis < 2; ++axis)
        cells_[axis] = std::clamp(static_cast<int>(size[static_cast<int>(axis)] / cell_) + 1, 1, 512);
    cell_ =
        std::max(size.x() / static_cast<float>(cells_[0]), size.y() / static_cast<float>(cells_[1])) + 1e-6f;
    const auto each_cell = [&](const Triangle& t, const auto& use) {
        const Eigen::Vector2f b = t.a + t.ab;
        const Eigen::Vector2f c = t.a + t.ac;
        const auto from = cell_of(t.a.cwiseMin(b).cwiseMin(c));
        const auto to = cell_of(t.a.cwiseMax(b).cwiseMax(c));
        for (int y = from[1]; y <= to[1]; ++y) {
            for (int x = from[0]; x <= to[0]; ++x) use(index_of(x, y));
        }
    };
    starts_.assign(static_cast<std::size_t>(cells_[0] * cells_[1]) + 1, 0);
    for (const Triangle& t : triangles_) each_cell(t, [&](std::size_t cell) { ++starts_[cell + 1]; });
    for (std::size_t i = 1; i < starts_.size(); ++i) starts_[i] += starts_[i - 1];
    lists_.resize(starts_.back());
    std::vector<unsigned> filled(starts_.begin(), starts_.end() - 1);
    for (std::size_t i = 0; i < triangles_.size(); ++i)
        each_cell(triangles_[i],
                  [&](std::size_t cell) { lists_[filled[cell]++] = static_cast<unsigned>(i); });
}

std::size_t TriangleGround::index_of(int x, int y) const noexcept {
    return static_cast<std::size_t>(y) * static_cast<std::size_t>(cells_[0]) + static_cast<std::size_t>(x);
}

std::array<int, 2> TriangleGround::cell_of(const Eigen::Vector2f& position) const noexcept {
    const auto index = [&](int axis) {
        const float at = (position[axis] - low_[axis]) / cell_;
        return std::clamp(static_cast<int>(std::floor(at)), 0, cells_[static_cast<std::size_t>(axis)] - 1);
    };
    return {index(0), index(1)};
}

std::optional<GroundPoint> TriangleGround::operator()(const Vec3& position) const noexcept {
    std::optional<GroundPoint> best;
    if (triangles_.empty() || !position.allFinite()) return best;
    const Eigen::Vector2f at(position.dot(first_), position.dot(second_));
    const float highest = position.dot(up_) + step_height_;
    const auto [x, y] = cell_of(at);
    const std::size_t cell = index_of(x, y);
    for (unsigned i = starts_[cell]; i < starts_[cell + 1]; ++i) {
        const Triangle& t = triangles_[lists_[i]];
        const Eigen::Vector2f from = at - t.a;
        const float u = (from.x() * t.ac.y() - from.y() * t.ac.x()) * t.inverse_area;
        const float v = (t.ab.x() * from.y() - t.ab.y() * from.x()) * t.inverse_area;
        constexpr float k_edge = -1e-4f;  // two triangles that meet leave no gap between them
        if (u < k_edge || v < k_edge || u + v > 1.0f - k_edge) continue;
        const float height = t.height + u * t.height_ab + v * t.height_ac;
        if (height > highest || (best && height <= best->height)) continue;
        best = GroundPoint{height, t.normal, 0.0f};
    }
    return best;
}

}  // namespace dendraxis
