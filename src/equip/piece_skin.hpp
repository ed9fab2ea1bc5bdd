// The skin below a piece of clothing.
#pragma once

#include "body_part.hpp"
#include "piece_shell.hpp"

#include <dendraxis/equip/fit_piece.hpp>
#include <dendraxis/geometry/surface.hpp>

namespace dendraxis::detail {

/// Where a piece is, in its part's straight coordinates: scaled along its own axes, then moved.
struct PiecePlace {
    Vec3 scale = Vec3::Ones();
    Vec3 offset = Vec3::Zero();

    Vec3 own(const Vec3& straight) const { return (straight - offset).cwiseQuotient(scale); }
};

/// A piece in its place, for the lines from the middle of its part outward.
class PlacedPiece {
 public:
    /// The shell must outlive it.
    PlacedPiece(const PieceShell& shell, const PiecePlace& place)
        : place_(place), around_(shell, place.own(Vec3::Zero())) {}

    /// Where the line through a place of the skin (straight coordinates) meets the piece; shares of 1 are the
    /// skin.
    std::optional<ShellAround::Crossings> crossings(const Vec3& skin) const noexcept {
        return around_.crossings(place_.own(skin));
    }

 private:
    PiecePlace place_;
    ShellAround around_;
};

/// Where a spot is on a surface in any pose, given the positions of the surface's vertices.
Vec3 place_of(const SkinSpot& spot, std::span<const Vec3> positions) noexcept;

/// The skin around a part, its vertices and spots between them; of a very fine surface an even sample.
class PieceSkin {
 public:
    struct Point {
        SkinSpot spot;
        Vec3 place = Vec3::Zero();
        int bone = k_no_bone;
        int part = -1;
        bool own = false;  ///< of the part that the piece is for
    };

    PieceSkin(const BodyPart& part, const Character& character, const Chart& chart);

    std::vector<Point> points;  ///< own ones first
    std::size_t own_count = 0;

    /// Which points are covered: own ones that the piece is met above or shortly below, others' where they
    /// are under it.
    std::vector<std::size_t> covered(const PlacedPiece& piece) const;

    /// Of the own points that are covered.
    struct Gaps {
        std::size_t covered = 0;
        float through = 0.0f;  ///< the share that is less than `clearance` under the piece's outside
        float inside = 0.0f;   ///< metres from the skin to the piece's inside, the median
    };
    Gaps gaps(const BodyPart& part, const PlacedPiece& piece, float clearance) const;
};

}  // namespace dendraxis::detail
