// Own method: lengths and heights of paired branches, what they carry, and how they move in the clips.
#include "pair_facts.hpp"

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr std::size_t k_radial = 6;  // so many like branches on one bone are no legs and no arms

std::size_t most_digits(const Body& body, const Branch& branch) {
    std::size_t most = 1;
    for (const int bone : branch.path) most = std::max(most, body.hanging(bone).size());
    return most;
}

class PairMeter {
 public:
    explicit PairMeter(const Body& body) : body_(body) {
        for (std::size_t i = 0; i < body.branches.size(); ++i) {
            const int partner = body.branches[i].partner;
            if (partner == -1 || static_cast<std::size_t>(partner) > i)
                pairs_.push_back(measure(static_cast<int>(i), partner));
        }
        mark_radial();
    }

    std::vector<PairFacts> take() { return std::move(pairs_); }

 private:
    PairFacts measure(int first, int second) const {
        PairFacts pair;
        pair.first = first;
        pair.second = second;
        const Branch& branch = body_.branches[static_cast<std::size_t>(first)];
        pair.lowest = 1e30f;
        for (const int side : {first, second}) {
            if (side != -1)
                pair.down += down(body_.branches[static_cast<std::size_t>(side)], pair.lowest) /
                             (second == -1 ? 1.0f : 2.0f);
        }
        pair.start = body_.at(branch.path.front());
        pair.mass = branch.mass;
        pair.contact = contact(first);
        pair.digits = most_digits(body_, branch);
        if (second != -1) {
            const Branch& other = body_.branches[static_cast<std::size_t>(second)];
            pair.start = 0.5f * (pair.start + body_.at(other.path.front()));
            pair.mass += other.mass;
            pair.digits = std::max(pair.digits, most_digits(body_, other));
        }
        pair.mass /= std::max(body_.whole_mass, 1e-20f);
        pair.start_height = body_.height(pair.start);
        pair.length = branch.length / std::max(body_.high - body_.low, 1e-9f);
        return pair;
    }

    // How much a branch leads down to its lowest point.
    float down(const Branch& branch, float& lowest) const {
        float own = 1e30f;
        Vec3 low = branch.tip;
        for (const int bone : branch.bones) {
            for (const Vec3& point : {body_.at(bone), body_.end(bone)}) {
                if (body_.height(point) >= own) continue;
                own = body_.height(point);
                low = point;
            }
        }
        lowest = std::min(lowest, own);
        const Vec3 direction = low - body_.at(branch.path.front());
        return direction.norm() > 1e-9f ? -direction.normalized().dot(body_.up) : 0.0f;
    }

    // In the clips: how often the branch's end is, of all paired ones, nearest the floor.
    float contact(int first) const {
        const Branch& branch = body_.branches[static_cast<std::size_t>(first)];
        if (body_.watched.size() < 8 || branch.partner == -1) return 0.0f;
        std::size_t lowest = 0;
        for (const std::vector<Vec3>& positions : body_.watched) {
            const auto height = [&](const Branch& b) {
                return positions[static_cast<std::size_t>(b.path.back())].dot(body_.up);
            };
            const float own =
                std::min(height(branch), height(body_.branches[static_cast<std::size_t>(branch.partner)]));
            const bool first_down =
                std::all_of(body_.branches.begin(), body_.branches.end(), [&](const Branch& other) {
                    return other.partner == -1 || height(other) > own - 0.06f * body_.size;
                });
            lowest += first_down ? 1 : 0;
        }
        return static_cast<float>(lowest) / static_cast<float>(body_.watched.size());
    }

    // Tentacles, spiders' legs, petals: many like pairs around one bone.
    void mark_radial() {
        const auto holder = [&](const PairFacts& p) {
            return body_.branches[static_cast<std::size_t>(p.first)].holder;
        };
        const auto alike = [&](const PairFacts& a, const PairFacts& b) {
            const auto bones = [&](const PairFacts& p) {
                return body_.branches[static_cast<std::size_t>(p.first)].path.size();
            };
            return bones(a) == bones(b) && a.length > 0.8f * b.length && b.length > 0.8f * a.length;
        };
        for (PairFacts& pair : pairs_) {
            std::size_t like = 0;
            for (const PairFacts& other : pairs_) {
                if (holder(other) == holder(pair) && alike(pair, other)) like += other.second == -1 ? 1 : 2;
            }
            pair.radial = like >= k_radial;
        }
    }

