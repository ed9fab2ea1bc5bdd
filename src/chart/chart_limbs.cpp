// Limbs taken apart: shoulder, arm, hand and fingers; leg, foot and toes.
#include "body.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace dendraxis {
namespace {

using Bones = std::vector<int>;

const std::array<std::pair<Part, const char*>, 5> k_fingers{{{Part::thumb, "thumb"},
                                                             {Part::index, "index"},
                                                             {Part::middle, "middle"},
                                                             {Part::ring, "ring"},
                                                             {Part::little, "little"}}};

class LimbCharter {
 public:
    LimbCharter(Body& body, Chart& chart) : body_(body), chart_(chart) {}

    void run() {
        name_leg_pairs();
        for (std::size_t i = 0; i < body_.limbs.size(); ++i) {
            const Limb& limb = body_.limbs[i];
            if (limb.role == "leg") leg(limb, leg_names_[i]);
            if (limb.role == "arm") arm(limb);
            if (limb.role == "ear" || limb.role == "wing" || limb.role == "eye")
                add(limb.role, limb, limb.path, limb.confidence, {Part::ear, Part::eye, Part::wing});
        }
        stray_fingers();
        grips();
    }

 private:
    float length_of(int from, int to) const { return (body_.at(to) - body_.at(from)).norm(); }

    // Leaves out what lies on the way of a limb but is no segment of its own: bones without length or without
    // flesh.
    Bones cleaned(const Bones& path) const {
        Bones result;
        for (std::size_t i = 0; i < path.size(); ++i) {
            const bool last = i + 1 == path.size();
            const Part part = body_.name(path[i]).part;
            const bool said = part != Part::none && body_.name(path[i]).kind == NameKind::plain;
            const float next = last ? 1.0f : length_of(path[i], path[i + 1]);
            const bool no_length = !last && next < 0.004f * body_.size;
            const bool no_flesh =
                body_.has_skin && body_.weight[static_cast<std::size_t>(path[i])] <= 0.0f && !last;
            if (body_.name(path[i]).kind == NameKind::twist) continue;
            if (!said && (no_length || no_flesh)) continue;
            result.push_back(path[i]);
        }
        return result;
    }

    // Brings a run down to `wanted` bones: the joints that bend most, or split it most evenly, stay; straight
    // ones between go.
    Bones with_joints(Bones run, const Vec3& end, std::size_t wanted) const {
        while (run.size() > wanted) {
            std::size_t straightest = 0;
            float least = 1e30f;
            for (std::size_t i = 1; i < run.size(); ++i) {
                const Vec3 before = body_.at(run[i]) - body_.at(run[i - 1]);
                const Vec3 after = (i + 1 < run.size() ? body_.at(run[i + 1]) : end) - body_.at(run[i]);
                const float bend = before.normalized().cross(after.normalized()).norm();
                // What it costs to leave the joint out: its bend, and how uneven the limb becomes.
                const float cost = bend +
                                   0.5f * std::min(before.norm(), after.norm()) /
                                       std::max(before.norm() + after.norm(), 1e-9f) +
                                   (body_.name(run[i]).part != Part::none ? 1.0f : 0.0f);
                if (cost < least) {
                    least = cost;
                    straightest = i;
                }
            }
            run.erase(run.begin() + static_cast<std::ptrdiff_t>(straightest));
        }
        return run;
    }

    void add(const std::string& part, const Limb& limb, const Bones& bones, float confidence,
             std::initializer_list<Part> parts) {
        if (bones.empty()) return;
        const std::string name = part + "." + std::string(to_string(limb.side));
        if (chart_.find(name) != nullptr) return;
        std::vector<std::string> evidence = limb.evidence;
        float named = 0.0f;
        float otherwise = 0.0f;
        for (const int bone : bones) {
            const Part said = body_.name(bone).part;
            if (std::find(parts.begin(), parts.end(), said) != parts.end()) {
                named += 1.0f;
                evidence.push_back(name_evidence(body_, bone));
            } else if (said != Part::none) {
                otherwise += 1.0f;
            }
        }
        const auto count = static_cast<float>(bones.size());
        confidence += (0.99f - confidence) * named / count - 0.3f * otherwise / count;
        chart_.chains.push_back({name, bones, std::clamp(confidence, 0.1f, 0.99f), std::move(evidence)});
    }

    // ------------------------------------------------------------------ legs

