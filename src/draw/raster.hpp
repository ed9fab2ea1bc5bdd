// Triangles into a color and depth buffer, seen without perspective.
#pragma once

#include <dendraxis/base/transform.hpp>

#include <array>
#include <vector>

namespace dendraxis::draw {

using Color = std::array<float, 3>;  ///< as shown (sRGB), 0 to 1

/// x and y in pixels, y down; depth in metres away from the eye.
struct ScreenVertex {
    Vec3 position;
    Vec3 normal;                                      ///< in view space: x right, y up, z toward the eye
    float height = 0.0f;                              ///< over the floor, metres
    Eigen::Vector2f point = Eigen::Vector2f::Zero();  ///< in its texture, if it has one
};

struct Texture;

/// One layer of a picture.
class Layer {
 public:
    Layer(int width, int height);

    /// Draws a triangle, both sides, shaded by its normals. What lies below the floor takes the warning
    /// color. A texture takes the place of the color; if it cuts the surface out, nothing is drawn where it
    /// is more than half transparent.
    void triangle(const ScreenVertex& a, const ScreenVertex& b, const ScreenVertex& c, const Color& color,
                  float below = -1e9f, const Texture* texture = nullptr, bool cuts_out = false);

    bool covered(int x, int y) const { return depth_[at(x, y)] < 1e29f; }
    const Color& color(int x, int y) const { return color_[at(x, y)]; }
    int width() const { return width_; }
    int height() const { return height_; }

 private:
    std::size_t at(int x, int y) const {
        return static_cast<std::size_t>(y) * static_cast<std::size_t>(width_) + static_cast<std::size_t>(x);
    }

    int width_;
    int height_;
    std::vector<float> depth_;
    std::vector<Color> color_;
};

inline constexpr Color k_below_floor{0.86f, 0.10f, 0.55f};

}  // namespace dendraxis::draw
