#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/flat.hpp>
#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/skeleton/match_bones.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <map>

namespace dendraxis {
namespace {

bool is_flat(const Chart& chart) {
    return !chart.shape.flat_across.isZero();
}

bool is_loose(const std::string& chain) {
    return role_of(chain) == ChainRole::loose;
}

bool is_body(const std::string& chain) {
    return chain == "spine" || chain == "head" || is_limb(role_of(chain));
}

void add_leftovers(Pairing& pairing, const Chart& chart, bool of_source) {
    const Chart& other = of_source ? pairing.target : pairing.source;
    for (const Chain& chain : chart.chains) {
        const bool paired = std::any_of(
            pairing.chains.begin(), pairing.chains.end(),
            [&](const ChainPair& entry) { return (of_source ? entry.source : entry.target) == chain.name; });
        if (paired) continue;
        const bool exists = other.find(chain.name) != nullptr;
        const std::string reason = is_loose(chain.name) ? "its bones are carried by their names"
                                   : exists             ? "left unpaired by choice"
                                                        : other.character + " has no such chain";
        pairing.leftovers.push_back({chain.name, of_source, reason});
        if (is_body(chain.name)) {
            pairing.findings.push_back({Severity::warning, "pair.leftover",
                                        chart.character + ": " + chain.name,
                                        "this chain answers to nothing: " + reason,
                                        of_source ? "its motion will be lost" : "it will keep its rest"});
        }
    }
}

// What may stand in for a role that the other side does not have, the nearest first. A finger may move
// several.
std::vector<std::string> stand_ins(const std::string& part) {
    static const std::map<std::string, std::vector<std::string>> k_kinds{
        {"leg", {"leg.back"}},
        {"leg.back", {"leg"}},
        {"leg.front", {"arm"}},
        {"leg.middle", {"leg.back", "leg"}},
        {"arm", {"leg.front"}},
        {"toes", {"toes.back"}},
        {"toes.back", {"toes"}},
        {"index", {"middle", "ring", "little"}},
        {"middle", {"ring", "index", "little"}},
        {"ring", {"middle", "little", "index"}},
        {"little", {"ring", "middle", "index"}}};
    const auto found = k_kinds.find(part);
    return found == k_kinds.end() ? std::vector<std::string>{} : found->second;
}

// The same role, else the nearest of its kind on the same side; empty where there is none.
std::string answer_for(const std::string& target_chain, const Chart& source) {
    // Which loose chain is which their numbers do not tell.
    if (is_loose(target_chain)) return "";
    if (source.find(target_chain) != nullptr) return target_chain;
    const auto dot = target_chain.rfind('.');
    if (dot == std::string::npos) return "";
    for (const std::string& part : stand_ins(target_chain.substr(0, dot))) {
        if (source.find(part + target_chain.substr(dot)) != nullptr) return part + target_chain.substr(dot);
    }
    return "";
}

Quat upright_to_upright(const Pairing& pairing) {
    return pairing.target.to_upright().conjugate() * pairing.source.to_upright();
}

}  // namespace

const ChainPair* Pairing::entry_of(const Chain& target_chain) const noexcept {
    for (const ChainPair& entry : chains) {
        if (entry.target == target_chain.name) return &entry;
    }
    return nullptr;
}

const Chain* Pairing::source_of(const Chain& target_chain) const noexcept {
    const ChainPair* entry = entry_of(target_chain);
    return entry == nullptr ? nullptr : source.find(entry->source);
}

bool Pairing::is_as_found(const Chain& target_chain) const {
    const ChainPair* entry = entry_of(target_chain);
    const std::string answer = answer_for(target_chain.name, source);
    if (entry == nullptr) return answer.empty();
    return entry->source == answer && entry->strength == 1.0f;
}

Pairing pair(Chart source, Chart target) {
    Pairing pairing;
    pairing.source = std::move(source);
    pairing.target = std::move(target);
    for (const Chain& chain : pairing.target.chains) {
        const std::string answer = answer_for(chain.name, pairing.source);
        if (!answer.empty()) pairing.chains.push_back({answer, chain.name, 1.0f, 0.0f});
    }
    match_builds(pairing);
    review_leftovers(pairing);
    return pairing;
}

namespace {

// Turns the upright frame about up; ranges are told in it.
void face(Chart& chart, const Vec3& facing) {
    const Quat before = chart.to_upright();
    chart.facing = facing;
    const Quat turn = chart.to_upright() * before.conjugate();
    for (JointRange& joint : chart.ranges) {
        joint.range.bone = turn * joint.range.bone;
        joint.range.about = turn * joint.range.about;
    }
}

}  // namespace

void match_builds(Pairing& pairing) {
    if (is_flat(pairing.source) && is_flat(pairing.target)) {
        // Their planes answer to each other, whichever way they face.
        for (Chart* chart : {&pairing.source, &pairing.target}) face(*chart, plane_facing(*chart));
    }
    pairing.bones = correspond(pairing.source.skeleton, pairing.target.skeleton, upright_to_upright(pairing),
                               pairing.source.shape.marks, pairing.target.shape.marks);
    if (!pairing.bones.is_same_build()) pairing.bones = {};
}

namespace {

// What moves the bones of one side: an entry of the pairing for those of paired chains, or the body.
struct Movers {
    static constexpr int k_none = -1;
    static constexpr int k_body = -2;

