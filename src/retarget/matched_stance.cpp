// Own method: shortest turns from the hips out, then twist from the chains that branch off.
#include "leg_drop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/retarget/matched_stance.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>
#include <optional>

namespace dendraxis {
namespace {

bool has_part(const Chain& chain, std::string_view part) {
    return chain.name == part || chain.name.starts_with(std::string(part) + ".");
}

// The chains that start at the last bone of `chain`, helpers between aside. Carried items do not count.
std::vector<const Chain*> chains_after(const BodyTree& body, const Chain& chain) {
    std::vector<const Chain*> after;
    for (const Chain& other : body.chart().chains) {
        if (&other == &chain || has_part(other, "grip")) continue;
        if (body.body_above(other.bones.front()) == chain.bones.back()) after.push_back(&other);
    }
    return after;
}

// The chains whose start is taken as the end of `chain`: the neck on a spine, all fingers but the thumb on a
// hand.
std::vector<const Chain*> continuing(const std::vector<const Chain*>& after) {
    std::vector<const Chain*> axial;
    std::vector<const Chain*> others;
    for (const Chain* chain : after) {
        if (has_part(*chain, "neck") || has_part(*chain, "head")) axial.push_back(chain);
        if (!has_part(*chain, "thumb") && !has_part(*chain, "shoulder")) others.push_back(chain);
    }
    if (!axial.empty()) return axial;
    return others.empty() ? after : others;
}

const Helper* end_bone(const Chart& chart, const Chain& chain) {
    const auto found = std::find_if(chart.helpers.begin(), chart.helpers.end(), [&](const Helper& helper) {
        return helper.kind == HelperKind::end && chart.skeleton.parent(helper.bone) == chain.bones.back();
    });
    return found == chart.helpers.end() ? nullptr : &*found;
}

// The middle of the skin that a bone moves alone, in the bone's frame without its scale.
std::optional<Vec3> flesh_middle(const Chart& chart, int bone) {
    const auto& marks = chart.shape.marks;
    const auto found =
        std::find_if(marks.begin(), marks.end(), [bone](const BoneMark& mark) { return mark.bone == bone; });
    if (found == marks.end()) return std::nullopt;
    const Transform rest = rest_in_model_space(chart.skeleton)[static_cast<std::size_t>(bone)];
    return rest.rotation.conjugate() * (found->position - rest.translation);
}

Vec3 apply_rigidly(const std::vector<Transform>& model, int bone, const Vec3& position) {
    const Transform& at = model[static_cast<std::size_t>(bone)];
    return at.translation + at.rotation * position;
}

Vec3 position(const std::vector<Transform>& model, int bone) {
    return model[static_cast<std::size_t>(bone)].translation;
}

std::vector<Vec3> heads_of(const Chain& chain, const std::vector<Transform>& model) {
    std::vector<Vec3> heads;
    for (const int bone : chain.bones) heads.push_back(position(model, bone));
    return heads;
}

Vec3 mean_start(const std::vector<const Chain*>& chains, const std::vector<Transform>& model) {
    Vec3 sum = Vec3::Zero();
    for (const Chain* chain : chains) sum += position(model, chain->bones.front());
    return sum / static_cast<float>(chains.size());
}

// The point at the share `share` of the way along heads and tail, where `shares` are those of the tails.
Vec3 point_along(const std::vector<Vec3>& heads, const Vec3& tail, const std::vector<float>& shares,
                 float share) {
    float before = 0.0f;
    for (std::size_t i = 0; i < heads.size(); ++i) {
        const Vec3& next = i + 1 < heads.size() ? heads[i + 1] : tail;
        if (share <= shares[i] || i + 1 == heads.size()) {
            const float span = shares[i] - before;
            return heads[i] + (span > 0.0f ? (share - before) / span : 0.0f) * (next - heads[i]);
        }
        before = shares[i];
    }
    return tail;
}

constexpr int k_trunk_rounds = 4;
constexpr float k_upright = 0.25f;  // the sine of a bone's angle from upright below which it has no heading

class StanceMatcher {
 public:
    explicit StanceMatcher(const Pairing& pairing)
        : pairing_(pairing),
          source_(source_stance_in_model_space(pairing)),
          target_rest_(rest_in_model_space(pairing.target.skeleton)),
          target_(target_rest_),
          turns_(target_rest_.size(), Quat::Identity()),
          to_target_(source_to_target(pairing)),
          follows_(followed_bones(pairing)),
          source_body_(pairing.source),
          target_body_(pairing.target),
          on_four_(stands_on_four(pairing.source) && stands_on_four(pairing.target)) {}

