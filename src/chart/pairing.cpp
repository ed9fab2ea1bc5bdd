#include <dendraxis/chart/pairing.hpp>

#include <algorithm>

namespace dendraxis {
namespace {

bool is_body(const std::string& chain) {
    return chain == "spine" || chain == "head" || chain.starts_with("arm.") || chain.starts_with("leg.");
}

void add_leftovers(Pairing& pairing, const Chart& chart, bool of_source) {
    const Chart& other = of_source ? pairing.target : pairing.source;
    for (const Chain& chain : chart.chains) {
        const bool paired = std::any_of(
            pairing.chains.begin(), pairing.chains.end(),
            [&](const ChainPair& entry) { return (of_source ? entry.source : entry.target) == chain.name; });
        if (paired) continue;
        const bool exists = other.find(chain.name) != nullptr;
        const std::string reason =
            exists ? "left unpaired by choice" : other.character + " has no such chain";
        pairing.leftovers.push_back({chain.name, of_source, reason});
        if (is_body(chain.name)) {
            pairing.findings.push_back({Severity::warning, "pair.leftover",
                                        chart.character + ": " + chain.name,
                                        "this chain answers to nothing: " + reason,
                                        of_source ? "its motion will be lost" : "it will keep its rest"});
        }
    }
}

}  // namespace

const Chain* Pairing::source_of(const Chain& target_chain) const noexcept {
    for (const ChainPair& entry : chains) {
        if (entry.target == target_chain.name) return source.find(entry.source);
    }
    return nullptr;
}

Pairing pair(Chart source, Chart target) {
    Pairing pairing{std::move(source), std::move(target), {}, {}, {}};
    for (const Chain& chain : pairing.target.chains) {
        if (pairing.source.find(chain.name) != nullptr) pairing.chains.push_back({chain.name, chain.name});
    }
    review_leftovers(pairing);
    return pairing;
}

void review_leftovers(Pairing& pairing) {
    pairing.leftovers.clear();
    pairing.findings.clear();
    add_leftovers(pairing, pairing.source, true);
    add_leftovers(pairing, pairing.target, false);
    if (pairing.source.ground != k_no_bone && pairing.target.ground == k_no_bone) {
        pairing.findings.push_back({Severity::note, "pair.travel-on-hub", pairing.target.character,
                                    "it has no ground bone; the hub carries the travel", ""});
    } else if (pairing.source.ground == k_no_bone && pairing.target.ground != k_no_bone) {
        pairing.findings.push_back(
            {Severity::note, "pair.ground-bone-rests", pairing.target.character,
             "the source has no ground bone; the target's stays at rest and the hub carries the travel", ""});
    }
}

}  // namespace dendraxis
