#include "digits.hpp"

#include "charter.hpp"

#include <algorithm>
#include <array>

namespace dendraxis::detail {
namespace {

using Bones = std::vector<int>;

const std::array<std::pair<Part, const char*>, 5> k_fingers{{{Part::thumb, "thumb"},
                                                             {Part::index, "index"},
                                                             {Part::middle, "middle"},
                                                             {Part::ring, "ring"},
                                                             {Part::little, "little"}}};
constexpr std::size_t k_usual_joints = 3;

Bones row_from(const Body& body, int root) {
    Bones bones;
    for (int bone = root; bone != k_no_bone; bone = body.main_child(bone)) {
        // Joints in one place are one joint: the one that moves flesh, else the last.
        if (!bones.empty() && body.same_position(bones.back(), bone) &&
            (!body.has_skin || body.mass_of(bones.back()) <= 0.0f))
            bones.pop_back();
        bones.push_back(bone);
    }
    return bones;
}

// Palm bones are no part of a finger; without flesh or a name a fourth bone ends it.
void trim(const Body& body, int hand, Bones& bones, Part part) {
    const auto length = [&](std::size_t i) { return body.distance(bones[i], bones[i + 1]); };
    while (bones.size() > 1 &&
           (body.name(bones.front()).part == Part::palm || body.name(bones.front()).kind == NameKind::palm) &&
           part != Part::thumb)
        bones.erase(bones.begin());
    if (bones.size() <= k_usual_joints) return;
    // A palm bone begins at the wrist, a finger at the knuckles.
    if (part != Part::thumb && body.distance(hand, bones[0]) < 0.5f * length(0)) {
        bones.erase(bones.begin());
        return;
    }
    const bool tip_said =
        body.name(bones.back()).part == part && body.name(bones.back()).kind == NameKind::plain;
    const bool ended = body.tip_known[static_cast<std::size_t>(bones.back())] != 0;
    if (!body.has_skin && !tip_said && !ended) bones.pop_back();
    if (bones.size() > k_usual_joints && part != Part::thumb && length(0) > 1.15f * length(1))
        bones.erase(bones.begin());
}

class DigitSorter {
 public:
    DigitSorter(const Body& body, int hand, std::vector<Digit> digits)
        : body_(body), hand_(hand), digits_(std::move(digits)) {}

    std::map<std::string, Bones> sort(float& sureness) {
        std::map<std::string, Bones> result;
        sureness = 1.0f;
        if (digits_.empty()) return result;
        if (digits_.size() == 1) {
            result["middle"] = digits_.front().bones;
            return result;
        }
        const std::size_t thumb = find_thumb(sureness);
        Vec3 from = Vec3(body_.at(hand_) + body_.facing * body_.size);
        if (thumb < digits_.size()) {
            from = middle_of(digits_[thumb]);
            result["thumb"] = digits_[thumb].bones;
            digits_.erase(digits_.begin() + static_cast<std::ptrdiff_t>(thumb));
        }
        put_in_row(from);
        static const std::array<std::vector<const char*>, 5> k_orders{
            {{},
             {"middle"},
             {"index", "middle"},
             {"index", "middle", "ring"},
             {"index", "middle", "ring", "little"}}};
        const auto& order = k_orders[std::min<std::size_t>(digits_.size(), 4)];
        for (std::size_t i = 0; i < digits_.size() && i < order.size(); ++i)
            result[order[i]] = digits_[i].bones;
        return result;
    }

 private:
    // Where it leaves the palm: behind a palm bone.
    Vec3 root(const Digit& digit) const {
        return body_.at(digit.bones[digit.bones.size() > k_usual_joints ? 1 : 0]);
    }
    Vec3 middle_of(const Digit& digit) const { return 0.5f * (root(digit) + body_.end(digit.bones.back())); }
    Vec3 direction(const Digit& digit) const {
        const Vec3 along = body_.end(digit.bones.back()) - root(digit);
        return along.norm() > 1e-9f ? Vec3(along.normalized()) : Vec3(Vec3::Zero());
    }
    float length(const Digit& digit) const {
        float sum = (body_.end(digit.bones.back()) - body_.at(digit.bones.back())).norm();
        for (std::size_t i = 1; i < digit.bones.size(); ++i)
            sum += body_.distance(digit.bones[i - 1], digit.bones[i]);
        return sum;
    }

    // Points off from the others, leaves near the wrist, is short, and stands at one side of the row.
    std::size_t find_thumb(float& sureness) const {
        float longest = 1e-9f;
        float far = 1e-9f;
        for (const Digit& digit : digits_) {
            longest = std::max(longest, length(digit));
            far = std::max(far, (root(digit) - body_.at(hand_)).norm());
        }
        std::vector<float> scores;
        for (std::size_t i = 0; i < digits_.size(); ++i) {
            Vec3 others = Vec3::Zero();
            for (std::size_t j = 0; j < digits_.size(); ++j) {
                if (j != i) others += direction(digits_[j]);
            }
            const float apart =
                others.norm() > 1e-9f ? 1.0f - direction(digits_[i]).dot(others.normalized()) : 0.0f;
            const float near = 1.0f - (root(digits_[i]) - body_.at(hand_)).norm() / far;
            const float small = 1.0f - length(digits_[i]) / longest;
            scores.push_back(apart + 1.2f * near + 0.4f * small);
        }
        const auto best =
            static_cast<std::size_t>(std::max_element(scores.begin(), scores.end()) - scores.begin());
        float second = -1e9f;
        for (std::size_t i = 0; i < scores.size(); ++i) {
            if (i != best) second = std::max(second, scores[i]);
        }
        sureness = std::clamp((scores[best] - second) / 0.4f, 0.0f, 1.0f);
        return scores[best] > 0.25f ? best : digits_.size();
    }

