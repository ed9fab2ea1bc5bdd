// What each limb is: names and shape are both asked, and the answers added up.
#include "body.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace dendraxis {
namespace {

struct Scores {
    std::map<std::string, float> of;
    std::vector<std::string> evidence;
};

std::vector<int> whole_limb(const Body& body, int bone) {
    std::vector<int> bones{bone};
    for (std::size_t i = 0; i < bones.size(); ++i) {
        for (const int child : body.alive_children(bones[i])) bones.push_back(child);
    }
    return bones;
}

std::size_t leaves_of(const Body& body, int bone) {
    const std::vector<int> children = body.alive_children(bone);
    if (children.empty()) return 1;
    std::size_t sum = 0;
    for (const int child : children) sum += leaves_of(body, child);
    return sum;
}

// Whether something of the trunk other than the head end hangs here: ears and eyes sit where the trunk ends.
bool sits_at_trunk_end(const Body& body, int holder) {
    if (holder == k_no_bone) return false;
    const std::vector<int> children = body.alive_children(holder);
    return std::none_of(children.begin(), children.end(), [&](int child) {
        return std::binary_search(body.trunk.begin(), body.trunk.end(), child) &&
               body.reach[static_cast<std::size_t>(child)] > 0.12f * body.size;
    });
}

void ask_names(const Body& body, const Limb& limb, Scores& scores) {
    const std::vector<int> bones = whole_limb(body, limb.path.front());
    const auto ask = [&](const char* role, std::initializer_list<Part> parts) {
        const float share = named_share(body, bones, parts);
        if (share > 0.0f) scores.of[role] += 1.2f * std::min(1.0f, 1.6f * share + 0.3f);
    };
    ask("leg", {Part::leg, Part::thigh, Part::shin, Part::foot, Part::toes});
    ask("arm", {Part::shoulder, Part::arm, Part::upper_arm, Part::forearm, Part::hand, Part::palm,
                Part::thumb, Part::index, Part::middle, Part::ring, Part::little});
    ask("ear", {Part::ear});
    ask("eye", {Part::eye});
    ask("wing", {Part::wing});
}

void ask_shape(const Body& body, const Limb& limb, Scores& scores) {
    const float length = limb.length / std::max(body.high - body.low, 1e-9f);
    const Vec3 along = limb.tip - body.at(limb.path.front());
    const float down = -along.normalized().dot(body.up);
    const float tip = body.height(limb.tip);
    const float root = body.height(body.at(limb.path.front()));
    const std::size_t digits = leaves_of(body, limb.path.front());
    const bool at_end = sits_at_trunk_end(body, limb.holder);
    const float paired = limb.partner == -1 ? 0.6f : 1.0f;
    if (length > 0.2f && down > 0.5f && tip < 0.15f) {
        scores.of["leg"] +=
            paired * (0.55f + 0.35f * std::clamp((0.15f - tip) / 0.15f, 0.0f, 1.0f) + 0.2f * down);
        scores.evidence.emplace_back("it hangs down to the floor");
    }
    if (length > 0.15f && tip > 0.10f && root > 0.35f && !(at_end && length < 0.25f)) {
        scores.of["arm"] += paired * (0.65f + (digits >= 2 ? 0.25f : 0.0f) +
                                      0.1f * std::clamp(2.0f * root - 1.0f, 0.0f, 1.0f));
        scores.evidence.emplace_back(
            digits >= 2 ? fmt::format("it hangs from the upper trunk and ends in {} digits", digits)
                        : "it hangs from the upper trunk");
    }
    if (at_end && length < 0.25f && limb.partner != -1) {
        const bool point = limb.path.size() == 1 && limb.length < 0.04f * body.size;
        scores.of[point ? "eye" : "ear"] += 0.7f;
        scores.evidence.emplace_back("a small pair where the trunk ends");
    }
}

// In motion: a leg's end is, of all paired limbs, nearest the floor in nearly every frame.
void ask_motion(const Body& body, const Limb& limb, Scores& scores) {
    if (body.watched.size() < 8 || limb.partner == -1) return;
    std::size_t lowest = 0;
    for (const std::vector<Vec3>& places : body.watched) {
        const auto height = [&](const Limb& l) {
            return places[static_cast<std::size_t>(l.path.back())].dot(body.up);
        };
        const float own = std::min(height(limb), height(body.limbs[static_cast<std::size_t>(limb.partner)]));
        const bool first = std::all_of(body.limbs.begin(), body.limbs.end(), [&](const Limb& other) {
            return other.partner == -1 || height(other) > own - 0.06f * body.size;
        });
        lowest += first ? 1 : 0;
    }
    if (10 * lowest < 9 * body.watched.size()) return;
    scores.of["leg"] += 0.3f;
    scores.evidence.emplace_back("in the clips it is the limb that touches the floor");
}

}  // namespace

