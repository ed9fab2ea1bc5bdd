// Rigid pieces of clothing fitted to the part of a body that they cover: plates, guards, pads.
#pragma once

#include <dendraxis/equip/prop.hpp>

#include <array>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

namespace dendraxis {

/// How a piece is put on. A piece is modeled as on a body that stands straight, arms level out, palms down,
/// facing +Z, Y up, with its part of the body running through the piece's origin. A sleeve that goes all
/// around may have its origin anywhere.
struct PieceOptions {
    float middle = 0.5f;       ///< where its middle comes to lie: 0 at the part's head, 1 at its end
    float scale = 1.0f;        ///< more, on top of the size that was found
    float clearance = 0.004f;  ///< metres between the skin at rest and the piece's outside, at least
    bool mirrored = false;     ///< modeled for the other side: left and right exchanged
};

/// A spot of the skin: on a triangle of the character's meshes (corners counted through all of them), or a
/// vertex.
struct SkinSpot {
    std::array<std::uint32_t, 3> corners{};
    Vec3 shares = Vec3::UnitX();
};

/// How a piece sits: where it is welded, and what it covers. A spot of the skin is covered where a line from
/// the middle of the part of the body outward through it meets the piece, and pokes through where it lies
/// beyond the last such meeting. All vertices count, and spots between them, on a person two centimetres
/// apart.
struct FittedPiece {
    std::string part;  ///< of the body: `forearm.left`
    Socket socket;     ///< `on forearm.left`
    PropFit fit;
    std::vector<SkinSpot> covered;
    float through_at_rest = 0.0f;  ///< the share of the covered that pokes through
    std::string also_covers;       ///< another part that it covers much of; empty most often
    float also_share = 0.0f;       ///< of the covered, how much is that other part's
};

/// The parts of this body that pieces may cover: the bodies of its ragdoll, `chest`, `upper-arm.left`.
std::vector<std::string> parts_of_body(const Chart& chart);

/// Turns the piece along the part, sizes it to the skin (along its own axes, evenly within reason), and grows
/// or moves it off until the skin stays under it at rest. Own method. Throws `Error` where the body has no
/// such part or no skin there, or the piece shows nothing.
FittedPiece fit_piece(const Prop& piece, const std::string& part, const Character& character,
                      const Chart& chart, const PieceOptions& options = {});

/// How a piece wears while the body moves: shares of the spots that it covers at rest.
struct PieceInClip {
    std::string clip;
    float through = 0.0f;  ///< that poke through, over all frames
    float worst = 0.0f;    ///< in the worst frame
    std::size_t worst_frame = 0;
    float covered = 1.0f;  ///< that stay under it, not over 2 % of the height farther off than at rest
    float least = 1.0f;    ///< in the frame in which it covers least
    std::size_t least_frame = 0;
};

PieceInClip piece_in_clip(const Prop& piece, const FittedPiece& fitted, const Character& character,
                          const Chart& chart, const Clip& clip);

/// `piece.pokes-through` where more than 2 % pokes through at rest or more than 5 % over a clip, and
/// `piece.spans-two` where over a quarter of what it covers is another part's, across a joint;
/// `piece.comes-off` where less than 70 % of what it covers stays under it over a clip, as a coat does that
/// does not follow the thigh.
Findings check_piece(const Prop& piece, const FittedPiece& fitted, std::span<const PieceInClip> clips);

}  // namespace dendraxis
