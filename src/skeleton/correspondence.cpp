// Own method: votes for the ratio of lengths, then for the pair of bones that lays most of one skeleton on
// the other, then growth from there.
#include "lay_on.hpp"

#include <dendraxis/base/rotation.hpp>

#include <algorithm>
#include <cmath>
#include <map>
#include <unordered_set>

namespace dendraxis {
namespace detail {
namespace {

constexpr std::size_t k_most_lengths = 200;
constexpr std::size_t k_most_scales = 6;
constexpr std::size_t k_most_starts = 16;
constexpr std::size_t k_most_looks = 60;  // bones that a first look asks for
constexpr float k_promising = 0.2f;       // of them must lie near one of the other skeleton
constexpr float k_scale_step = 0.01f;     // of a ratio
constexpr float k_rough = 0.008f;         // of the skeleton's size, for a first look
constexpr std::size_t k_fewest = 5;       // bones that tell a build
constexpr std::size_t k_most_seeds = 4;   // ways to lay one on the other that are followed, of one scale
constexpr float k_other_turn = 0.02f;     // radians

std::vector<float> long_bones(const Skeleton& skeleton, const std::vector<Transform>& rest, float size) {
    std::vector<float> lengths;
    for (int bone = 0; bone < static_cast<int>(skeleton.size()); ++bone) {
        const int parent = skeleton.parent(bone);
        if (parent == k_no_bone) continue;
        const float length = (rest[static_cast<std::size_t>(bone)].translation -
                              rest[static_cast<std::size_t>(parent)].translation)
                                 .norm();
        if (length > 0.01f * size) lengths.push_back(length);
    }
    std::sort(lengths.rbegin(), lengths.rend());
    if (lengths.size() > k_most_lengths) lengths.resize(k_most_lengths);
    return lengths;
}

// The ratios that most pairs of lengths have, the most voted for first.
std::vector<float> likely_scales(const TwoRests& rests) {
    if (!(rests.a_size > 0.0f && rests.b_size > 0.0f)) return {1.0f};
    const std::vector<float> mine = long_bones(rests.a, rests.a_rest, rests.a_size);
    const std::vector<float> theirs = long_bones(rests.b, rests.b_rest, rests.b_size);
    std::map<int, std::pair<float, float>> votes;  // weight, and sum of weighted logarithms
    for (const float a : mine) {
        for (const float b : theirs) {
            const float weight = std::min(a / rests.a_size, b / rests.b_size);
            const float logarithm = std::log(b / a);
            for (const int bin : {static_cast<int>(std::floor(logarithm / k_scale_step)),
                                  static_cast<int>(std::floor(logarithm / k_scale_step)) + 1}) {
                auto& [sum, mean] = votes[bin];
                sum += weight;
                mean += weight * logarithm;
            }
        }
    }
    std::vector<std::pair<float, float>> sorted;
    for (const auto& [bin, vote] : votes) sorted.push_back(vote);
    std::sort(sorted.rbegin(), sorted.rend());
    // Where most bones are cut in two, no ratio has many votes.
    std::vector<float> scales{rests.b_size / rests.a_size};
    for (const auto& [sum, mean] : sorted) {
        const float scale = std::exp(mean / sum);
        const bool known = std::any_of(scales.begin(), scales.end(), [scale](float other) {
            return std::abs(std::log(scale / other)) < k_scale_step;
        });
        if (!known) scales.push_back(scale);
        if (scales.size() == k_most_scales) break;
    }
    return scales;
}

// The cells of space that lie near a bone of `b`: for a first look one of its neighbors will do.
class Cells {
 public:
    Cells(const TwoRests& rests, float reach) : reach_(std::max(reach, 1e-9f)) {
        for (int b = 0; b < static_cast<int>(rests.b.size()); ++b) {
            const Eigen::Vector3i middle = cell(rests.at_b(b));
            for (int i = 0; i < 27; ++i)
                near_.insert(key(middle + Eigen::Vector3i(i % 3 - 1, i / 3 % 3 - 1, i / 9 - 1)));
        }
    }

    bool has_near(const Vec3& position) const { return near_.contains(key(cell(position))); }