    Movers(const Pairing& pairing, const Chart& chart, bool of_source)
        : skeleton(chart.skeleton), by(chart.skeleton.size(), k_none) {
        for (std::size_t i = 0; i < pairing.chains.size(); ++i) {
            const ChainPair& entry = pairing.chains[i];
            const Chain* chain = chart.find(of_source ? entry.source : entry.target);
            for (std::size_t k = 0; chain != nullptr && k < chain->bones.size(); ++k)
                by[static_cast<std::size_t>(chain->bones[k])] = static_cast<int>(i);
        }
        for (int bone = chart.hips; bone != k_no_bone; bone = skeleton.parent(bone))
            by[static_cast<std::size_t>(bone)] = k_body;
    }

    bool is_free(int bone) const { return by[static_cast<std::size_t>(bone)] == k_none; }
    // Of the nearest bone above that is not free.
    int of(int bone) const {
        while (bone != k_no_bone && is_free(bone)) bone = skeleton.parent(bone);
        return bone == k_no_bone ? k_none : by[static_cast<std::size_t>(bone)];
    }

    const Skeleton& skeleton;
    std::vector<int> by;
};

}  // namespace

std::vector<int> namesakes(const Pairing& pairing) {
    const Movers source(pairing, pairing.source, true);
    const Movers target(pairing, pairing.target, false);
    std::vector<int> match = match_by_name(target.skeleton, source.skeleton);
    for (std::size_t i = 0; i < match.size(); ++i) {
        const int bone = static_cast<int>(i);
        const auto& helpers = pairing.target.helpers;
        // Twist bones take their share of a limb's twist.
        const bool is_twist = std::any_of(helpers.begin(), helpers.end(), [&](const Helper& helper) {
            return helper.bone == bone && helper.kind == HelperKind::twist;
        });
        if (match[i] == k_no_bone) continue;
        if (is_twist || !target.is_free(bone) || !source.is_free(match[i]) ||
            target.of(bone) == Movers::k_none || target.of(bone) != source.of(match[i]))
            match[i] = k_no_bone;
    }
    return match;
}

Quat source_to_target(const Pairing& pairing) {
    constexpr float k_most = 0.3f;  // radians; hips that are turned by more were posed so
    Quat upright = upright_to_upright(pairing);
    if (!pairing.is_same_build() || pairing.target.hips == k_no_bone) return upright;
    const BoneAnswer& hips = pairing.bones.answers[static_cast<std::size_t>(pairing.target.hips)];
    return hips.source != k_no_bone && angle_between(hips.turn, upright) < k_most ? hips.turn : upright;
}

bool hips_answer(const Pairing& pairing) {
    constexpr float k_alike = 0.15f;  // of the leg's length
    if (stands_on_four(pairing.source) || stands_on_four(pairing.target)) return true;
    if (std::min(leg_length(pairing.source), leg_length(pairing.target)) < 1e-6f) return true;
    const auto over_legs = [](const Chart& chart) -> Vec3 {
        const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
        const Vec3& hips = rest[static_cast<std::size_t>(chart.hips)].translation;
        return (hips - legs_middle(chart, rest)) / leg_length(chart);
    };
    return (over_legs(pairing.target) - source_to_target(pairing) * over_legs(pairing.source)).norm() <
           k_alike;
}

std::string_view answering_legs(const Chart& chart, const Chart& other) noexcept {
    return stands_on_four(chart) && !stands_on_four(other) ? "leg.back" : "leg";
}

float leg_ratio(const Pairing& pairing) {
    if (pairing.is_same_build()) return pairing.bones.scale;
    const float source = leg_length(pairing.source, answering_legs(pairing.source, pairing.target));
    const float target = leg_length(pairing.target, answering_legs(pairing.target, pairing.source));
    if (source > 1e-6f && target > 1e-6f) return target / source;
    return pairing.source.height > 1e-6f && pairing.target.height > 1e-6f
               ? pairing.target.height / pairing.source.height
               : 1.0f;
}

std::string how_paired(const Pairing& pairing, const ChainPair& entry) {
    if (entry.source != entry.target) return "nearest of kind";
    const Chain* a = pairing.source.find(entry.source);
    const Chain* b = pairing.target.find(entry.target);
    if (a == nullptr || b == nullptr) return "";
    return a->bones.size() == b->bones.size() ? "same role" : "same role, other bone count";
}

void review_leftovers(Pairing& pairing) {
    pairing.leftovers.clear();
    pairing.findings.clear();
    // What is doubtful of a chart, or left out of it, is so of all that follows from it.
    for (const Chart* chart : {&pairing.source, &pairing.target}) {
        for (const Finding& finding : chart->findings) {
            if (finding.code == "chart.doubtful" || finding.code == "chart.several-bodies")
                pairing.findings.push_back(finding);
        }
    }
    if (is_flat(pairing.target) && !is_flat(pairing.source))
        pairing.findings.push_back(
            {Severity::note, "pair.flat-target", pairing.target.character,
             "it is flat, the source is not: what turns out of its plane is left out",
             "take motion of another flat character, or one that moves in that plane"});
    add_leftovers(pairing, pairing.source, true);
    add_leftovers(pairing, pairing.target, false);
    if (pairing.source.root != k_no_bone && pairing.target.root == k_no_bone) {
        pairing.findings.push_back({Severity::note, "pair.root-motion-on-hips", pairing.target.character,
                                    "it has no root bone; the hips carry the root motion", ""});
    } else if (pairing.source.root == k_no_bone && pairing.target.root != k_no_bone) {
        pairing.findings.push_back(
            {Severity::note, "pair.root-made", pairing.target.character,
             "the source has no root; the target's follows a smooth path under the hips", ""});
    }
}

}  // namespace dendraxis
