// Branches by symmetry: what hangs on the trunk to either side of one plane and begins alike. Beginnings are
// compared by bone lengths, which no pose changes, and only as far as both sides go: a sword in one hand or a
// cape on one shoulder costs neither arm.
#include "body.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr float k_alike = 0.72f;
constexpr std::size_t k_most_siblings = 40;
constexpr float k_thin = 0.03f;           // of its largest extent, of a flat figure
constexpr float k_like_direction = 0.5f;  // cosine
constexpr std::size_t k_limb = 3;         // joints of a limb
constexpr float k_named = 4.0f;           // times farther leads what is named as part of a limb

float ratio(float a, float b) {
    return std::max(a, b) > 0.0f ? std::min(a, b) / std::max(a, b) : 1.0f;
}

struct Twins {
    std::vector<int> a;  // paths that run alike, from the trunk outward
    std::vector<int> b;
    float likeness = 0.0f;
};

class TwinFinder {
 public:
    explicit TwinFinder(const Body& body) : body_(body) {}

    Twins compare(int a, int b) const {
        Twins twins{{a}, {b}, 0.0f};
        float apart = 0.0f;
        float whole = 0.0f;
        const auto add = [&](float x, float y, float weight) {
            apart += weight * std::abs(x - y);
            whole += weight * std::max(x, y);
        };
        const int above_a = body_.hangs_on(a);
        const int above_b = body_.hangs_on(b);
        if (above_a != k_no_bone && above_b != k_no_bone)
            add(body_.distance(a, above_a), body_.distance(b, above_b), 1.0f);
        while (true) {
            const auto [next_a, next_b] = next(twins.a.back(), twins.b.back());
            if (next_a == k_no_bone) break;
            add(body_.distance(twins.a.back(), next_a), body_.distance(twins.b.back(), next_b), 1.0f);
            twins.a.push_back(next_a);
            twins.b.push_back(next_b);
        }
        // Where both end here, so do their tips; flesh of a held thing may make one the longer.
        const int last_a = twins.a.back();
        const int last_b = twins.b.back();
        if (body_.hanging(last_a).empty() && body_.hanging(last_b).empty())
            add((body_.end(last_a) - body_.at(last_a)).norm(), (body_.end(last_b) - body_.at(last_b)).norm(),
                0.5f);
        const float longer = std::max(total(a), total(b));
        if (whole < 1e-5f * body_.size || longer <= 0.0f) return twins;
        const float covered = std::min(1.0f, (whole + 0.02f * body_.size) / longer);
        const float bulk = ratio(static_cast<float>(hanging_from(body_, a).size()),
                                 static_cast<float>(hanging_from(body_, b).size()));
        const float flesh = ratio(body_.mass_below[static_cast<std::size_t>(a)],
                                  body_.mass_below[static_cast<std::size_t>(b)]);
        // If the joints of a whole limb are alike to a few percent, what hangs beyond them counts little.
        const float alike = 1.0f - apart / whole;
        const float beyond =
            twins.a.size() < k_limb ? 1.0f : 1.0f - 0.7f * std::clamp((alike - 0.92f) / 0.06f, 0.0f, 1.0f);
        twins.likeness = alike * std::pow(covered, 0.25f * beyond) * std::pow(bulk * flesh, 0.1f * beyond);
        return twins;
    }

 private:
    float total(int bone) const {
        const int above = body_.hangs_on(bone);
        return body_.reach[static_cast<std::size_t>(bone)] +
               (above == k_no_bone ? 0.0f : body_.distance(bone, above));
    }

    bool is_digit(int bone) const {
        return body_.name(bone).part >= Part::palm && body_.name(bone).part <= Part::little;
    }

    bool is_limb(int bone) const {
        const Part part = body_.name(bone).part;
        return (part >= Part::arm && part <= Part::hand) || (part >= Part::leg && part <= Part::toes);
    }

    // Of the bones that go on from both, the two that are most alike and lead farthest.
    std::pair<int, int> next(int a, int b) const {
        std::pair<int, int> best{k_no_bone, k_no_bone};
        float most = 0.0f;
        const int main_a = body_.main_child(a);
        const int main_b = body_.main_child(b);
        for (const int x : body_.hanging(a)) {
            for (const int y : body_.hanging(b)) {
                const float rx = body_.distance(a, x) + body_.reach[static_cast<std::size_t>(x)];
                const float ry = body_.distance(b, y) + body_.reach[static_cast<std::size_t>(y)];
                const float alike = ratio(body_.distance(a, x) + 0.01f * body_.size,
                                          body_.distance(b, y) + 0.01f * body_.size);
                const bool both_end = body_.hanging(x).empty() && body_.hanging(y).empty();
                const bool one_ends = body_.hanging(x).empty() != body_.hanging(y).empty();
                if (alike < 0.6f || ratio(rx, ry) < 0.15f) continue;
                float score = std::min(rx, ry) * alike * ratio(rx, ry);
                if (both_end) score *= 0.5f;
                if (one_ends) score *= 0.6f;
                if (x == main_a && y == main_b) score *= 1.05f;
                if (is_digit(x) && is_digit(y)) score *= 0.5f;
                // Sleeves and pads may lead farther than the hand that they cover.
                if (is_limb(x) && is_limb(y)) score *= k_named;
                if (score > most * 1.0001f) {
                    most = score;
                    best = {x, y};
                }
            }
        }
        return best;
    }

