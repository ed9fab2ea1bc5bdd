// Limbs by symmetry: subtrees of the same shape that hang on the trunk to either side of one plane. Shape is
// compared by bone lengths, which no pose changes; the plane by where the pairs begin.
#include "body.hpp"

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_alike = 0.80f;

std::vector<int> main_path(const Body& body, int bone) {
    std::vector<int> path;
    for (; bone != k_no_bone; bone = body.next(bone)) path.push_back(bone);
    return path;
}

Vec3 end_of(const Body& body, const std::vector<int>& path) {
    return body.tip[static_cast<std::size_t>(path.back())];
}

std::vector<float> segment_lengths(const Body& body, const std::vector<int>& path) {
    std::vector<float> lengths;
    for (std::size_t i = 0; i < path.size(); ++i) {
        const Vec3 to = i + 1 < path.size() ? body.at(path[i + 1]) : end_of(body, path);
        lengths.push_back((to - body.at(path[i])).norm());
    }
    return lengths;
}

std::size_t subtree_size(const Body& body, int bone) {
    std::size_t size = 1;
    for (const int child : body.alive_children(bone)) size += subtree_size(body, child);
    return size;
}

// How alike two subtrees are, 0 to 1, by the lengths along their longest ways and their sizes.
float likeness(const Body& body, int a, int b) {
    const std::vector<int> path_a = main_path(body, a);
    const std::vector<int> path_b = main_path(body, b);
    const std::vector<float> lengths_a = segment_lengths(body, path_a);
    const std::vector<float> lengths_b = segment_lengths(body, path_b);
    float apart = 0.0f;
    float whole = 0.0f;
    for (std::size_t i = 0; i < std::max(lengths_a.size(), lengths_b.size()); ++i) {
        const float x = i < lengths_a.size() ? lengths_a[i] : 0.0f;
        const float y = i < lengths_b.size() ? lengths_b[i] : 0.0f;
        apart += std::abs(x - y);
        whole += std::max(x, y);
    }
    if (whole < 1e-5f * body.size) return 0.0f;
    const auto size_a = static_cast<float>(subtree_size(body, a));
    const auto size_b = static_cast<float>(subtree_size(body, b));
    return (1.0f - apart / whole) * std::pow(std::min(size_a, size_b) / std::max(size_a, size_b), 0.25f);
}

struct Difference {
    Vec3 across;  // from b to a where they first part
    Vec3 middle;
    bool coincide;
};

