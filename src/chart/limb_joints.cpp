// Own method: every way to cut a limb in parts is scored by proportions, by where it leaves the body's
// middle, by digits, by height over the floor and by names; the best is taken, and its margin to the next is
// kept.
#include "limb_joints.hpp"

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

class JointFinder {
 public:
    JointFinder(const Body& body, const Branch& branch, const LimbKind& kind)
        : body_(body), branch_(branch), kind_(kind), path_(limb_path(body, branch)) {
        along_.push_back(0.0f);
        for (std::size_t i = 1; i < path_.size(); ++i)
            along_.push_back(along_.back() + body.distance(path_[i - 1], path_[i]));
        along_.push_back(along_.back() + (body.end(path_.back()) - body.at(path_.back())).norm());
    }

    LimbJoints find() const {
        LimbJoints best;
        best.score = -1e30f;
        std::vector<LimbJoints> all;
        const std::size_t count = path_.size();
        for (std::size_t root = 0; root < std::min<std::size_t>(count, 3); ++root) {
            if (root + 1 == count) all.push_back({root, count, count, score_of_one(root)});
            for (std::size_t lower = root + 1; lower < count; ++lower) {
                for (std::size_t end = lower + 1; end <= count; ++end)
                    all.push_back({root, lower, end, score(root, lower, end)});
            }
        }
        for (const LimbJoints& joints : all) {
            if (joints.score > best.score + 1e-5f) best = joints;
        }
        float second = best.score - 4.0f;
        for (const LimbJoints& joints : all) {
            // On four legs where the foot begins is a matter of convention.
            const bool same = joints.root == best.root && (joints.end == best.end || kind_.of_several_pairs);
            if (!same) second = std::max(second, joints.score);
        }
        best.margin = best.score - second;
        return best;
    }

 private:
    float length_of(std::size_t from, std::size_t to) const { return along_[to] - along_[from]; }
    Vec3 at(std::size_t i) const { return i < path_.size() ? body_.at(path_[i]) : body_.end(path_.back()); }

    // Before the limb's own first joint lie a shoulder, or a piece of the hips.
    float score_of_root(std::size_t root, float upper) const {
        if (begins_with_blade()) return root == 1 ? 1.0f : root == 0 ? -0.5f : -2.0f;
        float score = 0.0f;
        const float own = body_.aside(at(root));
        const float after = body_.aside(at(std::min(root + 1, path_.size())));
        // Half of the distance between the limbs' own joints, as far as it shows farther out.
        float wide = 0.0f;
        for (std::size_t i = root; i < std::min(path_.size(), root + 3); ++i)
            wide = std::max(wide, body_.aside(at(i)));
        // A bone that leads sideways out of the middle is no upper arm and no thigh.
        const bool in_the_middle =
            !body_.lateral.isZero() && wide > 0.02f * body_.size && own < 0.12f * std::max(after, own);
        if (in_the_middle && root + 1 < path_.size() && after > 0.015f * body_.size) score -= 2.0f;
        for (std::size_t i = 0; i < root; ++i) {
            const float length = length_of(i, i + 1);
            const float inward = body_.aside(at(i)) / std::max(body_.aside(at(i + 1)), 1e-9f);
            const Vec3 step = at(i + 1) - at(i);
            const bool sideways =
                step.norm() > 1e-6f && std::abs(step.normalized().dot(body_.lateral)) > 0.7f;
            const float share = length / std::max(upper, 1e-9f);
            if (kind_.leg && !sideways && inward > 0.5f)
                score -= 1.0f;  // it leads on down: a piece of the thigh
            score += std::max(-0.2f, 1.2f - 3.5f * inward) + (sideways ? 0.3f : 0.0f) +
                     std::max(-2.0f, 1.0f - (kind_.leg ? 3.0f : 2.0f) * share);
            if (i > 0) score -= 0.6f;
        }
        return score;
    }

    // A foreleg of many bones that begins as high as the spine begins with the shoulder blade.
    bool begins_with_blade() const {
        if (!kind_.fore || path_.size() < 5 || branch_.holder == k_no_bone) return false;
        return (body_.at(branch_.holder) - at(0)).dot(body_.up) < 0.15f * along_.back();
    }

    float score_of_one(std::size_t root) const {
        float score = score_of_root(root, length_of(root, path_.size())) - (root > 0 ? 0.4f : 0.0f);
        return score + names(root, path_.size(), path_.size());
    }

    float proportion(float a, float b, float usual, float weight) const {
        if (a <= 1e-6f * body_.size || b <= 1e-6f * body_.size) return -3.0f;
        return -weight * std::min(3.0f, std::abs(std::log(a / b / usual)));
    }

