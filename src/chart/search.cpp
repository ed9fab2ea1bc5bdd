// Own method: beam search over the roles of paired branches. Every term of the score is evidence that can be
// pointed at; none decides alone, and names are one of them.
#include "pair_facts.hpp"

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr std::size_t k_beam = 48;
constexpr float k_benefit = 2.0f;  // words: one or two that contradict the shape may as well be right

class Reader {
 public:
    Reader(Body& body, const Weights& weights, float trust, const Vec3& up)
        : body_(body), weights_(weights), trust_(trust) {
        stand_up(body, up);
        pairs_ = measure_pairs(body, weights, trust);
        for (const PairFacts& pair : pairs_) radial_mass_ += pair.radial ? pair.mass : 0.0f;
        measure_trunk();
    }

    std::vector<Reading> readings(float prior) const {
        std::vector<std::vector<Role>> beam{{}};
        std::vector<std::size_t> order;
        for (std::size_t p = 0; p < pairs_.size(); ++p) {
            if (pairs_[p].leg > -1.5f || pairs_[p].arm > -1.5f) order.push_back(p);
        }
        std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
            return pairs_[a].mass * pairs_[a].length > pairs_[b].mass * pairs_[b].length;
        });
        for (std::size_t i = 0; i < order.size(); ++i) {
            std::vector<std::pair<float, std::vector<Role>>> next;
            for (const auto& roles : beam) {
                for (const Role role : {Role::loose, Role::leg, Role::arm}) {
                    std::vector<Role> more = roles;
                    more.push_back(role);
                    const float score = body_score(more, order);
                    if (score > -0.5f * k_never) next.emplace_back(score, std::move(more));
                }
            }
            std::stable_sort(next.begin(), next.end(),
                             [](const auto& a, const auto& b) { return a.first > b.first; });
            if (next.size() > k_beam) next.resize(k_beam);
            beam.clear();
            for (auto& [score, roles] : next) beam.push_back(std::move(roles));
        }
        std::vector<Reading> result;
        for (const auto& roles : beam) {
            const float score = body_score(roles, order) + prior;
            add_heads(reading(roles, order), score, result);
        }
        return result;
    }

    /// The terms of the pair that a branch belongs to.
    std::vector<RoleTerm> terms_of_branch(int branch) const {
        for (const PairFacts& pair : pairs_) {
            if (pair.first == branch || pair.second == branch) return terms_of(body_, weights_, trust_, pair);
        }
        return {};
    }

 private:
    // The trunk lies in the plane that its branches mirror each other in.
    void measure_trunk() {
        float sum = 0.0f;
        float mass = 1e-20f;
        for (const int bone : body_.trunk) {
            sum += body_.mass_of(bone) * body_.aside(body_.at(bone));
            mass += body_.mass_of(bone);
        }
        // Nothing that lives is so flat as a body that lies on its back.
        flat_ =
            weights_.flat *
            std::clamp(((body_.high - body_.low) / std::max(body_.size, 1e-9f) - 0.35f) / 0.15f, -1.0f, 0.0f);
        trunk_aside_ = 10.0f * std::max(0.0f, sum / mass / std::max(body_.size, 1e-9f) - 0.03f);
    }

    int holder(const PairFacts& pair) const {
        return body_.branches[static_cast<std::size_t>(pair.first)].holder;
    }

    // Along the ground from one point to another, of the body's height.
    float level_distance(const Vec3& a, const Vec3& b) const {
        Vec3 d = a - b;
        d -= body_.up * body_.up.dot(d);
        d -= body_.lateral * body_.lateral.dot(d);
        return d.norm() / std::max(body_.high - body_.low, 1e-9f);
    }

    // The score of roles for the first pairs of `order`; far below all others where they contradict each
    // other.
    float body_score(const std::vector<Role>& roles, const std::vector<std::size_t>& order) const {
        float score = 0.0f;
        std::vector<const PairFacts*> legs;
        const PairFacts* arms = nullptr;
        for (std::size_t i = 0; i < roles.size(); ++i) {
            const PairFacts& pair = pairs_[order[i]];
            if (roles[i] == Role::loose) continue;
            if (roles[i] == Role::leg) {
                score += pair.leg;
                legs.push_back(&pair);
            } else {
                if (arms != nullptr) return -k_never;
                score += pair.arm;
                arms = &pair;
            }
        }
        for (std::size_t i = 0; i < legs.size(); ++i) {
            float nearest = 1.0f;
            for (std::size_t j = 0; j < i; ++j)
                nearest = std::min(nearest,
                                   clamped((level_distance(legs[i]->start, legs[j]->start) - 0.15f) / 0.15f));
            if (i > 0) score += weights_.apart * (nearest - 0.5f);
        }
        // Of two pairs of legs the forelegs may be named as arms.
        if (legs.size() == 2 && arms == nullptr) score += std::max(legs[0]->fore, legs[1]->fore);
        if (arms != nullptr && !legs.empty()) {
            const float rise = arms->start_height - legs.front()->start_height;
            score += weights_.order * clamped(rise / 0.12f);
            if (holder(*arms) != holder(*legs.front())) score += 0.3f;
        }
        if (arms != nullptr && legs.size() > 1) score -= 1.5f;
        if (legs.size() > 3) score -= 2.0f * static_cast<float>(legs.size() - 3);
        if (arms != nullptr && legs.empty()) score -= 1.0f;
        if (arms == nullptr && legs.size() == 1) score -= 1.0f;
        // A body of arms all around is read as none.
        return score - 8.0f * radial_mass_ - trunk_aside_ + flat_;
    }

    Reading reading(const std::vector<Role>& roles, const std::vector<std::size_t>& order) const {
        Reading result;
        result.up = body_.up;
        result.roles.assign(body_.branches.size(), Role::loose);
        std::vector<const PairFacts*> legs;
        for (std::size_t i = 0; i < roles.size(); ++i) {
            const PairFacts& pair = pairs_[order[i]];
            result.roles[static_cast<std::size_t>(pair.first)] = roles[i];
            if (pair.second != -1) result.roles[static_cast<std::size_t>(pair.second)] = roles[i];
            if (roles[i] == Role::leg) legs.push_back(&pair);
            if (roles[i] == Role::arm) result.arms = pair.first;
        }
        for (const PairFacts* leg : legs) result.legs.push_back(leg->first);
        return result;
    }

    // Every end of the trunk may be where the head is; with several pairs of legs that also tells the hind
    // ones.
    void add_heads(const Reading& base, float score, std::vector<Reading>& result) const {
        const std::vector<int> ends = trunk_ends(body_);
        for (const int end : ends) {
            Reading reading = base;
            reading.head_end = end;
            place_holders(reading);
            reading.score = score + head_score(reading);
            result.push_back(std::move(reading));
        }
        Reading headless = base;
        place_holders(headless);
        headless.score = score - 0.3f;
        result.push_back(std::move(headless));
    }

    // The hind legs are those farthest from the head along the trunk, then over the ground.
    void place_holders(Reading& reading) const {
        const auto holder_of = [&](int branch) {
            return body_.branches[static_cast<std::size_t>(branch)].holder;
        };
        if (reading.legs.size() > 1) {
            const Vec3 head = reading.head_end == k_no_bone ? Vec3(body_.at(body_.trunk.front()))
                                                            : body_.end(reading.head_end);
            const auto far = [&](int branch) {
                return level_distance(
                    head, body_.at(body_.branches[static_cast<std::size_t>(branch)].path.front()));
            };
            std::stable_sort(reading.legs.begin(), reading.legs.end(),
                             [&](int a, int b) { return far(a) > far(b); });
        }
        if (!reading.legs.empty()) reading.hind = holder_of(reading.legs.front());
        if (reading.arms != -1)
            reading.fore = holder_of(reading.arms);
        else if (reading.legs.size() > 1)
            reading.fore = holder_of(reading.legs.back());
        if (reading.hind == k_no_bone) reading.hind = reading.fore;
    }

    int depth(int bone) const {
        int steps = 0;
        for (; bone != k_no_bone; bone = body_.hangs_on(bone)) ++steps;
        return steps;
    }

    float head_score(const Reading& reading) const {
        const int end = reading.head_end;
        const int from = reading.fore != k_no_bone ? reading.fore : reading.hind;
        if (from == k_no_bone || end == from || end == reading.hind) return -2.0f;
        const std::vector<int> path = path_between(body_, from, end);
        if (path.size() < 2) return -2.0f;
        float score = 0.0f;
        // Seen from the hind legs the head lies beyond the arms or forelegs.
        if (reading.hind != from) {
            const std::vector<int> whole = path_between(body_, reading.hind, end);
            const bool beyond = std::find(whole.begin(), whole.end(), from) != whole.end();
            score += weights_.order * (beyond ? 1.0f : -1.0f);
        }
        float heaviest = 0.0f;
        float round = 0.0f;
        int skull = end;
        std::vector<int> own(path.begin() + 1, path.end());
        for (const int bone : own) {
            if (body_.mass_of(bone) <= heaviest) continue;
            heaviest = body_.mass_of(bone);
            skull = bone;
            round = body_.roundness[static_cast<std::size_t>(bone)];
        }
        const float share = heaviest / std::max(body_.whole_mass, 1e-20f);
        if (body_.has_skin)
            score += weights_.head * (std::min(1.0f, share / 0.06f) - 0.4f) +
                     weights_.head * clamped((round - 0.4f) / 0.25f);
        for (const Branch& branch : body_.branches) {
            const bool here = std::find(own.begin(), own.end(), branch.holder) != own.end();
            if (here && branch.partner != -1 && branch.length < 0.2f * body_.size) {
                score += body_.has_skin ? 0.5f : 1.0f;
                break;
            }
        }
        const Vec3 tip = body_.end(end);
        const int starts = reading.arms != -1 ? reading.arms : reading.legs.back();
        const Vec3 start = body_.at(body_.branches[static_cast<std::size_t>(starts)].path.front());
        const Vec3 top = body_.has_skin ? body_.middle[static_cast<std::size_t>(skull)] : tip;
        const float rise = body_.height(top) - body_.height(start);
        // Tails are rows of many bones; necks seldom are.
        const float row = body_.has_skin ? 0.15f : 0.3f;  // without skin little else tells them apart
        score -= row * std::max(0.0f, static_cast<float>(own.size()) - 4.0f);
        score += weights_.order * clamped(rise / 0.12f) * (reading.arms != -1 ? 1.5f : 0.4f);
        if (reading.arms == -1 && reading.legs.size() > 1) {
            // On four legs the head leads away from the hind legs.
            const Vec3 hind =
                body_.at(body_.branches[static_cast<std::size_t>(reading.legs.front())].path.front());
            Vec3 forward = start - hind;
            forward -= body_.up * body_.up.dot(forward);
            forward -= body_.lateral * body_.lateral.dot(forward);
            if (depth(reading.hind) < depth(reading.fore))
                score += 0.5f;  // trees begin at the pelvis more often
            if (forward.norm() > 1e-6f)
                score +=
                    weights_.order * clamped((tip - start).dot(forward.normalized()) / (0.1f * body_.size));
        }
        float said = 0.0f;
        for (const int bone : own) {
            const Part part = body_.name(bone).part;
            if (part == Part::head) said = std::max(said, 1.0f);
            if (part == Part::neck) said = std::max(said, 0.6f);
            if (part == Part::tail && said == 0.0f) said = -0.6f;
        }
        score += weights_.names * trust_ * said;
        return score;
    }

    Body& body_;
    Weights weights_;
    float trust_;
    std::vector<PairFacts> pairs_;
    float radial_mass_ = 0.0f;
    float trunk_aside_ = 0.0f;
    float flat_ = 0.0f;
};

}  // namespace

