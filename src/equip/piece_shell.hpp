// A piece of clothing as seen from the middle of the limb that it covers.
#pragma once

#include <dendraxis/equip/prop.hpp>

#include <array>
#include <optional>
#include <vector>

namespace dendraxis {

class PieceShell {
 public:
    /// `axis`: which of the piece's own axes (0 to 2) runs along the limb. Mirrored: left and right
    /// exchanged.
    PieceShell(const Prop& piece, int axis, bool mirrored);

    /// Where a line from `from` through `to` (shares 0 and 1; square to the axis) meets the piece.
    struct Crossings {
        float first = 0.0f;
        float last = 0.0f;
    };
    std::optional<Crossings> crossings(const Vec3& from, const Vec3& to) const noexcept;

    /// Whether a line along the axis, through this point, meets nothing.
    bool is_open_along(const Vec3& point) const noexcept;

    const Vec3& low() const noexcept { return low_; }
    const Vec3& high() const noexcept { return high_; }
    int axis() const noexcept { return axis_; }
    /// The middle of its surface, by area.
    const Vec3& middle() const noexcept { return middle_; }

 private:
    struct Triangle {
        Vec3 corner, ab, ac;
    };

    std::size_t slice(float along) const noexcept;

    int axis_;
    std::vector<Triangle> triangles_;
    std::vector<std::vector<std::uint32_t>> slices_;  // along the axis, the triangles that reach into each
    Vec3 low_, high_, middle_;
};

}  // namespace dendraxis