 private:
    Eigen::Vector3i cell(const Vec3& position) const {
        const Vec3 scaled = (position / reach_).cwiseMax(-1e8f).cwiseMin(1e8f);
        return scaled.array().floor().matrix().cast<int>();
    }
    static std::size_t key(const Eigen::Vector3i& cell) {
        std::size_t hash = 0;
        for (int i = 0; i < 3; ++i)
            hash = hash * 1000003u + static_cast<std::size_t>(static_cast<unsigned>(cell[i]));
        return hash;
    }

    float reach_;
    std::unordered_set<std::size_t> near_;
};

// The bones that most hangs on: where a match is best begun.
std::vector<int> starts(const TwoRests& rests) {
    std::vector<int> bones(rests.a.size());
    for (std::size_t i = 0; i < bones.size(); ++i) bones[i] = static_cast<int>(i);
    const auto weight = [&](int bone) {
        return static_cast<float>(rests.a.children(bone).size() > 1 ? 2 : 1) *
               rests.a_below[static_cast<std::size_t>(bone)];
    };
    std::stable_sort(bones.begin(), bones.end(), [&](int x, int y) { return weight(x) > weight(y); });
    if (bones.size() > k_most_starts) bones.resize(k_most_starts);
    return bones;
}

class SeedFinder {
 public:
    explicit SeedFinder(const TwoRests& rests)
        : rests_(rests), cells_(rests, k_rough * rests.b_size), starts_(starts(rests)) {}

    // The best pairs of bones if the whole is turned by `turn`, the best first.
    std::vector<Seed> best(const Quat& turn, float scale) const {
        std::vector<Seed> best;
        for (const int a : starts_) {
            for (int b = 0; b < static_cast<int>(rests_.b.size()); ++b)
                keep({a, b, turn, scale, score(a, b, turn, scale)}, best);
        }
        return best;
    }

    // Over all turns that lay two children of a bone on two below a bone of the other.
    std::vector<Seed> best_of_all(float scale) const {
        std::vector<Seed> best;
        const float close = k_same_position * rests_.b_size;
        for (const int a : starts_) {
            const auto mine = rests_.a.children(a);
            if (mine.size() < 2) continue;
            for (int b = 0; b < static_cast<int>(rests_.b.size()); ++b) {
                const auto theirs = rests_.b.children(b);
                for_pairs(mine, theirs, [&](int a1, int b1, int a2, int b2) {
                    const Vec3 from1 = scale * (rests_.at_a(a1) - rests_.at_a(a));
                    const Vec3 from2 = scale * (rests_.at_a(a2) - rests_.at_a(a));
                    const Vec3 to1 = rests_.at_b(b1) - rests_.at_b(b);
                    const Vec3 to2 = rests_.at_b(b2) - rests_.at_b(b);
                    if (std::abs(from1.norm() - to1.norm()) > close ||
                        std::abs(from2.norm() - to2.norm()) > close ||
                        std::abs((from1 - from2).norm() - (to1 - to2).norm()) > close ||
                        from1.cross(from2).norm() < 4.0f * close * close)
                        return;
                    const Quat turn = frame(to1, to2) * frame(from1, from2).conjugate();
                    keep({a, b, turn, scale, score(a, b, turn, scale)}, best);
                });
            }
        }
        return best;
    }

 private:
    // Of seeds that lay the whole at one place the best, and of different ones a few: a body that was posed
    // otherwise may lie best on itself when shifted by one bone.
    void keep(const Seed& seed, std::vector<Seed>& best) const {
        if (best.size() == k_most_seeds && seed.score <= best.back().score) return;
        const auto origin = [&](const Seed& s) {
            return Vec3(rests_.at_b(s.b) - s.scale * (s.turn * rests_.at_a(s.a)));
        };
        const auto same = std::find_if(best.begin(), best.end(), [&](const Seed& other) {
            return (origin(other) - origin(seed)).norm() < k_rough * rests_.b_size &&
                   angle_between(other.turn, seed.turn) < k_other_turn;
        });
        if (same != best.end()) {
            if (seed.score <= same->score) return;
            best.erase(same);
        }
        const auto after = std::find_if(best.begin(), best.end(),
                                        [&](const Seed& other) { return other.score < seed.score; });
        best.insert(after, seed);
        if (best.size() > k_most_seeds) best.pop_back();
    }