    // Two legs are `leg`; of more pairs the hindmost are `leg.back`, the foremost `leg.front`, any between
    // `leg.middle`.
    void name_leg_pairs() {
        leg_names_.assign(body_.limbs.size(), "leg");
        std::vector<std::size_t> pairs;
        for (std::size_t i = 0; i < body_.limbs.size(); ++i) {
            const Limb& limb = body_.limbs[i];
            if (limb.role == "leg" && (limb.partner == -1 || static_cast<std::size_t>(limb.partner) > i))
                pairs.push_back(i);
        }
        const auto lone = [&](std::size_t i) { return body_.limbs[i].partner == -1; };
        if (pairs.size() < 2 || std::all_of(pairs.begin(), pairs.end(), lone)) return;
        std::stable_sort(pairs.begin(), pairs.end(), [&](std::size_t a, std::size_t b) {
            return body_.at(body_.limbs[a].path.front()).dot(body_.facing) <
                   body_.at(body_.limbs[b].path.front()).dot(body_.facing);
        });
        for (std::size_t k = 0; k < pairs.size(); ++k) {
            std::string name = k == 0 ? "leg.back" : k + 1 == pairs.size() ? "leg.front" : "leg.middle";
            if (k > 1 && k + 1 < pairs.size()) name += std::to_string(k);
            leg_names_[pairs[k]] = name;
            if (body_.limbs[pairs[k]].partner != -1)
                leg_names_[static_cast<std::size_t>(body_.limbs[pairs[k]].partner)] = name;
        }
    }

    std::size_t ankle_of(const Bones& path) const {
        for (std::size_t i = 0; i < path.size(); ++i) {
            if (body_.name(path[i]).part == Part::foot) return i;
        }
        for (std::size_t i = 0; i < path.size(); ++i) {
            if (body_.name(path[i]).part == Part::toes) return i - (i > 0 ? 1 : 0);
        }
        // The first joint near the floor; what follows it is toes.
        for (std::size_t i = 1; i < path.size(); ++i) {
            if (body_.height(body_.at(path[i])) < 0.11f) return i;
        }
        return path.size() - 1;
    }

    void leg(const Limb& limb, const std::string& name) {
        Bones path = cleaned(limb.path);
        if (path.empty()) return;
        const bool several_pairs = name != "leg";
        // Between trunk and thigh there may be a shoulder blade, or a short bone that only spreads the hips.
        Bones shoulder;
        if (path.size() >= 4 && body_.name(path[0]).part != Part::thigh &&
            body_.name(path[0]).part != Part::leg) {
            const bool blade =
                body_.name(path[0]).part == Part::shoulder || (name == "leg.front" && path.size() >= 5);
            const bool spreads = length_of(path[0], path[1]) < 0.4f * length_of(path[1], path[2]);
            if (blade) shoulder = {path[0]};
            if (blade || spreads) path.erase(path.begin());
        }
        std::size_t ankle = ankle_of(path);
        const bool said = body_.name(path[ankle]).part == Part::foot;
        // On four legs the heel stands high: thigh, shin, foot, and the toes on the floor.
        if (several_pairs && !said) ankle = std::min<std::size_t>(2, path.size() - 1);
        Bones run(path.begin(), path.begin() + static_cast<std::ptrdiff_t>(ankle));
        run = with_joints(run, body_.at(path[ankle]), 2);
        run.push_back(path[ankle]);
        add(name, limb, run, limb.confidence, {Part::leg, Part::thigh, Part::shin, Part::foot});
        if (!shoulder.empty()) add("shoulder", limb, shoulder, 0.7f, {Part::shoulder});
        Bones toes(path.begin() + static_cast<std::ptrdiff_t>(ankle) + 1, path.end());
        if (!body_.has_skin && toes.size() >= 2 && body_.name(toes.back()).part != Part::toes)
            toes.pop_back();
        add(several_pairs ? "toes" + name.substr(3) : "toes", limb, toes, 0.9f, {Part::toes});
    }

    // ------------------------------------------------------------------ arms

    std::size_t digits_at(int bone) const { return body_.alive_children(bone).size(); }

    // What hangs on a hand begins nearby, measured by the forearm before it.
    bool holds_only_digits(int bone, float before) const {
        const std::vector<int> children = body_.alive_children(bone);
        return std::all_of(children.begin(), children.end(),
                           [&](int child) { return length_of(bone, child) < 0.6f * before; });
    }

    std::size_t hand_of(const Bones& path) const {
        for (std::size_t i = 0; i < path.size(); ++i) {
            if (body_.name(path[i]).part == Part::hand) return i;
        }
        for (std::size_t i = 1; i < path.size(); ++i) {
            if (digits_at(path[i]) >= 2 && holds_only_digits(path[i], length_of(path[i - 1], path[i])))
                return i;
        }
        const bool collar = path.size() >= 4 && is_shoulder(path);
        return std::min(path.size() - 1, collar ? std::size_t{3} : std::size_t{2});
    }

