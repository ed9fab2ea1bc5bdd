// The pairing: which chain of a source character answers to which chain of a target.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <string>
#include <vector>

namespace dendraxis {

struct ChainPair {
    std::string source;
    std::string target;
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
    std::vector<Leftover> leftovers;
    Findings findings;

    /// The source chain that answers to this target chain, or null.
    const Chain* source_of(const Chain& target_chain) const noexcept;
};

/// Pairs chains of the same role, bone counts aside; else the nearest of kind (legs with hind legs, arms with
/// forelegs, a mitten's one finger with all). Hubs and ground bones pair by themselves.
Pairing pair(Chart source, Chart target);

/// `same role`, `same role, other bone count` or `nearest of kind`.
std::string how_paired(const Pairing& pairing, const ChainPair& entry);

/// Fills `leftovers` and `findings` from the charts and `chains`; for pairings whose chains were set by hand.
void review_leftovers(Pairing& pairing);

}  // namespace dendraxis
