// What pokes through a piece of clothing while the body moves.
#include <dendraxis/equip/fit_piece.hpp>

#include "piece_skin.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace dendraxis {
namespace {

using detail::body_part;
using detail::BodyPart;
using detail::PiecePlace;
using detail::PieceShell;
using detail::place_of;
using detail::PlacedPiece;

constexpr float k_through_at_rest = 0.02f;
constexpr float k_through_in_motion = 0.05f;
constexpr float k_other_part = 0.25f;
constexpr float k_standing_off = 0.02f;  // of the height, more than at rest
constexpr float k_stays_under = 0.7f;
constexpr float k_far = 1e9f;

// Spots of the skin in any pose: only the vertices that they name are moved.
class MovingSpots {
 public:
    MovingSpots(const Character& character, std::span<const SkinSpot> spots)
        : character_(character), spots_(spots.begin(), spots.end()), matrices_(character.skeleton.size()) {
        std::vector<std::uint32_t> firsts{0};
        for (const SkinnedMesh& mesh : character.meshes)
            firsts.push_back(firsts.back() + static_cast<std::uint32_t>(mesh.positions.size()));
        std::vector<std::uint32_t> used;
        for (const SkinSpot& spot : spots_) used.insert(used.end(), spot.corners.begin(), spot.corners.end());
        std::sort(used.begin(), used.end());
        used.erase(std::unique(used.begin(), used.end()), used.end());
        for (SkinSpot& spot : spots_) {
            for (std::uint32_t& corner : spot.corners)
                corner = static_cast<std::uint32_t>(std::lower_bound(used.begin(), used.end(), corner) -
                                                    used.begin());
        }
        auto next = used.begin();
        for (std::size_t m = 0; m < character.meshes.size(); ++m) {
            const SkinnedMesh& mesh = character.meshes[m];
            SkinnedMesh& part = meshes_.emplace_back();
            part.bones = mesh.bones;
            part.inverse_bind = mesh.inverse_bind;
            for (; next != used.end() && *next < firsts[m + 1]; ++next) {
                const std::size_t vertex = *next - firsts[m];
                part.positions.push_back(mesh.positions[vertex]);
                part.joints.push_back(mesh.joints[vertex]);
                part.weights.push_back(mesh.weights[vertex]);
            }
        }
        positions_.resize(used.size());
    }

    void pose(std::span<const Transform> pose) {
        to_model_matrices(character_.skeleton, pose, matrices_);
        std::span<Vec3> rest(positions_);
        for (const SkinnedMesh& mesh : meshes_) {
            deform(mesh, matrices_, rest.first(mesh.positions.size()));
            rest = rest.subspan(mesh.positions.size());
        }
    }

    Vec3 operator[](std::size_t spot) const { return place_of(spots_[spot], positions_); }

 private:
    const Character& character_;
    std::vector<SkinSpot> spots_;
    std::vector<SkinnedMesh> meshes_;
    std::vector<Affine> matrices_;
    std::vector<Vec3> positions_;
};

}  // namespace

PieceInClip piece_in_clip(const Prop& piece, const FittedPiece& fitted, const Character& character,
                          const Chart& chart, const Clip& clip) {
    PieceInClip result;
    result.clip = clip.name;
    if (fitted.covered.empty() || clip.frame_count() == 0) return result;
    const BodyPart part = body_part(fitted.part, character, chart);
    const PieceShell shell(piece, part.axis, fitted.fit.mirrored);
    const auto bone = static_cast<std::size_t>(fitted.socket.bone);
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    const Vec3 bone_head = chart.to_upright() * rest[bone].translation;
    const PiecePlace place{fitted.fit.scale * fitted.fit.stretch,
                           part.straight(bone_head + fitted.socket.at)};
    const PlacedPiece placed(shell, place);
    // A piece is carried as a socket at the part's head would be.
    Socket carried = fitted.socket;
    carried.at = part.head - bone_head;
    carried.turn = part.turn;
    const SocketBinding binding({carried}, chart);

    // Of each spot how far the piece is off, negative where it pokes through; far where it is not met.
    MovingSpots spots(character, fitted.covered);
    const auto gaps_in = [&](std::span<const Transform> pose, const Affine& straight,
                             std::vector<float>& gaps) {
        spots.pose(pose);
        for (std::size_t i = 0; i < gaps.size(); ++i) {
            const Vec3 skin = straight * spots[i];
            const auto met = placed.crossings(skin);
            const float distance = (skin - part.on_axis(skin)).norm();
            gaps[i] = !met               ? k_far
                      : met->last < 1.0f ? (met->last - 1.0f) * distance
                                         : std::max(0.0f, (met->first - 1.0f) * distance);
        }
    };
    const auto straight_at = [&](std::span<const Transform> model) {
        return to_affine(binding.frame(0, model)).inverse();
    };
    std::vector<float> at_rest(fitted.covered.size());
    std::vector<float> gaps(fitted.covered.size());
    gaps_in(rest_pose(character.skeleton), straight_at(rest), at_rest);
    const float more = k_standing_off * std::max(1e-3f, chart.height);
    const float share = 1.0f / static_cast<float>(gaps.size());
    const auto frames = static_cast<float>(clip.frame_count());
    std::vector<Transform> model(character.skeleton.size());
    result.covered = 0.0f;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(character.skeleton, clip.frame(f), model);
        gaps_in(clip.frame(f), straight_at(model), gaps);
        float through = 0.0f;
        float covered = 0.0f;
        for (std::size_t i = 0; i < gaps.size(); ++i) {
            through += gaps[i] < 0.0f ? share : 0.0f;
            covered += gaps[i] < at_rest[i] + more ? share : 0.0f;
        }
        result.through += through / frames;
        result.covered += covered / frames;
        if (through > result.worst) result.worst = through, result.worst_frame = f;
        if (covered < result.least) result.least = covered, result.least_frame = f;
    }
    return result;
}

Findings check_piece(const Prop& piece, const FittedPiece& fitted, std::span<const PieceInClip> clips) {
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
    for (const PieceInClip& in : clips) {
        if (in.through > k_through_in_motion)
            add("piece.pokes-through",
                fmt::format("in '{}' {:.1f} % of the covered skin pokes through, {:.0f} % in frame {}",
                            in.clip, 100.0f * in.through, 100.0f * in.worst, in.worst_frame),
                "make it larger (scale=1.1) or shorter, or move it along its part (at=0.4)");
        if (in.covered < k_stays_under)
            add("piece.comes-off",
                fmt::format(
                    "in '{}' only {:.0f} % of the skin that it covers at rest stays under it: that skin "
                    "does not follow '{}'",
                    in.clip, 100.0f * in.covered, fitted.part),
                "fit it to the part that this skin follows, or wear it elsewhere");
    }
    return findings;
}

}  // namespace dendraxis