    // A first bone that is short and begins near the trunk's middle.
    bool is_shoulder(const Bones& path) const {
        if (path.size() < 2) return false;
        const Part said = body_.name(path[0]).part;
        if (said == Part::upper_arm || said == Part::arm) return false;
        if (said == Part::shoulder && body_.name(path[1]).part != Part::forearm) return true;
        if (path.size() < 4 && !(path.size() == 3 && body_.name(path[1]).part == Part::upper_arm))
            return false;
        const float first = length_of(path[0], path[1]);
        const float second = length_of(path[1], path[2]);
        const float middle = body_.lateral.dot(body_.at(holder_));
        const auto off = [&](int bone) { return std::abs(body_.lateral.dot(body_.at(bone)) - middle); };
        return first < 0.85f * second && off(path[0]) < 0.6f * off(path[1]);
    }

    void arm(const Limb& limb) {
        holder_ = limb.holder == k_no_bone ? limb.path.front() : limb.holder;
        const Bones path = cleaned(limb.path);
        if (path.empty()) return;
        const std::size_t hand = hand_of(path);
        Bones run(path.begin(), path.begin() + static_cast<std::ptrdiff_t>(hand));
        Bones shoulder;
        if (hand >= 2 && is_shoulder(path) &&
            (run.size() >= 3 || body_.name(path[0]).part == Part::shoulder)) {
            shoulder = {run[0]};
            run.erase(run.begin());
        }
        run = with_joints(run, body_.at(path[hand]), 2);
        run.push_back(path[hand]);
        if (!shoulder.empty()) add("shoulder", limb, shoulder, limb.confidence, {Part::shoulder});
        add("arm", limb, run, limb.confidence, {Part::arm, Part::upper_arm, Part::forearm, Part::hand});
        if (!body_.alive_children(path[hand]).empty()) fingers(limb, path[hand]);
    }

    Bones digit(int root) const {
        Bones bones;
        for (int bone = root; bone != k_no_bone; bone = body_.next(bone)) bones.push_back(bone);
        return bones;
    }

    // Roots of fingers below a hand; a palm bone that holds several is passed through.
    Bones digit_roots(int hand) const {
        Bones roots;
        for (const int child : body_.alive_children(hand)) {
            if (digits_at(child) >= 2 && body_.name(child).part != Part::thumb) {
                for (const int grandchild : body_.alive_children(child)) roots.push_back(grandchild);
            } else {
                roots.push_back(child);
            }
        }
        return roots;
    }

    void fingers(const Limb& limb, int hand) {
        std::map<std::string, Bones> found;
        Bones unnamed;
        for (const int root : digit_roots(hand)) {
            const Bones bones = digit(root);
            const char* name = nullptr;
            for (const auto& [part, finger] : k_fingers) {
                if (body_.name(root).part == part || named_share(body_, bones, {part}) >= 0.5f) name = finger;
            }
            if (name != nullptr && !found.contains(name)) {
                found[name] = bones;
            } else {
                unnamed.push_back(root);
            }
        }
        const bool all_unnamed = found.empty();
        for (const auto& [finger, bones] : by_shape(hand, unnamed)) found.try_emplace(finger, bones);
        for (const auto& [part, finger] : k_fingers) {
            if (!found.contains(finger)) continue;
            Bones bones = found[finger];
            trim_digit(bones, part);
            add(finger, limb, bones, all_unnamed ? std::min(0.88f, limb.confidence) : 0.85f, {part});
        }
    }

    // Palm bones are no part of a finger, and without flesh or names a fourth bone ends it.
    void trim_digit(Bones& bones, Part part) const {
        const std::size_t usual = 3;
        while (bones.size() > 1 && (body_.name(bones.front()).part == Part::palm ||
                                    body_.name(bones.front()).kind == NameKind::palm))
            bones.erase(bones.begin());
        if (bones.size() <= usual) return;
        const bool tip_said =
            body_.name(bones.back()).part == part && body_.name(bones.back()).kind == NameKind::plain;
        if (!body_.has_skin && !tip_said) bones.pop_back();
        if (bones.size() > usual && part != Part::thumb &&
            length_of(bones[0], bones[1]) > 1.15f * length_of(bones[1], bones[2]))
            bones.erase(bones.begin());
    }