    MatchedStance match() {
        for (const int bone : target_body_.order()) {
            const auto b = static_cast<std::size_t>(bone);
            const int parent = target_body_.above(bone);
            turns_[b] = parent == k_no_bone ? Quat::Identity() : turns_[static_cast<std::size_t>(parent)];
            follow_parent(bone);
            const auto [chain, index] = chain_of(bone);
            if (follows_[b] != k_no_bone) turns_[b] = to_target_ * pairing_.bones.answers[b].turn.conjugate();
            if (chain != nullptr && !follows_bones(*chain) && !(on_four_ && has_part(*chain, "spine"))) {
                const Quat unmatched = turns_[b];
                turn(*chain, index);
                const ChainPair* entry = pairing_.entry_of(*chain);
                if (entry != nullptr && entry->strength < 1.0f)
                    turns_[b] = unmatched.slerp(std::max(0.0f, entry->strength), turns_[b]);
            }
            target_[b].rotation = (turns_[b] * target_rest_[b].rotation).normalized();
        }
        if (!on_four_) straighten_trunk();
        const bool hips_follows = follows_[static_cast<std::size_t>(pairing_.target.hips)] != k_no_bone;
        MatchedStance stance;
        const auto drop = [&](std::string_view legs) {
            return detail::drop_by_legs(pairing_, target_body_, target_rest_, target_, turns_, legs);
        };
        if (!hips_follows) stance.hips_drop = drop("leg");
        if (!hips_follows && on_four_) stance.pair_drops = {drop("leg.back"), drop("leg.front")};
        turn_by_hand();
        stance.turns = turns_;
        return stance;
    }

 private:
    std::pair<const Chain*, std::size_t> chain_of(int bone) const {
        for (const Chain& chain : pairing_.target.chains) {
            const auto found = std::find(chain.bones.begin(), chain.bones.end(), bone);
            if (found != chain.bones.end())
                return {&chain, static_cast<std::size_t>(found - chain.bones.begin())};
        }
        return {nullptr, 0};
    }

    // From hips to head both trunks point alike, so that the head is over the hips as the source's is.
    void straighten_trunk() {
        const Chart& target = pairing_.target;
        const Chain* spine = target.find("spine");
        const Chain* head = target.find("head");
        const Chain* answer = head == nullptr ? nullptr : pairing_.source_of(*head);
        if (spine == nullptr || answer == nullptr || pairing_.source_of(*spine) == nullptr ||
            follows_bones(*spine))
            return;
        const float strength = pairing_.entry_of(*spine)->strength;
        const Vec3 wanted =
            to_target_ * (position(source_, answer->bones.front()) - position(source_, pairing_.source.hips));
        for (int i = 0; i < k_trunk_rounds; ++i) {
            const Vec3 now = position(target_, head->bones.front()) - position(target_, target.hips);
            const Quat turn = Quat::Identity().slerp(strength, shortest_arc(now, wanted));
            for (const int bone : spine->bones) {
                const auto b = static_cast<std::size_t>(bone);
                turns_[b] = (turn * turns_[b]).normalized();
                target_[b].rotation = (turns_[b] * target_rest_[b].rotation).normalized();
            }
            // Only what hangs on the spine without an answer of its own turns along.
            for (const int bone : target_body_.order()) follow_parent(bone);
        }
    }

    bool follows_bones(const Chain& chain) const {
        return std::any_of(chain.bones.begin(), chain.bones.end(),
                           [&](int bone) { return follows_[static_cast<std::size_t>(bone)] != k_no_bone; });
    }

    void follow_parent(int bone) {
        const int parent = target_body_.above(bone);
        if (parent == k_no_bone) return;
        const auto p = static_cast<std::size_t>(parent);
        const auto b = static_cast<std::size_t>(bone);
        target_[b].translation =
            target_[p].translation + turns_[p] * (target_rest_[b].translation - target_rest_[p].translation);
    }

    void turn(const Chain& chain, std::size_t index) {
        const Chain* answer = pairing_.source_of(chain);
        // How a collarbone lies is a matter of the rig: it keeps its own position on the chest. On four legs
        // it is a blade, a part of the leg.
        const bool is_collarbone = has_part(chain, "shoulder") && !on_four_;
        if (answer == nullptr || has_part(chain, "toes") || has_part(chain, "grip") || is_collarbone) return;
        const auto bone = static_cast<std::size_t>(chain.bones[index]);
        if (has_part(chain, "head")) {
            turns_[bone] = Quat::Identity();
            return;
        }
        const bool last = index + 1 == chain.bones.size();
        const bool is_foot = last && has_part(chain, "leg") && chain.bones.size() > 2;
        const auto direction = directions(chain, index, *answer);
        if (is_foot) {
            turns_[bone] = direction ? heading_turn(direction->first, direction->second) : Quat::Identity();
        } else if (direction) {
            const Vec3 now = turns_[bone] * direction->first;
            turns_[bone] = shortest_arc(now, direction->second) * turns_[bone];
            if (last) settle_twist(chain, *answer, direction->second.normalized());
        }
    }