void label_limbs(Body& body) {
    for (std::size_t i = 0; i < body.limbs.size(); ++i) {
        Limb& limb = body.limbs[i];
        if (limb.partner != -1 && static_cast<std::size_t>(limb.partner) < i) {
            const Limb& other = body.limbs[static_cast<std::size_t>(limb.partner)];
            limb.role = other.role;
            limb.confidence = other.confidence;
            limb.evidence = other.evidence;
            continue;
        }
        Scores names;
        Scores scores;
        ask_names(body, limb, names);
        if (limb.partner != -1) ask_names(body, body.limbs[static_cast<std::size_t>(limb.partner)], names);
        ask_shape(body, limb, scores);
        ask_motion(body, limb, scores);
        float said = 0.0f;
        for (const auto& [role, score] : names.of) {
            scores.of[role] += 0.6f * score;
            said = std::max(said, score);
        }
        float best = 0.0f;
        float second = 0.0f;
        for (const auto& [role, score] : scores.of) {
            if (score > best) {
                second = best;
                best = score;
                limb.role = role;
            } else {
                second = std::max(second, score);
            }
        }
        if (best < 0.5f) limb.role.clear();
        limb.evidence = scores.evidence;
        if (limb.partner != -1) limb.evidence.emplace_back("it has a mirror image on the other side");
        limb.confidence =
            std::clamp(0.55f + 0.3f * (best - second) + (said > 0.5f ? 0.15f : 0.0f), 0.2f, 0.98f);
    }
    // Without legs, names or a trunk to speak of there is no body: a hand alone has mirrored fingers too.
    const bool body_there = std::any_of(body.limbs.begin(), body.limbs.end(),
                                        [](const Limb& limb) { return limb.role == "leg"; }) ||
                            body.trunk.size() >= 3 ||
                            std::any_of(body.names.begin(), body.names.end(), [](const NameReading& r) {
                                return r.part >= Part::hub && r.part <= Part::hand;
                            });
    if (!body_there) {
        for (Limb& limb : body.limbs) limb.role.clear();
    }
    // Two arm pairs without names: those with digits, or else the upper ones, are the arms; the others are
    // wings.
    std::vector<Limb*> arms;
    for (Limb& limb : body.limbs) {
        if (limb.role == "arm") arms.push_back(&limb);
    }
    if (arms.size() <= 2) return;
    const auto rank = [&](const Limb* limb) {
        return named_share(body, limb->path,
                           {Part::shoulder, Part::arm, Part::upper_arm, Part::forearm, Part::hand}) *
                   4.0f +
               static_cast<float>(std::min<std::size_t>(leaves_of(body, limb->path.front()), 5)) * 0.2f +
               body.height(body.at(limb->path.front())) + (limb->partner == -1 ? -1.0f : 0.0f);
    };
    const Limb* best = *std::max_element(arms.begin(), arms.end(),
                                         [&](const Limb* a, const Limb* b) { return rank(a) < rank(b); });
    for (Limb* limb : arms) {
        const bool chosen = limb == best || (best->partner != -1 &&
                                             limb == &body.limbs[static_cast<std::size_t>(best->partner)]);
        if (chosen) continue;
        limb->role = limb->partner == -1 ? "" : "wing";
        limb->confidence = 0.5f;
        limb->evidence = {"a second pair on the upper trunk"};
    }
}

}  // namespace dendraxis