    float names(std::size_t root, std::size_t lower, std::size_t end) const {
        const auto part = [&](std::size_t from, std::size_t to, std::initializer_list<Part> parts) {
            if (from >= to || to > path_.size()) return 0.0f;
            return name_fit(body_,
                            {path_.begin() + static_cast<std::ptrdiff_t>(from),
                             path_.begin() + static_cast<std::ptrdiff_t>(to)},
                            parts);
        };
        float score = 0.0f;
        if (kind_.leg) {
            // Forelegs may be named as arms.
            score += part(0, root, {Part::hips, Part::shoulder, Part::spine});
            score += part(root, lower, {Part::thigh, Part::leg, Part::upper_arm, Part::arm});
            score += part(lower, end, {Part::shin, Part::leg, Part::forearm});
            if (end < path_.size()) score += part(end, end + 1, {Part::foot, Part::hand, Part::leg});
            score += part(end + 1, path_.size(), {Part::toes, Part::foot, Part::hand});
        } else {
            score += part(0, root, {Part::shoulder});
            // The joint at which an upper arm begins is called the shoulder as often as the collar bone is.
            score += std::max(part(root, lower, {Part::upper_arm, Part::arm}),
                              0.8f * part(root, lower, {Part::shoulder, Part::upper_arm, Part::arm}));
            score += part(lower, end, {Part::forearm, Part::arm});
            if (end < path_.size()) score += part(end, end + 1, {Part::hand, Part::palm});
            score += part(end + 1, path_.size(),
                          {Part::palm, Part::thumb, Part::index, Part::middle, Part::ring, Part::little});
        }
        return 0.7f * kind_.name_trust * score;
    }

    float score(std::size_t root, std::size_t lower, std::size_t end) const {
        const float upper = length_of(root, lower);
        const float under = length_of(lower, end);
        float score = score_of_root(root, upper) + names(root, lower, end);
        score += proportion(upper, under, 1.0f, kind_.of_several_pairs ? 1.0f : 2.0f);
        // More pieces than one to a part are rarer.
        score -= 0.4f * static_cast<float>(end - root - 2);
        score += kind_.leg ? score_of_foot(end, under) : score_of_hand(root, end, under);
        return score;
    }

    float score_of_hand(std::size_t root, std::size_t end, float forearm) const {
        float score = 0.0f;
        // Digits part at the hand, and nothing that leads on parts before it.
        for (std::size_t i = root; i < std::min(end, path_.size()); ++i) {
            const auto& next = body_.hanging(path_[i]);
            if (next.size() >= 3) score -= 1.5f;
            if (next.size() == 2) score -= 0.7f;
        }
        if (end == path_.size()) {
            return score + (path_.size() >= 3 ? -1.2f : -0.3f);
        }
        const auto& digits = body_.hanging(path_[end]);
        const bool near = std::all_of(digits.begin(), digits.end(), [&](int digit) {
            return body_.distance(path_[end], digit) < 0.8f * forearm;
        });
        if (digits.size() >= 2 && near) score += 1.6f;
        const float hand = body_.reach[static_cast<std::size_t>(path_[end])];
        if (hand > 2.0f * forearm) score -= 1.5f;  // fingers and all, no hand is as long
        return score + proportion(hand, forearm, 0.6f, 0.7f);
    }

    float score_of_foot(std::size_t end, float shin) const {
        if (end == path_.size()) return path_.size() >= 3 ? -1.2f : -0.3f;
        const std::size_t after = path_.size() - 1 - end;
        float score = after <= 1 ? 0.0f : -0.3f * static_cast<float>(after - 1);
        const float foot = length_of(end, path_.size());
        if (kind_.of_several_pairs) return score + proportion(foot, shin, 0.7f, 0.4f);
        // Any joint near the floor is low enough for an ankle; the shin leads down to it, and from it the
        // foot turns forward.
        score += 1.2f * std::clamp(1.0f - body_.height(at(end)) / 0.12f, -1.0f, 0.35f);
        const Vec3 step = at(end + 1) - at(end);
        if (step.norm() > 1e-6f) score += 0.8f * (1.0f + step.normalized().dot(body_.up));
        const Vec3 shin_direction = at(end) - at(end - 1);
        if (shin_direction.norm() > 1e-6f) score -= 1.2f * shin_direction.normalized().dot(body_.up);
        return score + proportion(foot, shin, 0.45f, 0.4f);
    }

    const Body& body_;
    const Branch& branch_;
    LimbKind kind_;
    std::vector<int> path_;
    std::vector<float> along_;
};

}  // namespace

std::vector<int> limb_path(const Body& body, const Branch& branch) {
    std::vector<int> path;
    for (std::size_t i = 0; i < branch.path.size(); ++i) {
        const int bone = branch.path[i];
        const bool last = i + 1 == branch.path.size();
        if (body.name(bone).kind == NameKind::twist && !last) continue;
        // Joints in one place are one joint: the one that moves flesh, else the first.
        if (!path.empty() && body.same_position(bone, path.back())) {
            if (body.has_skin && body.mass_of(path.back()) <= 0.0f) path.back() = bone;
            continue;
        }
        // A bone without flesh within a limb is a control; before it, it may be a shoulder.
        const bool bare = body.has_skin && body.mass_of(bone) <= 0.0f && body.name(bone).part == Part::none;
        if (bare && !path.empty() && !last) continue;
        path.push_back(bone);
    }
    return path;
}

LimbJoints find_joints(const Body& body, const Branch& branch, const LimbKind& kind) {
    return JointFinder(body, branch, kind).find();
}

}  // namespace dendraxis::detail
