// Own method: a bone's children are rigid with it, whatever its axes and however it is turned at rest. So a
// match goes from bone to bone: each one's turn is what lays its children on bones of the other skeleton.
#include "lay_on.hpp"

#include "rigid_fit.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr int k_deepest = 4;  // bones that may stand between two that are parent and child in the other
constexpr float k_deeper_counts = 0.2f;  // a grandchild at the right place, beside a child
constexpr float k_loose = 4.0f;          // times the tolerance, for a first look
constexpr int k_most_tries = 400;        // turns of one bone
constexpr float k_same_axes = 0.02f;     // radians

struct Point {
    int bone;
    Vec3 from;  // the bone it is seen from
    bool is_child;
    int mark = -1;  // which of the bone's own marks it is; -1: a joint
};

void add_points(const Skeleton& skeleton, const std::vector<Transform>& rest, int root, int bone, int depth,
                std::vector<Point>& points) {
    for (const int child : skeleton.children(bone)) {
        const Vec3 from = rest[static_cast<std::size_t>(child)].translation -
                          rest[static_cast<std::size_t>(root)].translation;
        points.push_back({child, from, depth == 1});
        if (depth < k_deepest) add_points(skeleton, rest, root, child, depth + 1, points);
    }
}

void add_marks(std::span<const BoneMark> marks, int bone, const Vec3& head, std::vector<Point>& points) {
    const auto first = std::lower_bound(marks.begin(), marks.end(), bone,
                                        [](const BoneMark& mark, int wanted) { return mark.bone < wanted; });
    for (auto mark = first; mark != marks.end() && mark->bone == bone; ++mark)
        points.push_back({bone, mark->position - head, true, static_cast<int>(mark - first)});
}

class Layer {
 public:
    Layer(const TwoRests& rests, const Seed& seed)
        : rests_(rests),
          seed_(seed),
          scale_(seed.scale),
          tolerance_(k_same_position * std::max(rests.b_size, 1e-9f)),
          turns_(rests.a.size(), Quat::Identity()),
          target_of_(rests.a.size(), k_no_bone),
          source_of_(rests.b.size(), k_no_bone) {}

    Correspondence lay() {
        take(seed_.a, seed_.b, seed_.turn, false);
        climb(seed_.a, seed_.b);
        lay_other_trees();
        lay_moved();
        return tell();
    }

 private:
    Quat& turn(int a) { return turns_[static_cast<std::size_t>(a)]; }
    int& target_of(int a) { return target_of_[static_cast<std::size_t>(a)]; }
    int& source_of(int b) { return source_of_[static_cast<std::size_t>(b)]; }

    // Where a bone of `a` lies if it is rigid with `near`, which is matched with `b`.
    Vec3 expected(int bone, int near, int b) {
        return rests_.at_b(b) + scale_ * (turn(near) * (rests_.at_a(bone) - rests_.at_a(near)));
    }

    // How `a` is turned if both bones have the same axes, as seen from the seed.
    Quat turn_by_axes(int a, int b) const {
        const auto axes = [&](int x, int y) {
            return rests_.b_rest[static_cast<std::size_t>(y)].rotation *
                   rests_.a_rest[static_cast<std::size_t>(x)].rotation.conjugate();
        };
        return (axes(a, b) * axes(seed_.a, seed_.b).conjugate() * seed_turn_).normalized();
    }

    void take(int a, int b, const Quat& above, bool axes_held) {
        target_of(a) = b;
        source_of(b) = a;
        const bool is_seed = a == seed_.a;
        std::vector<Point> mine;
        std::vector<Point> theirs;
        add_points(rests_.a, rests_.a_rest, a, a, 1, mine);
        add_points(rests_.b, rests_.b_rest, b, b, 1, theirs);
        const std::size_t joints = theirs.size();
        add_marks(rests_.b_marks, b, rests_.at_b(b), theirs);
        if (theirs.size() > joints) add_marks(rests_.a_marks, a, rests_.at_a(a), mine);
        turn(a) = find_turn(mine, theirs, above, is_seed ? above : turn_by_axes(a, b), axes_held);
        if (is_seed) seed_turn_ = turn(a);
        const bool held = is_seed ? axes_held : angle_between(turn(a), turn_by_axes(a, b)) < k_same_axes;
        place_children(a, b, a, held);
    }

    // How many of `mine` lie on one of `theirs`, children first.
    float hits(const std::vector<Point>& mine, const std::vector<Point>& theirs, const Quat& turn,
               float tolerance) const {
        float sum = 0.0f;
        for (const Point& point : mine) {
            if (nearest(point, theirs, turn, tolerance) != nullptr)
                sum += point.is_child ? 1.0f : k_deeper_counts;
        }
        return sum;
    }