    const Body& body_;
};

struct Difference {
    Vec3 across;  // from b to a where they first part
    Vec3 middle;
    bool coincide;
};

// The box of all living joints.
Eigen::AlignedBox3f box_of(const Body& body) {
    Eigen::AlignedBox3f box;
    for (std::size_t i = 0; i < body.count(); ++i) {
        if (body.alive[i]) box.extend(body.position[i]);
    }
    return box;
}

// The thin axis of a flat figure.
Vec3 thin_axis(const Body& body) {
    int thin = 0;
    box_of(body).sizes().minCoeff(&thin);
    return Vec3::Unit(thin);
}

bool is_flat(const Body& body) {
    const Vec3 sizes = box_of(body).sizes();
    return sizes.minCoeff() < k_thin * sizes.maxCoeff();
}

// Of a flat figure: limbs that hang on one point, one of them behind the other, are turned freely.
bool lie_on_each_other(const Body& body, const Twins& twins) {
    if ((body.at(twins.a.front()) - body.at(twins.b.front())).norm() > 0.012f * body.size) return false;
    const Vec3 a = body.end(twins.a.back()) - body.at(twins.a.front());
    const Vec3 b = body.end(twins.b.back()) - body.at(twins.b.front());
    return a.dot(b) > k_like_direction * a.norm() * b.norm();
}

Difference difference(const Body& body, const Twins& twins, bool flat) {
    if (flat && lie_on_each_other(body, twins)) return {Vec3::Zero(), body.at(twins.a.front()), true};
    for (std::size_t i = 0; i < twins.a.size(); ++i) {
        const Vec3 x = body.at(twins.a[i]);
        const Vec3 y = body.at(twins.b[i]);
        if ((x - y).norm() > 0.012f * body.size) return {x - y, 0.5f * (x + y), false};
    }
    const Vec3 x = body.end(twins.a.back());
    const Vec3 y = body.end(twins.b.back());
    return {x - y, 0.5f * (x + y), (x - y).norm() < 0.012f * body.size};
}

bool sides_agree(const Body& body, int a, int b) {
    const NameReading& x = body.name(a);
    const NameReading& y = body.name(b);
    return x.side != Side::none && y.side != Side::none && x.side != y.side && x.part == y.part;
}

struct Candidate {
    int a;
    int b;
    float likeness;
    float weight;
    Difference difference;
};

std::vector<Candidate> sibling_pairs(const Body& body) {
    const TwinFinder finder(body);
    const bool flat = is_flat(body);
    std::vector<Candidate> candidates;
    for (int node = k_no_bone; node < static_cast<int>(body.count()); ++node) {
        if (node != k_no_bone && !body.lives(node)) continue;
        const std::vector<int>& children = body.hanging(node);
        if (children.size() > k_most_siblings) continue;
        for (std::size_t i = 0; i < children.size(); ++i) {
            for (std::size_t j = i + 1; j < children.size(); ++j) {
                const Twins twins = finder.compare(children[i], children[j]);
                if (twins.likeness < (sides_agree(body, children[i], children[j]) ? 0.5f : k_alike)) continue;
                const float weight = body.reach[static_cast<std::size_t>(children[i])] +
                                     body.reach[static_cast<std::size_t>(children[j])];
                candidates.push_back(
                    {children[i], children[j], twins.likeness, weight, difference(body, twins, flat)});
            }
        }
    }
    return candidates;
}

// The direction that the heaviest lot of sibling pairs share; an axis of the file where it is near one.
void find_lateral(Body& body) {
    const std::vector<Candidate> candidates = sibling_pairs(body);
    float best = 0.0f;
    const auto score = [&](const Vec3& axis) {
        float sum = 0.0f;
        for (const Candidate& c : candidates) {
            if (c.difference.coincide) continue;
            const float aligned = std::abs(c.difference.across.normalized().dot(axis));
            if (aligned > 0.96f)
                sum += c.weight * c.likeness * c.likeness * (sides_agree(body, c.a, c.b) ? 2.0f : 1.0f);
        }
        return sum;
    };
    const auto propose = [&](const Vec3& axis, float bonus) {
        const float s = score(axis) * bonus;
        if (s > best * 1.001f) {
            best = s;
            body.lateral = axis;
        }
    };
    for (int axis = 0; axis < 3; ++axis) propose(Vec3::Unit(axis), 1.05f);
    for (const Candidate& c : candidates) {
        if (!c.difference.coincide) propose(c.difference.across.normalized(), 1.0f);
    }
    // Pairs that lie on each other: it is seen from the side.
    if (best == 0.0f && std::any_of(candidates.begin(), candidates.end(),
                                    [](const Candidate& c) { return c.difference.coincide; }))
        body.lateral = thin_axis(body);
    float weight = 0.0f;
    float sum = 0.0f;
    for (const Candidate& c : candidates) {
        if (std::abs(c.difference.across.normalized().dot(body.lateral)) < 0.96f) continue;
        weight += c.weight;
        sum += c.weight * body.lateral.dot(c.difference.middle);
    }
    if (weight > 0.0f) body.middle_plane = sum / weight;
}

