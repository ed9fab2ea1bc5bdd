// What pokes through a piece of clothing while the body moves.
#include <dendraxis/equip/fit_piece.hpp>

#include "piece_skin.hpp"

#include <dendraxis/equip/surface.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace dendraxis {
namespace {

constexpr float k_through_at_rest = 0.02f;
constexpr float k_through_in_motion = 0.05f;
constexpr float k_other_part = 0.25f;

}  // namespace

PokeThrough poke_through(const Prop& piece, const FittedPiece& fitted, const Character& character,
                         const Chart& chart, const Clip& clip) {
    PokeThrough result{clip.name, 0.0f, 0.0f, 0};
    if (fitted.covered.empty() || clip.frame_count() == 0) return result;
    const BodyPart part = body_part(fitted.part, character, chart);
    const PieceShell shell(piece, part.axis, fitted.fit.mirrored);
    const auto bone = static_cast<std::size_t>(fitted.socket.bone);
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    const Vec3 bone_head = chart.to_upright() * rest[bone].translation;
    const PiecePlace place{fitted.fit.scale * fitted.fit.stretch,
                           part.straight(bone_head + fitted.socket.at)};
    // A piece is carried as a socket at the part's head would be.
    Socket carried = fitted.socket;
    carried.at = part.head - bone_head;
    carried.turn = part.turn;
    const SocketBinding binding({carried}, chart);

    std::vector<Transform> model(character.skeleton.size());
    std::size_t all = 0;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(character.skeleton, clip.frame(f), model);
        const Affine straight = to_affine(binding.frame(0, model)).inverse();
        const Surface surface = surface_of(character, clip.frame(f));
        std::size_t bad = 0;
        for (const SkinSpot& spot : fitted.covered) {
            const auto met = crossings(part, shell, place, straight * place_of(spot, surface));
            bad += met && met->last < 1.0f ? 1 : 0;
        }
        all += bad;
        const float share = static_cast<float>(bad) / static_cast<float>(fitted.covered.size());
        if (share > result.worst) result.worst = share, result.worst_frame = f;
    }
    result.share = static_cast<float>(all) / static_cast<float>(fitted.covered.size() * clip.frame_count());
    return result;
}

Findings check_piece(const Prop& piece, const FittedPiece& fitted, std::span<const PokeThrough> clips) {
    Findings findings;
    const auto add = [&](const char* code, std::string message, std::string advice) {
        findings.push_back(
            {Severity::warning, code, piece.name + "@" + fitted.part, std::move(message), std::move(advice)});
    };
    if (fitted.also_share > k_other_part)
        add("piece.spans-two",
            fmt::format("{:.0f} % of what it covers belongs to '{}', across a joint",
                        100.0f * fitted.also_share, fitted.also_covers),
            "split it at the joint and fit each half to its own part");
    if (fitted.through_at_rest > k_through_at_rest)
        add("piece.pokes-through",
            fmt::format("{:.1f} % of the covered skin pokes through at rest",
                        100.0f * fitted.through_at_rest),
            "make it larger: scale=1.1");
    for (const PokeThrough& in : clips) {
        if (in.share > k_through_in_motion)
            add("piece.pokes-through",
                fmt::format("in '{}' {:.1f} % of the covered skin pokes through, {:.0f} % in frame {}",
                            in.clip, 100.0f * in.share, 100.0f * in.worst, in.worst_frame),
                "make it larger (scale=1.1) or shorter, or move it along its part (at=0.4)");
    }
    return findings;
}

}  // namespace dendraxis
