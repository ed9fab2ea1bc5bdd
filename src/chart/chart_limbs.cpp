// Limbs taken apart: shoulder, arm, hand; leg, foot and toes; wings, ears, eyes.
#include "charter.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace dendraxis::detail {
namespace {

using Bones = std::vector<int>;

Bones part_of(const Bones& path, std::size_t from, std::size_t to) {
    to = std::min(to, path.size());
    return from >= to ? Bones{}
                      : Bones(path.begin() + static_cast<std::ptrdiff_t>(from),
                              path.begin() + static_cast<std::ptrdiff_t>(to));
}

class LimbCharter {
 public:
    explicit LimbCharter(Charter& charter) : charter_(charter), body_(charter.body) {}

    void run() {
        name_leg_pairs();
        for (std::size_t i = 0; i < body_.branches.size(); ++i) {
            if (charter_.reading.roles[i] == Role::leg) leg(static_cast<int>(i));
            if (charter_.reading.roles[i] == Role::arm) arm(static_cast<int>(i));
        }
        for (std::size_t i = 0; i < body_.branches.size(); ++i) {
            if (charter_.reading.roles[i] == Role::loose) other(body_.branches[i]);
        }
    }

 private:
    // Two legs are `leg`; of more pairs the hindmost are `leg.back`, the foremost `leg.front`, any between
    // `leg.middle`.
    void name_leg_pairs() {
        leg_names_.assign(body_.branches.size(), "leg");
        const std::vector<int>& legs = charter_.reading.legs;
        const auto lone = [&](int leg) {
            return body_.branches[static_cast<std::size_t>(leg)].partner == -1;
        };
        if (legs.size() < 2 || std::all_of(legs.begin(), legs.end(), lone)) return;
        for (std::size_t k = 0; k < legs.size(); ++k) {
            std::string name = k == 0 ? "leg.back" : k + 1 == legs.size() ? "leg.front" : "leg.middle";
            if (k > 1 && k + 1 < legs.size()) name += std::to_string(k);
            const auto branch = static_cast<std::size_t>(legs[k]);
            leg_names_[branch] = name;
            if (body_.branches[branch].partner != -1)
                leg_names_[static_cast<std::size_t>(body_.branches[branch].partner)] = name;
        }
    }

    std::string name_of(const std::string& part, Side side) const {
        return part + "." + std::string(to_string(side));
    }

    // Both sides are cut alike: by the one that says more clearly where its joints are.
    LimbJoints joints_of(int index, const LimbKind& kind) const {
        const Branch& branch = body_.branches[static_cast<std::size_t>(index)];
        const LimbJoints own = find_joints(body_, branch, kind);
        if (branch.partner == -1) return own;
        const Branch& other = body_.branches[static_cast<std::size_t>(branch.partner)];
        const LimbJoints its = find_joints(body_, other, kind);
        if (limb_path(body_, branch).size() != limb_path(body_, other).size()) return own;
        if (its.margin > own.margin || (its.margin == own.margin && branch.partner < index)) return its;
        return own;
    }

    std::vector<std::string> evidence_of(const Branch& branch, const char* shape) const {
        std::vector<std::string> evidence{shape};
        if (branch.partner != -1) evidence.emplace_back("it has a mirror image on the other side");
        return evidence;
    }

    void leg(int index) {
        const Branch& branch = body_.branches[static_cast<std::size_t>(index)];
        const std::string& part = leg_names_[static_cast<std::size_t>(index)];
        const bool several = part != "leg";
        const Bones path = limb_path(body_, branch);
        const LimbJoints joints = joints_of(index, {true, several, part == "leg.front", charter_.name_trust});
        const float sure = charter_.confidence(charter_.role_margin(index), joints.margin);
        const auto evidence = evidence_of(branch, "it hangs down to the floor");
        const std::size_t end = std::min(joints.end, path.size() - 1);
        add_limb(name_of(part, branch.side), part_of(path, joints.root, end + 1), joints.lower - joints.root,
                 sure, evidence);
        // A shoulder blade lies above a foreleg; pieces of the hips are helpers.
        if (joints.root > 0 && part == "leg.front")
            charter_.add(name_of("shoulder", branch.side), part_of(path, 0, joints.root), sure, evidence);
        Bones toes = part_of(path, end + 1, path.size());
        if (!body_.has_skin && !several && toes.size() >= 2 && body_.name(toes.back()).part != Part::toes &&
            !body_.tip_known[static_cast<std::size_t>(toes.back())])
            toes.pop_back();
        charter_.add(several ? name_of("toes" + part.substr(3), branch.side) : name_of("toes", branch.side),
                     toes, sure, {"it goes on from the foot"});
    }

