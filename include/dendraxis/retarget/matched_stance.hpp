// The matched stance: the target posed as the source stands at rest.
#pragma once

#include <dendraxis/chart/body_tree.hpp>
#include <dendraxis/chart/pairing.hpp>

#include <array>
#include <vector>

namespace dendraxis {

/// How the target must be turned so that its segments point as the source's do at rest.
struct MatchedStance {
    /// A bone of the target: the turn from its rest orientation to its matched one, in the target's model
    /// space.
    std::vector<Quat> turns;
    /// How far the hips come down (or up, where negative) to keep the soles on the floor, along the target's
    /// up.
    float hips_drop = 0.0f;
    /// The same by the hind legs and by the front legs alone, if both stand on four.
    std::array<float, 2> pair_drops{};
};

/// Matches chain by chain from the hips out. Segments of paired chains are compared in the characters'
/// upright frames; chains of different bone counts by the arc length along them. Feet keep the tilt that they
/// have at rest and only turn their heading, so that soles stay flat; the hips and the head keep theirs.
/// Where several paired chains start at the end of a chain (fingers at a hand, shoulders at a chest), they
/// settle its twist. A chain's strength says how much of it is done; what the pairing's settings turn by hand
/// comes on top. Throws `Error` where they name a stance or bone that does not exist.
MatchedStance match_stance(const Pairing& pairing);

/// For every bone of the target the source's bone that it follows one by one, or no bone: what the pairing
/// has matched, as far as the pairing's chains agree and the target is matched to the source's rest.
std::vector<int> followed_bones(const Pairing& pairing);

/// Whether the target follows the source bone by bone and nothing was set by hand that changes a pose: then
/// its joints are where the source's are, and no pass has anything to correct.
bool follows_exactly(const Pairing& pairing);

/// The source pose that the target is matched to, in model space: what the settings name, else the rest.
std::vector<Transform> source_stance_in_model_space(const Pairing& pairing);

/// For every bone of a chain, how far along the chain its tail lies: 0 at the first bone's head, 1 at `tail`.
/// `heads` and `tail` are positions. A chain without length is shared evenly.
std::vector<float> tail_shares(const std::vector<Vec3>& heads, const Vec3& tail);

/// Where a chain ends: the tail of its last bone in a pose given in model space. It is where the next chain
/// starts (neck on a spine, fingers on a hand), an end bone, or else the last segment once more.
Vec3 chain_tail(const BodyTree& body, const Chain& chain, const std::vector<Transform>& model);

}  // namespace dendraxis
