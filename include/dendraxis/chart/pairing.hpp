// The pairing: which chain of a source character answers to which chain of a target.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/pairing_settings.hpp>
#include <dendraxis/skeleton/correspondence.hpp>

#include <string>
#include <vector>

namespace dendraxis {

struct ChainPair {
    std::string source;
    std::string target;
    float strength = 1.0f;  ///< 0 to 1: how far the target's rest is matched to the source's
    /// 0 to 1, arms and legs: how far hand or foot is brought to where the source's is, seen from shoulder or
    /// hip, in lengths of the limb.
    float reach = 0.0f;
};

/// A chain that answers to none on the other side, and why.
struct Leftover {
    std::string chain;
    bool of_source = false;
    std::string reason;
};

/// Plain data: made by `pair`, edited in code or in a file, compiled by `Transfer`.
struct Pairing {
    Chart source;
    Chart target;
    std::vector<ChainPair> chains;
    /// Which bone of the source each bone of the target is, if both are one build; without answers if not.
    Correspondence bones;
    PairingSettings settings;
    std::vector<Transform>
        source_stance;  ///< local pose that `settings.source_stance` names; empty: the rest
    std::vector<Leftover> leftovers;
    Findings findings;

    /// Whether both skeletons are one build, so that motion is carried bone by bone.
    bool is_same_build() const noexcept { return !bones.answers.empty(); }

    /// Whether this target chain is paired as `pair` pairs it, in full strength.
    bool is_as_found(const Chain& target_chain) const;

    /// The source chain that answers to this target chain, or null.
    const Chain* source_of(const Chain& target_chain) const noexcept;
    /// The entry for this target chain, or null.
    const ChainPair* entry_of(const Chain& target_chain) const noexcept;
};

/// Pairs chains of the same role, bone counts aside; else the nearest of kind (legs with hind legs, arms with
/// forelegs, a mitten's one finger with all). Hips and roots pair by themselves.
Pairing pair(Chart source, Chart target);

/// For each bone of the target that no paired chain moves (hair, faces, gear) the source bone of the same
/// name that none moves either, if both hang from what is paired; `k_no_bone` for all others.
std::vector<int> namesakes(const Pairing& pairing);

/// The rotation from the source's model space to the target's: what lays the hips of one build on the
/// other's, else what brings both upright frames together.
Quat source_to_target(const Pairing& pairing);

/// Whether the hips of both lie alike to their legs' roots: within 0.15 of the leg's length, in proportion.
/// If not (a chest that carries the hips), the legs' roots are what answers over the floor. Both have hips.
bool hips_answer(const Pairing& pairing);

/// How the names of those legs begin that answer to the other's: `leg.back` if this one goes on four legs and
/// the other on two, else `leg`.
std::string_view answering_legs(const Chart& chart, const Chart& other) noexcept;

/// How much longer the target's legs are; where one side has none, how much taller it is.
float leg_ratio(const Pairing& pairing);

/// `same role`, `same role, other bone count` or `nearest of kind`.
std::string how_paired(const Pairing& pairing, const ChainPair& entry);

/// Fills `bones` from the charts.
void match_builds(Pairing& pairing);

/// Fills `leftovers` and `findings` from the charts and `chains`; for pairings whose chains were set by hand.
void review_leftovers(Pairing& pairing);

}  // namespace dendraxis