    void arm(int index) {
        const Branch& branch = body_.branches[static_cast<std::size_t>(index)];
        const Bones path = limb_path(body_, branch);
        const LimbJoints joints = joints_of(index, {false, false, false, charter_.name_trust});
        const float sure = charter_.confidence(charter_.role_margin(index), joints.margin);
        const std::size_t end = std::min(joints.end, path.size() - 1);
        const std::size_t digits = body_.hanging(path[end]).size();
        const auto evidence = evidence_of(branch, "it hangs from the upper trunk");
        add_limb(name_of("arm", branch.side), part_of(path, joints.root, end + 1), joints.lower - joints.root,
                 sure, evidence);
        if (joints.root > 0)
            charter_.add(name_of("shoulder", branch.side), part_of(path, 0, joints.root), sure, evidence);
        if (is_held_thing(branch, path[end]))
            charter_.add(name_of("grip", branch.side), {body_.hanging(path[end]).front()}, sure,
                         {"a bone with flesh that only this hand has"});
        else if (digits > 0 && joints.end < path.size())
            chart_digits(charter_, path[end], branch.side, sure);
        chart_stray_digits(charter_, branch, sure);
        grip(path[end], branch.side);
    }

    void add_limb(const std::string& name, Bones bones, std::size_t lower, float sure,
                  const std::vector<std::string>& evidence) {
        const std::size_t count = bones.size();
        charter_.add(name, std::move(bones), sure, evidence);
        if (!charter_.chart.chains.empty() && charter_.chart.chains.back().name == name)
            charter_.chart.chains.back().lower = std::min(lower, count == 0 ? 0 : count - 1);
    }

    // One bone on one hand, where the other hand has none: no finger.
    bool is_held_thing(const Branch& branch, int hand) const {
        const auto& digits = body_.hanging(hand);
        if (branch.partner == -1 || digits.size() != 1 || !body_.hanging(digits.front()).empty())
            return false;
        const auto at = std::find(branch.path.begin(), branch.path.end(), hand) - branch.path.begin();
        const auto& twin = body_.branches[static_cast<std::size_t>(branch.partner)].path;
        return static_cast<std::size_t>(at) < twin.size() &&
               body_.hanging(twin[static_cast<std::size_t>(at)]).empty();
    }

    // A bone in the hand that moves no flesh is there to carry something.
    void grip(int hand, Side side) {
        for (const int child : body_.skeleton.children(hand)) {
            const auto i = static_cast<std::size_t>(child);
            if (body_.lives(child) || !body_.skeleton.children(child).empty() ||
                body_.kind[i] == HelperKind::end)
                continue;
            const bool said = body_.name(child).part == Part::grip;
            const bool in_hand = body_.has_skin && body_.distance(child, hand) > 0.01f * body_.size &&
                                 body_.kind[i] == HelperKind::unknown;
            if (said || in_hand)
                charter_.add(name_of("grip", side), {child}, said ? 0.9f : 0.6f,
                             {"a bone in the hand that moves no flesh"});
        }
    }

    bool holder_is_head(const Branch& branch) const {
        const Chain* head = charter_.chart.find("head");
        return head != nullptr &&
               std::find(head->bones.begin(), head->bones.end(), branch.holder) != head->bones.end();
    }

    // Ears and eyes are small pairs on the head; wings a second pair on the upper trunk.
    void other(const Branch& branch) {
        const auto fit = [&](Part part) {
            return charter_.name_trust * name_fit(body_, branch.bones, {part});
        };
        if (branch.partner == -1) return;
        const float share = branch.length / std::max(body_.size, 1e-9f);
        if (fit(Part::wing) > 0.3f && !holder_is_head(branch)) {
            charter_.add(name_of("wing", branch.side), branch.path, 0.9f,
                         {"a pair on the upper trunk, named as wings"});
        } else if (holder_is_head(branch) && share < 0.3f) {
            const bool point = branch.path.size() == 1 && share < 0.04f;
            const bool eye = fit(Part::eye) > 0.0f || (point && fit(Part::ear) <= 0.0f);
            const bool ear = fit(Part::ear) > 0.0f || (!point && share > 0.05f && fit(Part::eye) <= 0.0f);
            if (eye || ear)
                charter_.add(name_of(eye ? "eye" : "ear", branch.side), branch.path,
                             fit(eye ? Part::eye : Part::ear) > 0.0f ? 0.9f : 0.6f,
                             {"a small pair on the head"});
        }
    }

    Charter& charter_;
    const Body& body_;
    std::vector<std::string> leg_names_;
};

}  // namespace

void chart_limbs(Charter& charter) {
    LimbCharter(charter).run();
}

}  // namespace dendraxis::detail
