// The pairing: which chain of a source character answers to which chain of a target.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/pairing_settings.hpp>

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
    PairingSettings settings;
    std::vector<Transform>
        source_stance;  ///< local pose that `settings.source_stance` names; empty: the rest
    std::vector<Leftover> leftovers;
    Findings findings;

    /// The source chain that answers to this target chain, or null.
    const Chain* source_of(const Chain& target_chain) const noexcept;
    /// The entry for this target chain, or null.
    const ChainPair* entry_of(const Chain& target_chain) const noexcept;
};

/// Pairs chains of the same role, bone counts aside; else the nearest of kind (legs with hind legs, arms with
/// forelegs, a mitten's one finger with all). Hubs and ground bones pair by themselves.
Pairing pair(Chart source, Chart target);

/// How much longer the target's legs are; where one side has none, how much taller it is.
float leg_ratio(const Pairing& pairing);

/// `same role`, `same role, other bone count` or `nearest of kind`.
std::string how_paired(const Pairing& pairing, const ChainPair& entry);

/// Fills `leftovers` and `findings` from the charts and `chains`; for pairings whose chains were set by hand.
void review_leftovers(Pairing& pairing);

}  // namespace dendraxis