    template <class Visit>
    static void for_pairs(std::span<const int> mine, std::span<const int> theirs, const Visit& visit) {
        for (std::size_t i = 0; i + 1 < mine.size(); ++i) {
            for (const int b1 : theirs) {
                for (const int b2 : theirs) {
                    if (b1 != b2) visit(mine[i], b1, mine[i + 1], b2);
                }
            }
        }
    }

    static Quat frame(const Vec3& x, const Vec3& y) {
        Eigen::Matrix3f axes;
        axes.col(0) = x.normalized();
        axes.col(2) = x.cross(y).normalized();
        axes.col(1) = axes.col(2).cross(axes.col(0));
        return Quat(axes);
    }

    float score(int a, int b, const Quat& turn, float scale) const {
        float hits = 0.0f;
        const Eigen::Matrix3f axes = scale * turn.toRotationMatrix();
        for (std::size_t other = 0; other < rests_.a.size(); other += look_step_) {
            const Vec3 position =
                rests_.at_b(b) + axes * (rests_.at_a(static_cast<int>(other)) - rests_.at_a(a));
            if (cells_.has_near(position)) hits += static_cast<float>(look_step_);
        }
        // Of equals the one that most hangs on and whose trees are alike, then the one of the same name.
        const float mine = scale * rests_.a_below[static_cast<std::size_t>(a)];
        const float theirs = rests_.b_below[static_cast<std::size_t>(b)];
        hits -= 0.5f * std::abs(mine - theirs) / std::max({mine, theirs, 1e-9f});
        if (rests_.a.children(a).size() == rests_.b.children(b).size()) hits += 0.25f;
        hits += 0.5f * mine / (scale * rests_.a_length);
        const std::string& name = rests_.a.bone(a).name;
        if (!name.empty() && name == rests_.b.bone(b).name) hits += 0.25f;
        return hits;
    }

    const TwoRests& rests_;
    Cells cells_;
    std::vector<int> starts_;
    std::size_t look_step_ = 1 + rests_.a.size() / k_most_looks;
};

}  // namespace
}  // namespace detail

std::size_t Correspondence::matched() const noexcept {
    return static_cast<std::size_t>(std::count_if(
        answers.begin(), answers.end(), [](const BoneAnswer& answer) { return answer.source != k_no_bone; }));
}

bool Correspondence::is_same_build() const noexcept {
    constexpr float k_nearly_all = 0.9f;
    constexpr float k_good_part = 0.4f;
    return matched() >= detail::k_fewest && std::max(source_coverage, target_coverage) >= k_nearly_all &&
           std::min(source_coverage, target_coverage) >= k_good_part;
}

int Correspondence::target_of(int source) const noexcept {
    const auto found = std::find_if(answers.begin(), answers.end(),
                                    [source](const BoneAnswer& answer) { return answer.source == source; });
    return found == answers.end() || source == k_no_bone ? k_no_bone
                                                         : static_cast<int>(found - answers.begin());
}

Correspondence correspond(const Skeleton& source, const Skeleton& target, const Quat& hint,
                          std::span<const BoneMark> source_marks, std::span<const BoneMark> target_marks) {
    Correspondence best;
    best.answers.resize(target.size());
    if (source.empty() || target.empty()) return best;
    const detail::TwoRests rests(source, target, source_marks, target_marks);
    const detail::SeedFinder finder(rests);
    const std::vector<float> scales = detail::likely_scales(rests);
    const float least = detail::k_promising * static_cast<float>(std::min(source.size(), target.size()));
    const auto consider = [&](const detail::Seed& seed) {
        if (seed.a == k_no_bone || seed.score < least) return;
        Correspondence laid = detail::lay_on(rests, seed);
        if (laid.matched() > best.matched()) best = std::move(laid);
    };
    for (const float scale : scales) {
        for (const detail::Seed& seed : finder.best(hint, scale)) {
            consider(seed);
            if (best.is_same_build()) return best;
        }
    }
    for (const float scale : scales) {
        for (const detail::Seed& seed : finder.best_of_all(scale)) {
            consider(seed);
            if (best.is_same_build()) return best;
        }
    }
    return best;
}

}  // namespace dendraxis