std::vector<int> path_between(const Body& body, int from, int to) {
    std::vector<int> up_from{from};
    while (body.hangs_on(up_from.back()) != k_no_bone) up_from.push_back(body.hangs_on(up_from.back()));
    std::vector<int> up_to{to};
    while (body.hangs_on(up_to.back()) != k_no_bone) up_to.push_back(body.hangs_on(up_to.back()));
    if (up_from.back() != up_to.back()) return {};
    while (up_from.size() > 1 && up_to.size() > 1 && up_from[up_from.size() - 2] == up_to[up_to.size() - 2]) {
        up_from.pop_back();
        up_to.pop_back();
    }
    up_to.pop_back();
    up_from.insert(up_from.end(), up_to.rbegin(), up_to.rend());
    return up_from;
}

std::vector<int> trunk_ends(const Body& body) {
    std::vector<int> ends;
    for (const int bone : body.trunk) {
        const auto& next = body.hanging(bone);
        const auto on =
            std::count_if(next.begin(), next.end(), [&](int child) { return body.in_trunk(child); });
        if (on == 0 || (body.hangs_on(bone) == k_no_bone && on == 1)) ends.push_back(bone);
    }
    return ends;
}

float trust_in_names(const Body& body, const Reading& reading) {
    float with = 0.0f;
    float against = 0.0f;
    for (std::size_t i = 0; i < body.branches.size(); ++i) {
        for (const int bone : body.branches[i].bones) {
            const Part part = body.name(bone).part;
            const bool arm = part >= Part::shoulder && part <= Part::little;
            const bool leg = part >= Part::leg && part <= Part::toes;
            if (!arm && !leg) continue;
            const bool agrees = reading.roles[i] == Role::leg ? leg || (reading.legs.size() > 1 && arm)
                                                              : reading.roles[i] == Role::arm && arm;
            (agrees ? with : against) += 1.0f;
        }
    }
    with += k_benefit;
    return std::clamp(1.6f * with / (with + against) - 0.3f, 0.1f, 1.0f);
}

std::vector<RoleTerm> role_terms(Body& body, const Weights& weights, float name_trust, const Vec3& up,
                                 int branch) {
    return Reader(body, weights, name_trust, up).terms_of_branch(branch);
}

std::vector<Reading> read_body(Body& body, const Weights& weights, float name_trust, std::size_t most) {
    std::vector<Reading> all;
    if (body.branches.empty()) return all;
    for (const Vec3& up : up_directions(body)) {
        const float prior = up.y() > 0.9f ? 1.0f : up.z() > 0.9f ? 0.7f : 0.0f;
        const std::vector<Reading> found = Reader(body, weights, name_trust, up).readings(prior);
        all.insert(all.end(), found.begin(), found.end());
    }
    std::stable_sort(all.begin(), all.end(),
                     [](const Reading& a, const Reading& b) { return a.score > b.score; });
    if (all.size() > most) all.resize(most);
    return all;
}

}  // namespace dendraxis::detail