    // The thumb leaves the hand nearest the wrist and points off from the others; the others lie side by side
    // from it.
    std::map<std::string, Bones> by_shape(int hand, Bones roots) const {
        std::map<std::string, Bones> result;
        if (roots.empty()) return result;
        if (roots.size() == 1) {
            result["middle"] = digit(roots[0]);
            return result;
        }
        const auto direction = [&](int root) {
            const Bones bones = digit(root);
            return Vec3((body_.tip[static_cast<std::size_t>(bones.back())] - body_.at(root)).normalized());
        };
        float longest = 0.0f;
        for (const int root : roots) longest = std::max(longest, length_of(hand, root));
        int thumb = k_no_bone;
        float best = -1e30f;
        for (const int root : roots) {
            Vec3 others = Vec3::Zero();
            for (const int other : roots) {
                if (other != root) others += direction(other);
            }
            const float apart = 1.0f - direction(root).dot(others.normalized());
            const float near = 1.0f - length_of(hand, root) / std::max(longest, 1e-9f);
            if (apart + 1.2f * near > best) {
                best = apart + 1.2f * near;
                thumb = root;
            }
        }
        if (roots.size() >= 2 && best > 0.25f) {
            result["thumb"] = digit(thumb);
            std::erase(roots, thumb);
        } else {
            thumb = k_no_bone;
        }
        // Along the line across the palm that the roots lie on, beginning at the thumb.
        if (roots.size() >= 2) {
            Vec3 across = Vec3::Zero();
            for (const int a : roots) {
                for (const int b : roots) {
                    if ((body_.at(a) - body_.at(b)).norm() > across.norm())
                        across = body_.at(a) - body_.at(b);
                }
            }
            const Vec3 from = thumb == k_no_bone ? Vec3(body_.at(hand) + body_.facing) : body_.at(thumb);
            Vec3 middle = Vec3::Zero();
            for (const int root : roots) middle += body_.at(root) / static_cast<float>(roots.size());
            if ((from - middle).dot(across) < 0.0f) across = -across;
            std::stable_sort(roots.begin(), roots.end(),
                             [&](int a, int b) { return body_.at(a).dot(across) > body_.at(b).dot(across); });
        }
        static const std::array<std::vector<const char*>, 5> k_orders{
            {{},
             {"middle"},
             {"index", "middle"},
             {"index", "middle", "ring"},
             {"index", "middle", "ring", "little"}}};
        const auto& order = k_orders[std::min<std::size_t>(roots.size(), 4)];
        for (std::size_t i = 0; i < roots.size() && i < order.size(); ++i) result[order[i]] = digit(roots[i]);
        return result;
    }

    // Fingers that hang from elsewhere than the hand are known by their names.
    void stray_fingers() {
        for (const Side side : {Side::left, Side::right}) {
            for (const auto& [part, finger] : k_fingers) {
                const std::string name = std::string(finger) + "." + std::string(to_string(side));
                if (chart_.find(name) != nullptr) continue;
                Bones bones;
                for (int bone = 0; bone < static_cast<int>(body_.count()); ++bone) {
                    const NameReading& said = body_.name(bone);
                    if (!body_.lives(bone) || said.part != part || said.side != side || in_chain(bone))
                        continue;
                    if (bones.empty() || body_.skeleton.is_above(bones.back(), bone)) bones.push_back(bone);
                }
                if (bones.empty()) continue;
                Limb limb;
                limb.side = side;
                limb.evidence = {"it hangs from elsewhere than a hand"};
                add(finger, limb, bones, 0.6f, {part});
            }
        }
    }

    bool in_chain(int bone) const {
        return std::any_of(chart_.chains.begin(), chart_.chains.end(), [bone](const Chain& chain) {
            return std::find(chain.bones.begin(), chain.bones.end(), bone) != chain.bones.end();
        });
    }

    // A bone in the hand that moves no flesh is there to carry something.
    void grips() {
        for (const Limb& limb : body_.limbs) {
            if (limb.role != "arm") continue;
            const Chain* arm = chart_.find("arm." + std::string(to_string(limb.side)));
            if (arm == nullptr) continue;
            for (const int child : body_.skeleton.children(arm->bones.back())) {
                if (body_.lives(child) || !body_.skeleton.children(child).empty() ||
                    body_.kind[static_cast<std::size_t>(child)] == HelperKind::end)
                    continue;
                const bool said = body_.name(child).part == Part::grip;
                const bool in_hand =
                    body_.has_skin &&
                    (body_.at(child) - body_.at(arm->bones.back())).norm() > 0.01f * body_.size &&
                    body_.kind[static_cast<std::size_t>(child)] == HelperKind::unknown;
                if (!said && !in_hand) continue;
                Limb grip;
                grip.side = limb.side;
                grip.evidence = {"a bone in the hand that moves no flesh"};
                add("grip", grip, {child}, 0.6f, {Part::grip});
            }
        }
    }

    Body& body_;
    Chart& chart_;
    std::vector<std::string> leg_names_;
    int holder_ = k_no_bone;
};

}  // namespace

void chart_limbs(Body& body, Chart& chart) {
    LimbCharter(body, chart).run();
}

}  // namespace dendraxis