    const Point* nearest(const Point& point, const std::vector<Point>& theirs, const Quat& turn,
                         float tolerance) const {
        const Vec3 wanted = scale_ * (turn * point.from);
        const Point* best = nullptr;
        float least = tolerance;
        for (const Point& other : theirs) {
            if (other.mark != point.mark) continue;
            const float distance = (other.from - wanted).norm();
            if (distance <= least) least = distance, best = &other;
        }
        return best;
    }

    // The turn that fits best the points that lie on each other already.
    Quat refined(const std::vector<Point>& mine, const std::vector<Point>& theirs, const Quat& turn,
                 float tolerance) const {
        RigidFit fit;
        Vec3 from = Vec3::Zero();
        Vec3 to = Vec3::Zero();
        for (const Point& point : mine) {
            if (!point.is_child || scale_ * point.from.norm() < 2.0f * tolerance_) continue;
            const Point* other = nearest(point, theirs, turn, tolerance);
            if (other == nullptr) continue;
            fit.add(point.from, other->from);
            from += turn * point.from;
            to += other->from;
        }
        if (fit.is_determined()) return fit.rotation();
        return (shortest_arc(from, to) * turn).normalized();
    }

    Quat find_turn(const std::vector<Point>& mine, const std::vector<Point>& theirs, const Quat& above,
                   const Quat& by_axes, bool axes_held) const {
        const auto children = static_cast<float>(
            std::count_if(mine.begin(), mine.end(), [](const Point& point) { return point.is_child; }));
        const Quat first = axes_held ? by_axes : above;
        const Quat second = axes_held ? above : by_axes;
        Quat best = first;
        float most = hits(mine, theirs, first, tolerance_);
        const auto consider = [&](const Quat& turn, float more) {
            const float score = hits(mine, theirs, turn, tolerance_);
            if (score > most + more) most = score, best = turn;
        };
        consider(second, 0.1f);
        if (most < children) consider(refined(mine, theirs, above, k_loose * tolerance_), 0.1f);
        if (most < children) search(mine, theirs, above, consider);
        return refined(mine, theirs, best, tolerance_);
    }

    // Turned so that one child lies on a bone as far away, then about that line so that another does.
    template <class Consider>
    void search(const std::vector<Point>& mine, const std::vector<Point>& theirs, const Quat& above,
                const Consider& consider) const {
        int left = k_most_tries;
        for (const Point& child : mine) {
            if (!child.is_child || scale_ * child.from.norm() < 2.0f * tolerance_) continue;
            for (const Point& other : theirs) {
                if (other.mark != child.mark ||
                    std::abs(other.from.norm() - scale_ * child.from.norm()) > tolerance_)
                    continue;
                const Quat turn = shortest_arc(above * child.from, other.from) * above;
                if (--left < 0) return;
                consider(turn, 0.5f);
                about(mine, theirs, turn, other.from.normalized(), consider, left);
            }
        }
    }

    template <class Consider>
    void about(const std::vector<Point>& mine, const std::vector<Point>& theirs, const Quat& turn,
               const Vec3& axis, const Consider& consider, int& left) const {
        for (const Point& point : mine) {
            const Vec3 from = scale_ * (turn * point.from);
            if (axis.cross(from).norm() < 2.0f * tolerance_) continue;
            for (const Point& other : theirs) {
                if (other.mark != point.mark || std::abs(other.from.norm() - from.norm()) > tolerance_ ||
                    std::abs(axis.dot(other.from - from)) > tolerance_)
                    continue;
                if (--left < 0) return;
                const std::array<Vec3, 1> a{from};
                const std::array<Vec3, 1> b{other.from};
                consider(best_turn_about(axis, a, b) * turn, 0.5f);
            }
        }
    }

    // How ill `b` would answer to `a`, both being at the right place.
    float cost(int a, int b, int between, const Quat& turn, float distance) const {
        const auto i = static_cast<std::size_t>(a);
        const auto k = static_cast<std::size_t>(b);
        const float mine = scale_ * rests_.a_below[i];
        const float theirs = rests_.b_below[k];
        float sum = 0.3f * distance / tolerance_ + 0.5f * static_cast<float>(between);
        sum += 2.0f * std::max(0.0f, std::abs(mine - theirs) - tolerance_) /
               std::max({mine, theirs, tolerance_});
        if (rests_.a.children(a).size() != rests_.b.children(b).size()) sum += 0.3f;
        sum += 2.0f * missing_below(a, b, turn);
        const std::string& name = rests_.a.bone(a).name;
        if (!name.empty() && name == rests_.b.bone(b).name) sum -= 0.5f;
        const Quat axes = rests_.b_rest[k].rotation * rests_.a_rest[i].rotation.conjugate();
        if (angle_between(axes, turn) < k_same_axes) sum -= 0.3f;
        return sum;
    }