Difference difference(const Body& body, int a, int b) {
    const std::vector<int> path_a = main_path(body, a);
    const std::vector<int> path_b = main_path(body, b);
    for (std::size_t i = 0; i < std::min(path_a.size(), path_b.size()); ++i) {
        const Vec3 x = body.at(path_a[i]);
        const Vec3 y = body.at(path_b[i]);
        if ((x - y).norm() > 0.012f * body.size) return {x - y, 0.5f * (x + y), false};
    }
    const Vec3 x = end_of(body, path_a);
    const Vec3 y = end_of(body, path_b);
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

// The direction that the heaviest lot of sibling pairs share, snapped to a main axis where it is near one.
void find_lateral(Body& body) {
    std::vector<Candidate> candidates;
    for (int node = k_no_bone; node < static_cast<int>(body.count()); ++node) {
        if (node != k_no_bone && !body.lives(node)) continue;
        const std::vector<int> children = body.alive_children(node);
        for (std::size_t i = 0; i < children.size() && children.size() < 40; ++i) {
            for (std::size_t j = i + 1; j < children.size(); ++j) {
                const float like = likeness(body, children[i], children[j]);
                if (like < k_alike && !sides_agree(body, children[i], children[j])) continue;
                const float weight = body.reach[static_cast<std::size_t>(children[i])] +
                                     body.reach[static_cast<std::size_t>(children[j])];
                candidates.push_back(
                    {children[i], children[j], like, weight, difference(body, children[i], children[j])});
            }
        }
    }
    float best = 0.0f;
    const auto score = [&](const Vec3& axis) {
        float sum = 0.0f;
        for (const Candidate& c : candidates) {
            if (c.difference.coincide) continue;
            const float aligned = std::abs(c.difference.across.normalized().dot(axis));
            if (aligned > 0.96f) sum += c.weight * c.likeness * (sides_agree(body, c.a, c.b) ? 2.0f : 1.0f);
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
    if (best > 0.0f) return;
    // A flat puppet seen from the side: its pairs lie on each other, side to side is through the picture.
    const bool flat_pairs = std::any_of(candidates.begin(), candidates.end(),
                                        [](const Candidate& c) { return c.difference.coincide; });
    if (!flat_pairs) return;
    Eigen::AlignedBox3f box;
    for (std::size_t i = 0; i < body.count(); ++i) {
        if (body.alive[i]) box.extend(body.place[i]);
    }
    int thin = 0;
    box.sizes().minCoeff(&thin);
    body.lateral = Vec3::Unit(thin);
}

class LimbFinder {
 public:
    explicit LimbFinder(Body& body) : body_(body) {}

    void walk(int node) {
        if (node != k_no_bone) body_.trunk.push_back(node);
        std::vector<int> children = body_.alive_children(node);
        for (const auto& [a, b] : pairs_among(children)) {
            const int first = add(a, node);
            const int second = add(b, node);
            body_.limbs[static_cast<std::size_t>(first)].partner = second;
            body_.limbs[static_cast<std::size_t>(second)].partner = first;
            std::erase(children, a);
            std::erase(children, b);
        }
        for (const int child : children) {
            if (is_lone_limb(child)) {
                add(child, node);
            } else {
                walk(child);
            }
        }
    }

 private:
    int add(int root, int holder) {
        Limb limb;
        limb.path = main_path(body_, root);
        limb.holder = holder;
        limb.tip = end_of(body_, limb.path);
        limb.length = body_.reach[static_cast<std::size_t>(root)];
        body_.limbs.push_back(std::move(limb));
        return static_cast<int>(body_.limbs.size()) - 1;
    }

    // Pairs of children that mirror each other, the best first.
    std::vector<std::pair<int, int>> pairs_among(const std::vector<int>& children) const {
        struct Match {
            float score;
            int a, b;
        };
        std::vector<Match> matches;
        for (std::size_t i = 0; i < children.size() && children.size() < 40; ++i) {
            for (std::size_t j = i + 1; j < children.size(); ++j) {
                const float like = likeness(body_, children[i], children[j]);
                const bool said = sides_agree(body_, children[i], children[j]);
                if (like < k_alike && !said) continue;
                const Difference d = difference(body_, children[i], children[j]);
                const float aligned = d.coincide ? 0.9f : std::abs(d.across.normalized().dot(body_.lateral));
                if (aligned < 0.8f && !said) continue;
                matches.push_back(
                    {like * aligned * aligned + (said ? 1.0f : 0.0f), children[i], children[j]});
            }
        }
        std::stable_sort(matches.begin(), matches.end(),
                         [](const Match& x, const Match& y) { return x.score > y.score; });
        std::vector<std::pair<int, int>> result;
        std::vector<int> used;
        for (const Match& match : matches) {
            if (std::find(used.begin(), used.end(), match.a) != used.end() ||
                std::find(used.begin(), used.end(), match.b) != used.end())
                continue;
            used.insert(used.end(), {match.a, match.b});
            result.emplace_back(match.a, match.b);
        }
        return result;
    }

    // A limb whose other side is missing or too different: it leads far to one side, or its name has a side.
    bool is_lone_limb(int bone) const {
        const NameReading& said = body_.name(bone);
        if (said.side != Side::none && said.part >= Part::shoulder && said.part <= Part::toes) return true;
        if (body_.lateral.isZero() || body_.trunk.empty()) return false;
        if (subtree_has_pairs(bone)) return false;
        const std::vector<int> path = main_path(body_, bone);
        const float sideways =
            std::abs(body_.lateral.dot(end_of(body_, path) - body_.at(body_.trunk.front())));
        return sideways > 0.45f * std::max(body_.reach[static_cast<std::size_t>(bone)], 0.1f * body_.size);
    }

    bool subtree_has_pairs(int bone) const {
        const std::vector<int> children = body_.alive_children(bone);
        if (!pairs_among(children).empty()) return true;
        return std::any_of(children.begin(), children.end(),
                           [&](int child) { return subtree_has_pairs(child); });
    }

    Body& body_;
};

}  // namespace

void find_limbs(Body& body) {
    find_lateral(body);
    LimbFinder(body).walk(k_no_bone);
    std::sort(body.trunk.begin(), body.trunk.end());
}

}  // namespace dendraxis