class BranchFinder {
 public:
    explicit BranchFinder(Body& body) : body_(body), twins_(body), is_flat_(is_flat(body)) {}

    void walk(int node) {
        if (node != k_no_bone) body_.trunk.push_back(node);
        std::vector<int> children = body_.hanging(node);
        for (const Twins& pair : pairs_among(children)) {
            const int first = add(pair.a, node);
            const int second = add(pair.b, node);
            body_.branches[static_cast<std::size_t>(first)].partner = second;
            body_.branches[static_cast<std::size_t>(second)].partner = first;
            std::erase(children, pair.a.front());
            std::erase(children, pair.b.front());
        }
        for (const int child : children) {
            if (is_lone_branch(child)) {
                std::vector<int> path{child};
                for (int bone = body_.main_child(child); bone != k_no_bone; bone = body_.main_child(bone))
                    path.push_back(bone);
                add(path, node);
            } else {
                walk(child);
            }
        }
    }

 private:
    int add(const std::vector<int>& path, int holder) {
        Branch branch;
        branch.path = path;
        branch.bones = hanging_from(body_, path.front());
        branch.holder = holder;
        branch.tip = body_.end(path.back());
        branch.length = body_.reach[static_cast<std::size_t>(path.front())];
        branch.mass = body_.mass_below[static_cast<std::size_t>(path.front())];
        body_.branches.push_back(std::move(branch));
        return static_cast<int>(body_.branches.size()) - 1;
    }

    // Pairs of children that mirror each other, the best first.
    std::vector<Twins> pairs_among(const std::vector<int>& children) const {
        std::vector<std::pair<float, Twins>> matches;
        for (std::size_t i = 0; i < children.size() && children.size() < k_most_siblings; ++i) {
            for (std::size_t j = i + 1; j < children.size(); ++j) {
                Twins twins = twins_.compare(children[i], children[j]);
                const bool said = sides_agree(body_, children[i], children[j]);
                if (twins.likeness < (said ? 0.45f : k_alike)) continue;
                const Difference d = difference(body_, twins, is_flat_);
                const float aligned = d.coincide ? 0.9f : std::abs(d.across.normalized().dot(body_.lateral));
                if (aligned < (said ? 0.5f : 0.8f)) continue;
                const float score = twins.likeness * aligned * aligned + (said ? 0.5f : 0.0f);
                matches.emplace_back(score, std::move(twins));
            }
        }
        std::stable_sort(matches.begin(), matches.end(),
                         [](const auto& x, const auto& y) { return x.first > y.first; });
        std::vector<Twins> result;
        std::vector<int> used;
        for (auto& [score, twins] : matches) {
            const auto is_used = [&](int bone) {
                return std::find(used.begin(), used.end(), bone) != used.end();
            };
            if (is_used(twins.a.front()) || is_used(twins.b.front())) continue;
            used.insert(used.end(), {twins.a.front(), twins.b.front()});
            result.push_back(std::move(twins));
        }
        return result;
    }

    // A branch whose other side is missing or too different: it leads far to one side.
    bool is_lone_branch(int bone) const {
        if (body_.lateral.isZero() || body_.trunk.empty() || has_pairs_below(bone)) return false;
        int last = bone;
        while (body_.main_child(last) != k_no_bone) last = body_.main_child(last);
        const float sideways = body_.aside(body_.end(last));
        const float length = body_.reach[static_cast<std::size_t>(bone)];
        return sideways > 0.45f * std::max(length, 0.1f * body_.size);
    }

    bool has_pairs_below(int bone) const {
        const std::vector<int>& children = body_.hanging(bone);
        if (!pairs_among(children).empty()) return true;
        return std::any_of(children.begin(), children.end(),
                           [&](int child) { return has_pairs_below(child); });
    }

    Body& body_;
    TwinFinder twins_;
    bool is_flat_;
};

}  // namespace

void find_branches(Body& body) {
    find_lateral(body);
    BranchFinder(body).walk(k_no_bone);
}

}  // namespace dendraxis::detail
