// What feet stand on.
#pragma once

#include <dendraxis/base/finding.hpp>
#include <dendraxis/base/transform.hpp>

#include <array>
#include <functional>
#include <optional>
#include <span>
#include <vector>

namespace dendraxis {

/// The ground below (or a little above) a position.
struct GroundPoint {
    float height = 0.0f;          ///< along up from the world's origin, metres
    Vec3 normal = Vec3::UnitY();  ///< unit length
    float rising = 0.0f;          ///< metres a second: how fast the ground itself goes up there
};

/// The ground as a function of a position in the world; nothing where there is none (a hole, over the edge).
/// Called in a game's frame: it must neither throw nor ask for memory if that is wanted of the frame.
using Ground = std::function<std::optional<GroundPoint>(const Vec3& position)>;

/// Ground of triangles: slipways, steps, decks with holes. Immutable once made; shared by threads freely.
class TriangleGround {
 public:
    /// `triangles` are three indices each into `positions`, in the world, wound either way; those that stand
    /// upright or have no area are left out, and so are those with an index out of range or a corner that is
    /// not finite: see `findings`. `step_height`: a surface that lies no more than this above a position is
    /// still under it, one that lies higher is overhead.
    TriangleGround(std::span<const Vec3> positions, std::span<const std::array<unsigned, 3>> triangles,
                   const Vec3& up = Vec3::UnitY(), float step_height = 0.6f);

    /// The highest surface under a position.
    std::optional<GroundPoint> operator()(const Vec3& position) const noexcept;

    const Findings& findings() const noexcept { return findings_; }

 private:
    struct Triangle {
        Eigen::Vector2f a, ab, ac;  // seen from above
        float height, height_ab, height_ac, inverse_area;
        Vec3 normal;
    };
    std::array<int, 2> cell_of(const Eigen::Vector2f& position) const noexcept;
    std::size_t index_of(int x, int y) const noexcept;

    Vec3 up_;
    Vec3 first_;
    Vec3 second_;
    float step_height_;
    Eigen::Vector2f low_ = Eigen::Vector2f::Zero();
    float cell_ = 1.0f;
    std::array<int, 2> cells_{1, 1};
    std::vector<Triangle> triangles_;
    std::vector<unsigned> starts_;  // by cell, into `lists_`
    std::vector<unsigned> lists_;
    Findings findings_;
};

}  // namespace dendraxis