    // The share of what lies below `a` that is not where it would be below `b` if nothing there were posed.
    float missing_below(int a, int b, const Quat& turn) const {
        std::vector<Point> mine;
        std::vector<Point> theirs;
        add_points(rests_.a, rests_.a_rest, a, a, 1, mine);
        add_points(rests_.b, rests_.b_rest, b, b, 1, theirs);
        const float found = hits(mine, theirs, turn, tolerance_);
        float all = 0.0f;
        for (const Point& point : mine) all += point.is_child ? 1.0f : k_deeper_counts;
        return all > 0.0f ? 1.0f - found / all : 0.0f;
    }

    void best_below(int a, const Vec3& wanted, const Quat& turn, int b, int between,
                    std::pair<float, int>& best) {
        for (const int child : rests_.b.children(b)) {
            const float distance = (rests_.at_b(child) - wanted).norm();
            if (source_of(child) == k_no_bone && distance <= tolerance_)
                best = std::min(best, {cost(a, child, between, turn, distance), child});
            if (between < k_deepest) best_below(a, wanted, turn, child, between + 1, best);
        }
    }

    // The bones below `from`, which is `a` itself or hangs below it without having been matched.
    void place_children(int a, int b, int from, bool axes_held) {
        for (const int child : rests_.a.children(from)) {
            if (target_of(child) != k_no_bone) continue;
            std::pair<float, int> best{1e30f, k_no_bone};
            best_below(child, expected(child, a, b), turn(a), b, 0, best);
            if (best.second != k_no_bone) {
                take(child, best.second, turn(a), axes_held);
            } else {
                place_children(a, b, child, axes_held);
            }
        }
    }

    void climb(int a, int b) {
        for (int above = rests_.a.parent(a); above != k_no_bone; above = rests_.a.parent(above)) {
            const Vec3 wanted = expected(above, a, b);
            std::pair<float, int> best{1e30f, k_no_bone};
            int between = 0;
            for (int other = rests_.b.parent(b); other != k_no_bone; other = rests_.b.parent(other)) {
                const float distance = (rests_.at_b(other) - wanted).norm();
                if (distance <= tolerance_)
                    best = std::min(best, {cost(above, other, between, turn(a), distance), other});
                ++between;
            }
            if (best.second == k_no_bone) continue;
            take(above, best.second, turn(a), false);
            a = above;
            b = best.second;
        }
    }

    // Trees that hang on nothing that was matched: as rigid with the seed.
    void lay_other_trees() {
        const auto has_match_above = [](const Skeleton& skeleton, int bone, const std::vector<int>& match) {
            for (; bone != k_no_bone; bone = skeleton.parent(bone)) {
                if (match[static_cast<std::size_t>(bone)] != k_no_bone) return true;
            }
            return false;
        };
        for (int a = 0; a < static_cast<int>(rests_.a.size()); ++a) {
            if (has_match_above(rests_.a, a, target_of_)) continue;
            const Vec3 wanted = expected(a, seed_.a, seed_.b);
            std::pair<float, int> best{1e30f, k_no_bone};
            for (int b = 0; b < static_cast<int>(rests_.b.size()); ++b) {
                const float distance = (rests_.at_b(b) - wanted).norm();
                if (distance <= tolerance_ && !has_match_above(rests_.b, b, source_of_))
                    best = std::min(best, {cost(a, b, 0, seed_turn_, distance), b});
            }
            if (best.second != k_no_bone) take(a, best.second, seed_turn_, false);
        }
    }

    // What hangs on one part of the body and was posed with another: a hand below its goal, a foot below the
    // root. Among what hangs where it should, it is what lies rigid with some part and has the same below it.
    void lay_moved() {
        for (int a = 0; a < static_cast<int>(rests_.a.size()); ++a) {
            const int parent = rests_.a.parent(a);
            if (target_of(a) != k_no_bone || (parent != k_no_bone && target_of(parent) == k_no_bone))
                continue;
            const int below = parent == k_no_bone ? k_no_bone : target_of(parent);
            std::pair<float, int> best{1e30f, k_no_bone};
            Quat best_turn = Quat::Identity();
            for (int b = 0; b < static_cast<int>(rests_.b.size()); ++b) {
                if (source_of(b) != k_no_bone || rests_.b.parent(b) != below || !alike_below(a, b)) continue;
                for (int part = 0; part < static_cast<int>(rests_.a.size()); ++part) {
                    if (target_of(part) == k_no_bone) continue;
                    const float distance = (rests_.at_b(b) - expected(a, part, target_of(part))).norm();
                    if (distance > tolerance_) continue;
                    const float its_cost = cost(a, b, 0, turn(part), distance);
                    if (its_cost < best.first) best = {its_cost, b}, best_turn = turn(part);
                }
            }
            if (best.second != k_no_bone) take(a, best.second, best_turn, false);
        }
    }