    // Where a target bone points at rest, and where it should, both in the target's model space. Nothing
    // where the last bone of either chain has no known end.
    std::optional<std::pair<Vec3, Vec3>> directions(const Chain& chain, std::size_t index,
                                                    const Chain& answer) const {
        const bool known = known_end(source_body_, answer) && known_end(target_body_, chain);
        const std::vector<Vec3> heads = heads_of(chain, target_rest_);
        const std::vector<Vec3> source_heads = heads_of(answer, source_);
        const Vec3 tail = shared_tail(chain, answer, false);
        const Vec3 source_tail = shared_tail(chain, answer, true);
        const bool last = index + 1 == heads.size();
        if (last && !known) return std::nullopt;
        const Vec3 own = (last ? tail : heads[index + 1]) - heads[index];
        if (heads.size() == source_heads.size()) {
            const Vec3 theirs = (last ? source_tail : source_heads[index + 1]) - source_heads[index];
            return std::pair(own, to_target_ * theirs);
        }
        const std::vector<float> shares = tail_shares(heads, tail);
        const std::vector<float> source_shares = tail_shares(source_heads, source_tail);
        const Vec3 from =
            point_along(source_heads, source_tail, source_shares, index == 0 ? 0.0f : shares[index - 1]);
        const Vec3 to = point_along(source_heads, source_tail, source_shares, shares[index]);
        return std::pair(own, to_target_ * (to - from));
    }

    bool known_end(const BodyTree& body, const Chain& chain) const {
        const Chart& chart = body.chart();
        const bool is_short_limb =
            (has_part(chain, "arm") || has_part(chain, "leg")) && chain.bones.size() < 3;
        return !chains_after(body, chain).empty() || end_bone(chart, chain) != nullptr ||
               (is_short_limb && flesh_middle(chart, chain.bones.back()).has_value());
    }

    // Only chains that both have count, so that a hand with four fingers and one with two point alike.
    Vec3 shared_tail(const Chain& chain, const Chain& answer, bool of_source) const {
        std::vector<const Chain*> mine;
        std::vector<const Chain*> theirs;
        const auto source_after = chains_after(source_body_, answer);
        for (const Chain* candidate : continuing(chains_after(target_body_, chain))) {
            const Chain* match = pairing_.source_of(*candidate);
            if (match == nullptr ||
                std::find(source_after.begin(), source_after.end(), match) == source_after.end())
                continue;
            mine.push_back(candidate);
            theirs.push_back(match);
        }
        if (of_source)
            return theirs.empty() ? chain_tail(source_body_, answer, source_) : mean_start(theirs, source_);
        return mine.empty() ? chain_tail(target_body_, chain, target_rest_) : mean_start(mine, target_rest_);
    }

    void settle_twist(const Chain& chain, const Chain& answer, const Vec3& axis) {
        const int bone = chain.bones.back();
        const auto b = static_cast<std::size_t>(bone);
        std::vector<Vec3> from;
        std::vector<Vec3> to;
        const auto source_after = chains_after(source_body_, answer);
        for (const Chain* branch : chains_after(target_body_, chain)) {
            const Chain* match = pairing_.source_of(*branch);
            if (match == nullptr ||
                std::find(source_after.begin(), source_after.end(), match) == source_after.end())
                continue;
            from.push_back(turns_[b] *
                           (position(target_rest_, branch->bones.front()) - position(target_rest_, bone)));
            to.push_back(to_target_ *
                         (position(source_, match->bones.front()) - position(source_, answer.bones.back())));
        }
        // Sizes differ; what counts is where the branches lie around the axis, seen from their middle.
        if (from.size() < 2) return;
        const auto center = [](std::vector<Vec3>& points) {
            Vec3 sum = Vec3::Zero();
            for (const Vec3& point : points) sum += point;
            for (Vec3& point : points) point -= sum / static_cast<float>(points.size());
        };
        center(from);
        center(to);
        turns_[b] = best_turn_about(axis, from, to) * turns_[b];
    }

    // About up alone; of what stands nearly upright no heading is known.
    Quat heading_turn(const Vec3& from, const Vec3& to) const {
        const Vec3& up = pairing_.target.up;
        const Vec3 a = (from - up * up.dot(from)) / std::max(1e-9f, from.norm());
        const Vec3 b = (to - up * up.dot(to)) / std::max(1e-9f, to.norm());
        const float level = std::min(a.norm(), b.norm());
        const float known = std::clamp((level - k_upright) / k_upright, 0.0f, 1.0f);
        return Quat(Eigen::AngleAxisf(known * std::atan2(up.dot(a.cross(b)), a.dot(b)), up));
    }