    // Along the line across the palm that the roots lie on, beginning at the thumb.
    void put_in_row(const Vec3& from) {
        if (digits_.size() < 2) return;
        Vec3 across = Vec3::Zero();
        Vec3 middle = Vec3::Zero();
        Vec3 along = Vec3::Zero();
        for (const Digit& digit : digits_) {
            middle += middle_of(digit) / static_cast<float>(digits_.size());
            along += direction(digit);
        }
        for (const Digit& a : digits_) {
            for (const Digit& b : digits_) {
                const Vec3 apart = middle_of(a) - middle_of(b);
                if (apart.norm() > across.norm()) across = apart;
            }
        }
        if (along.norm() > 1e-9f) across -= along.normalized() * along.normalized().dot(across);
        if ((from - middle).dot(across) < 0.0f) across = -across;
        std::stable_sort(digits_.begin(), digits_.end(), [&](const Digit& a, const Digit& b) {
            return middle_of(a).dot(across) > middle_of(b).dot(across);
        });
    }

    const Body& body_;
    int hand_;
    std::vector<Digit> digits_;
};

}  // namespace

std::vector<Digit> digits_of(const Body& body, int hand) {
    std::vector<Digit> digits;
    for (const int child : body.hanging(hand)) {
        const auto& next = body.hanging(child);
        if (next.size() >= 2 && body.name(child).part != Part::thumb) {
            for (const int grandchild : next) digits.push_back({row_from(body, grandchild), grandchild});
        } else {
            digits.push_back({row_from(body, child), child});
        }
    }
    // A held thing is no digit: a lone bone among rows, longer or (without skin) with no end of its own, or
    // anything far longer than the others.
    const auto length = [&](const Digit& digit) {
        float sum = (body.end(digit.bones.back()) - body.at(digit.bones.back())).norm();
        for (std::size_t i = 1; i < digit.bones.size(); ++i)
            sum += body.distance(digit.bones[i - 1], digit.bones[i]);
        return sum;
    };
    if (digits.size() < 2) return digits;
    std::vector<float> lengths;
    std::size_t rows = 0;
    for (const Digit& digit : digits) {
        lengths.push_back(length(digit));
        rows += digit.bones.size() >= 2 ? 1 : 0;
    }
    std::nth_element(lengths.begin(), lengths.begin() + static_cast<std::ptrdiff_t>((lengths.size() - 1) / 2),
                     lengths.end());
    const float usual = lengths[(lengths.size() - 1) / 2];
    std::erase_if(digits, [&](const Digit& digit) {
        const bool lone = digit.bones.size() == 1 && 2 * rows > digits.size();
        const int bone = digit.bones.front();
        const bool bare = !body.has_skin && body.tip_known[static_cast<std::size_t>(bone)] == 0 &&
                          body.name(bone).part == Part::none;
        return length(digit) > 2.5f * usual || (lone && (bare || length(digit) > 1.3f * usual));
    });
    return digits;
}

std::map<std::string, std::vector<int>> digits_by_shape(const Body& body, int hand, std::vector<Digit> digits,
                                                        float& sureness) {
    return DigitSorter(body, hand, std::move(digits)).sort(sureness);
}

void chart_digits(Charter& charter, int hand, Side side, float confidence) {
    const Body& body = charter.body;
    std::map<std::string, Bones> found;
    std::vector<Digit> unnamed;
    for (const Digit& digit : digits_of(body, hand)) {
        const char* name = nullptr;
        for (const auto& [part, finger] : k_fingers) {
            if (charter.name_trust > 0.3f &&
                (body.name(digit.root).part == part || name_fit(body, digit.bones, {part}) > 0.3f))
                name = finger;
        }
        if (name != nullptr && !found.contains(name))
            found[name] = digit.bones;
        else
            unnamed.push_back(digit);
    }
    const bool by_names = !found.empty();
    float sureness = 1.0f;
    // Digits without names take the places that the named ones leave.
    const std::map<std::string, Bones> shaped =
        digits_by_shape(body, hand, by_names ? digits_of(body, hand) : unnamed, sureness);
    const auto is_found = [&](const Bones& bones) {
        return std::any_of(found.begin(), found.end(),
                           [&](const auto& entry) { return entry.second == bones; });
    };
    std::vector<Bones> left;
    for (const auto& [finger, bones] : shaped) {
        if (is_found(bones)) continue;
        if (!found.contains(finger))
            found[finger] = bones;
        else
            left.push_back(bones);
    }
    for (const Bones& bones : left) {
        for (const auto& [part, finger] : k_fingers) {
            if (found.contains(finger)) continue;
            found[finger] = bones;
            break;
        }
    }
    for (const auto& [part, finger] : k_fingers) {
        if (!found.contains(finger)) continue;
        Bones bones = found[finger];
        trim(body, hand, bones, part);
        const float sure = by_names ? confidence : confidence * (0.75f + 0.25f * sureness);
        charter.add(std::string(finger) + "." + std::string(to_string(side)), bones, sure,
                    {"a digit of the hand"});
    }
}

void chart_stray_digits(Charter& charter, const Branch& branch, float confidence) {
    const Body& body = charter.body;
    for (const auto& [part, finger] : k_fingers) {
        const std::string name = std::string(finger) + "." + std::string(to_string(branch.side));
        if (charter.chart.find(name) != nullptr) continue;
        for (const int bone : branch.bones) {
            if (body.name(bone).part != part || charter.charted(bone)) continue;
            Bones bones = row_from(body, bone);
            trim(body, body.hangs_on(bone), bones, part);
            charter.add(name, bones, 0.8f * confidence, {"it hangs elsewhere than on the hand"});
            break;
        }
    }
}

}  // namespace dendraxis::detail