    const Body& body_;
    std::vector<PairFacts> pairs_;
};

std::vector<int> bones_of(const Body& body, const PairFacts& pair) {
    std::vector<int> bones = body.branches[static_cast<std::size_t>(pair.first)].bones;
    if (pair.second != -1) {
        const auto& more = body.branches[static_cast<std::size_t>(pair.second)].bones;
        bones.insert(bones.end(), more.begin(), more.end());
    }
    return bones;
}

float nearness_to_floor(const PairFacts& pair) {
    return clamped(1.0f - pair.lowest / 0.12f);
}

float fit_to_arm(const Body& body, const std::vector<int>& bones) {
    return name_fit(body, bones,
                    {Part::shoulder, Part::arm, Part::upper_arm, Part::forearm, Part::hand, Part::palm,
                     Part::thumb, Part::index, Part::middle, Part::ring, Part::little});
}

}  // namespace

std::vector<RoleTerm> terms_of(const Body& body, const Weights& w, float name_trust, const PairFacts& pair) {
    const std::vector<int> bones = bones_of(body, pair);
    const float on_floor = nearness_to_floor(pair);
    const float leg_names =
        name_fit(body, bones, {Part::leg, Part::thigh, Part::shin, Part::foot, Part::toes});
    const float arm_names = fit_to_arm(body, bones);
    const float wing_names = std::max(0.0f, name_fit(body, bones, {Part::wing}) - 0.3f) / 0.7f;
    // Forelegs are named as arms or as legs.
    const float fore_names = on_floor > 0.0f ? std::max(0.0f, arm_names - std::max(leg_names, 0.0f)) : 0.0f;
    const float names = w.names * name_trust;
    const float alone = pair.second == -1 ? -1.0f : 0.0f;
    const auto short_by = [&](float least) {
        return -w.length * std::clamp(1.0f - pair.length / least, 0.0f, 1.0f);
    };
    return {
        {on_floor > 0.0f ? "its end comes down to the floor" : "its end hangs over the floor",
         w.floor * on_floor, -0.6f * w.floor * std::max(on_floor, 0.0f)},
        {pair.down > 0.0f ? "it leads down" : "it does not lead down", w.hang * pair.down, 0.0f},
        {"in the clips it is what touches the floor", w.motion * (pair.contact > 0.9f ? 1.0f : 0.0f), 0.0f},
        {pair.start_height > 0.45f ? "it begins in the upper half of the body"
                                   : "it begins in the lower half",
         0.0f, 0.4f + w.level * clamped((pair.start_height - 0.45f) / 0.2f)},
        {"it ends in several digits", 0.0f, w.digits * (pair.digits >= 2 ? 1.0f : 0.0f)},
        {"it is short", short_by(0.18f), short_by(0.2f)},
        {"names of its bones", names * (leg_names + fore_names), names * (arm_names - 2.0f * wing_names)},
        {"no other branch mirrors it", alone, alone},
        {"many branches like it surround one bone", pair.radial ? -k_never : 0.0f,
         pair.radial ? -k_never : 0.0f}};
}

std::vector<PairFacts> measure_pairs(const Body& body, const Weights& weights, float name_trust) {
    std::vector<PairFacts> pairs = PairMeter(body).take();
    for (PairFacts& pair : pairs) {
        for (const RoleTerm& term : terms_of(body, weights, name_trust, pair)) {
            pair.leg += term.leg;
            pair.arm += term.arm;
        }
        pair.fore = weights.names * name_trust * std::max(0.0f, nearness_to_floor(pair)) *
                    std::max(0.0f, fit_to_arm(body, bones_of(body, pair)));
    }
    return pairs;
}

}  // namespace dendraxis::detail
