// Half-space rasterization with barycentric interpolation (J. Pineda, "A Parallel Algorithm for Polygon
// Rasterization", SIGGRAPH 1988).
#include "raster.hpp"

#include "texture.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

namespace dendraxis::draw {
namespace {

float edge(const Vec3& a, const Vec3& b, float x, float y) {
    return (b.x() - a.x()) * (y - a.y()) - (b.y() - a.y()) * (x - a.x());
}

// Where a row of pixels crosses a triangle; none: from far right to far left.
std::pair<float, float> span_at(float y, const Vec3& a, const Vec3& b, const Vec3& c) {
    float from = 1e9f;
    float to = -1e9f;
    const auto cross = [&](const Vec3& p, const Vec3& q) {
        if ((p.y() <= y) == (q.y() <= y)) return;
        const float x = p.x() + (y - p.y()) / (q.y() - p.y()) * (q.x() - p.x());
        from = std::min(from, x);
        to = std::max(to, x);
    };
    cross(a, b);
    cross(b, c);
    cross(c, a);
    return {from, to};
}

Color shaded(const Color& color, const Vec3& normal) {
    // One light from the upper left before the figure, a little from everywhere; both sides of a surface
    // alike.
    const Vec3 light = Vec3(-0.45f, 0.65f, 0.62f).normalized();
    Vec3 n = normal.normalized();
    if (n.z() < 0.0f) n = -n;
    const float brightness = 0.42f + 0.62f * std::max(0.0f, n.dot(light)) + 0.06f * n.y();
    Color result{};
    for (std::size_t i = 0; i < 3; ++i) result[i] = std::clamp(color[i] * brightness, 0.0f, 1.0f);
    return result;
}

}  // namespace

Layer::Layer(int width, int height)
    : width_(width),
      height_(height),
      depth_(static_cast<std::size_t>(width) * static_cast<std::size_t>(height), 1e30f),
      color_(depth_.size(), Color{0, 0, 0}) {}

void Layer::triangle(const ScreenVertex& a, const ScreenVertex& b, const ScreenVertex& c, const Color& color,
                     float below, const Texture* texture, bool cuts_out) {
    const float area = edge(a.position, b.position, c.position.x(), c.position.y());
    if (std::abs(area) < 1e-9f || !std::isfinite(area)) return;
    const auto bounds = std::minmax({a.position.x(), b.position.x(), c.position.x()});
    const auto vertical = std::minmax({a.position.y(), b.position.y(), c.position.y()});
    const int left = static_cast<int>(std::clamp(std::floor(bounds.first), 0.0f, static_cast<float>(width_)));
    const int right =
        static_cast<int>(std::clamp(std::ceil(bounds.second), 0.0f, static_cast<float>(width_)));
    const int top =
        static_cast<int>(std::clamp(std::floor(vertical.first), 0.0f, static_cast<float>(height_)));
    const int bottom =
        static_cast<int>(std::clamp(std::ceil(vertical.second), 0.0f, static_cast<float>(height_)));
    for (int y = top; y < bottom; ++y) {
        const float py = static_cast<float>(y) + 0.5f;
        const auto [from, to] = span_at(py, a.position, b.position, c.position);
        const int first = std::max(left, static_cast<int>(std::max(from, 0.0f)) - 1);
        const int end = std::min(right, static_cast<int>(std::min(to, static_cast<float>(width_))) + 2);
        for (int x = first; x < end; ++x) {
            const float px = static_cast<float>(x) + 0.5f;
            const float wa = edge(b.position, c.position, px, py) / area;
            const float wb = edge(c.position, a.position, px, py) / area;
            const float wc = 1.0f - wa - wb;
            if (wa < 0.0f || wb < 0.0f || wc < 0.0f) continue;
            const float depth = wa * a.position.z() + wb * b.position.z() + wc * c.position.z();
            const std::size_t pixel = at(x, y);
            if (depth >= depth_[pixel]) continue;
            Color own = color;
            if (texture != nullptr) {
                const Texture::Texel texel = texture->at(wa * a.point + wb * b.point + wc * c.point);
                if (cuts_out && texel.alpha < 0.5f) continue;
                own = texel.color;
            }
            depth_[pixel] = depth;
            const bool sunk = wa * a.height + wb * b.height + wc * c.height < below;
            color_[pixel] = shaded(sunk ? k_below_floor : own, wa * a.normal + wb * b.normal + wc * c.normal);
        }
    }
}

}  // namespace dendraxis::draw