    bool alike_below(int a, int b) const {
        const float mine = scale_ * rests_.a_below[static_cast<std::size_t>(a)];
        const float theirs = rests_.b_below[static_cast<std::size_t>(b)];
        return std::abs(mine - theirs) <= tolerance_ + 0.01f * std::max(mine, theirs) &&
               rests_.a.children(a).size() == rests_.b.children(b).size();
    }

    // How many bones stand between one that is matched and the next matched one above it.
    static int between(const Skeleton& skeleton, int bone, const std::vector<int>& match) {
        int count = 0;
        for (bone = skeleton.parent(bone); bone != k_no_bone; bone = skeleton.parent(bone)) {
            if (match[static_cast<std::size_t>(bone)] != k_no_bone) return count;
            ++count;
        }
        return 0;
    }

    // A length counts as matched if both its ends are, or if it lies on the way between two that are and the
    // other skeleton has no joint there. Where both have one that is none of the other's, they differ.
    static float coverage(const Skeleton& skeleton, const std::vector<Transform>& rest,
                          const std::vector<int>& match, const Skeleton& other,
                          const std::vector<int>& back) {
        std::vector<char> below(skeleton.size(), 0);  // one of its own is matched, itself included
        float all = 0.0f;
        float covered = 0.0f;
        for (int bone = static_cast<int>(skeleton.size()) - 1; bone >= 0; --bone) {
            const auto i = static_cast<std::size_t>(bone);
            if (match[i] != k_no_bone) {
                const bool both = between(skeleton, bone, match) > 0 && between(other, match[i], back) > 0;
                below[i] = both ? 0 : 1;
            }
            const int parent = skeleton.parent(bone);
            if (parent == k_no_bone) continue;
            const auto p = static_cast<std::size_t>(parent);
            const float length = (rest[i].translation - rest[p].translation).norm();
            all += length;
            if (below[i]) covered += length, below[p] = 1;
        }
        return all > 0.0f ? covered / all : (match.empty() || match[0] == k_no_bone ? 0.0f : 1.0f);
    }

    Correspondence tell() {
        Correspondence result;
        result.answers.resize(rests_.b.size());
        for (std::size_t b = 0; b < source_of_.size(); ++b) {
            if (source_of_[b] != k_no_bone) result.answers[b] = {source_of_[b], turn(source_of_[b])};
        }
        result.scale = fitted_scale();
        result.source_coverage = coverage(rests_.a, rests_.a_rest, target_of_, rests_.b, source_of_);
        result.target_coverage = coverage(rests_.b, rests_.b_rest, source_of_, rests_.a, target_of_);
        return result;
    }

    // All matched lengths together are surer than the first guess; those that were posed to another length
    // are left out.
    float fitted_scale() const {
        double mine = 0.0;
        double theirs = 0.0;
        for (int b = 0; b < static_cast<int>(rests_.b.size()); ++b) {
            const int parent = rests_.b.parent(b);
            if (parent == k_no_bone) continue;
            const int a = source_of_[static_cast<std::size_t>(b)];
            const int above = source_of_[static_cast<std::size_t>(parent)];
            if (a == k_no_bone || above == k_no_bone) continue;
            const float from = (rests_.at_a(a) - rests_.at_a(above)).norm();
            const float to = (rests_.at_b(b) - rests_.at_b(parent)).norm();
            if (std::abs(to - scale_ * from) > tolerance_) continue;
            mine += static_cast<double>(from);
            theirs += static_cast<double>(to);
        }
        return mine > 0.0 ? static_cast<float>(theirs / mine) : scale_;
    }

    const TwoRests& rests_;
    const Seed& seed_;
    float scale_;
    float tolerance_;
    Quat seed_turn_ = Quat::Identity();
    std::vector<Quat> turns_;  // by bones of `a`
    std::vector<int> target_of_;
    std::vector<int> source_of_;
};

}  // namespace

Correspondence lay_on(const TwoRests& rests, const Seed& seed) {
    return Layer(rests, seed).lay();
}

}  // namespace dendraxis::detail