    // What is turned by hand comes last and takes along what hangs below.
    void turn_by_hand() {
        const Chart& target = pairing_.target;
        std::vector<Transform> pose = stance_pose(target, pairing_.settings.target_stance);
        pose = turned_pose(target, std::move(pose), pairing_.settings.turns);
        to_model_space(target.skeleton, pose, pose);
        for (std::size_t b = 0; b < turns_.size(); ++b) {
            const Quat by_hand = pose[b].rotation * target_rest_[b].rotation.conjugate();
            turns_[b] = (by_hand * turns_[b]).normalized();
        }
    }

    const Pairing& pairing_;
    std::vector<Transform> source_;
    std::vector<Transform> target_rest_;
    std::vector<Transform> target_;
    std::vector<Quat> turns_;
    Quat to_target_;
    std::vector<int> follows_;
    BodyTree source_body_;
    BodyTree target_body_;
    bool on_four_;  // both: the trunk keeps its own shape and stands as it does at rest
};

}  // namespace

std::vector<Transform> source_stance_in_model_space(const Pairing& pairing) {
    const Skeleton& skeleton = pairing.source.skeleton;
    std::vector<Transform> pose = pairing.source_stance.size() == skeleton.size()
                                      ? pairing.source_stance
                                      : stance_pose(pairing.source, pairing.settings.source_stance.name);
    to_model_space(skeleton, pose, pose);
    return pose;
}

std::vector<int> followed_bones(const Pairing& pairing) {
    std::vector<int> follows(pairing.target.skeleton.size(), k_no_bone);
    const bool from_rest = pairing.source_stance.empty() && (pairing.settings.source_stance.name.empty() ||
                                                             pairing.settings.source_stance.name == "rest");
    if (!pairing.is_same_build() || !from_rest) return follows;
    for (std::size_t b = 0; b < follows.size(); ++b) follows[b] = pairing.bones.answers[b].source;
    // A chain that a person paired otherwise does as they say.
    for (const Chain& chain : pairing.target.chains) {
        if (pairing.is_as_found(chain)) continue;
        for (const int bone : chain.bones) follows[static_cast<std::size_t>(bone)] = k_no_bone;
    }
    return follows;
}

bool follows_exactly(const Pairing& pairing) {
    const PairingSettings& settings = pairing.settings;
    const bool all_positions =
        std::all_of(settings.positions.begin(), settings.positions.end(),
                    [](const PositionRule& rule) { return rule.positions == Positions::scaled; });
    const bool by_hand = !settings.turns.empty() || !settings.offsets.empty() || !settings.contacts.empty() ||
                         !all_positions ||
                         !(settings.target_stance.empty() || settings.target_stance == "rest");
    if (by_hand || !pairing.is_same_build()) return false;
    const bool reaches = std::any_of(pairing.chains.begin(), pairing.chains.end(),
                                     [](const ChainPair& entry) { return entry.reach != 0.0f; });
    if (reaches) return false;
    const std::vector<int> follows = followed_bones(pairing);
    for (std::size_t b = 0; b < follows.size(); ++b) {
        if (follows[b] != pairing.bones.answers[b].source) return false;
    }
    return true;
}

MatchedStance match_stance(const Pairing& pairing) {
    return StanceMatcher(pairing).match();
}

std::vector<float> tail_shares(const std::vector<Vec3>& heads, const Vec3& tail) {
    std::vector<float> shares;
    float length = 0.0f;
    for (std::size_t i = 0; i < heads.size(); ++i) {
        length += ((i + 1 < heads.size() ? heads[i + 1] : tail) - heads[i]).norm();
        shares.push_back(length);
    }
    for (std::size_t i = 0; i < shares.size(); ++i) {
        shares[i] = length > 0.0f ? shares[i] / length
                                  : static_cast<float>(i + 1) / static_cast<float>(shares.size());
    }
    return shares;
}

Vec3 chain_tail(const BodyTree& body, const Chain& chain, const std::vector<Transform>& model) {
    const Chart& chart = body.chart();
    const std::vector<const Chain*> after = continuing(chains_after(body, chain));
    if (!after.empty()) return mean_start(after, model);
    if (const Helper* end = end_bone(chart, chain)) return position(model, end->bone);
    const int last = chain.bones.back();
    if (const auto middle = flesh_middle(chart, last)) return apply_rigidly(model, last, 2.0f * *middle);
    const int before =
        chain.bones.size() > 1 ? chain.bones[chain.bones.size() - 2] : chart.skeleton.parent(last);
    if (before == k_no_bone) return position(model, last);
    return 2.0f * position(model, last) - position(model, before);
}

}  // namespace dendraxis
