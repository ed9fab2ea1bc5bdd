// Where each bone hangs in the body. A file's hierarchy serves its rig: hands hang below their goals, feet
// below the root, fingers in a row below a node beside the hand. Where a bone shares no skin with what it
// hangs on in the file, and another bone's flesh leads to it and shares its skin, it hangs on that one in the
// body.
#include "join_parts.hpp"

#include <dendraxis/geometry/segment.hpp>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace dendraxis::detail {
namespace {

constexpr float k_much_skin_shared = 0.3f;
constexpr float k_far_less = 0.15f;  // shared with the parent, of what is shared with the better one
constexpr std::size_t k_crowd = 300;
constexpr std::size_t k_flat = 10;  // so many bones side by side are no body's hips and limbs
constexpr std::size_t k_heap = 5;  // a node without flesh that so many parts hang on holds a heap, not a body

class Hanger {
 public:
    explicit Hanger(Body& body) : body_(body), flesh_below_(body.count(), 0) {}

    void run() {
        const int count = static_cast<int>(body_.count());
        body_.above.resize(body_.count());
        if (body_.has_skin) find_flat_top();
        for (int bone = 0; bone < count; ++bone) body_.above[index(bone)] = file_parent(bone);
        if (body_.has_skin) {
            for (int bone = count - 1; bone >= 0; --bone) {
                if (fleshy(bone)) flesh_below_[index(bone)] = 1;
                const int parent = file_parent(bone);
                if (parent != k_no_bone && flesh_below_[index(bone)]) flesh_below_[index(parent)] = 1;
            }
            find_main_root();
            for (int bone = 0; bone < count; ++bone) {
                if (fleshy(bone)) hang_by_skin(bone);
            }
        }
        tell_helpers();
        join_parts(body_);
        if (is_flat()) hang_on_middle(body_);
        list();
        measure();
    }

 private:
    static std::size_t index(int bone) { return static_cast<std::size_t>(bone); }
    bool fleshy(int bone) const { return body_.mass_of(bone) > 0.0f; }

    // A node without flesh on which nearly all bones hang side by side says nothing of the body: they count
    // as roots of their own.
    void find_flat_top() {
        const int count = static_cast<int>(body_.count());
        std::vector<std::size_t> fleshy_on(body_.count(), 0);
        std::size_t all = 0;
        for (int bone = 0; bone < count; ++bone) {
            if (!fleshy(bone)) continue;
            ++all;
            if (body_.skeleton.parent(bone) != k_no_bone) ++fleshy_on[index(body_.skeleton.parent(bone))];
        }
        for (int bone = 0; bone < count; ++bone) {
            const bool holds_nearly_all = 4 * fleshy_on[index(bone)] >= 3 * all;
            if (!fleshy(bone) && holds_nearly_all && fleshy_on[index(bone)] >= k_flat) flat_top_ = bone;
        }
    }

    int file_parent(int bone) const {
        const int parent = body_.skeleton.parent(bone);
        return parent == flat_top_ ? k_no_bone : parent;
    }

    // Whether the file hangs next to nothing on each other.
    bool is_flat() const {
        std::size_t roots = 0;
        for (int bone = 0; bone < static_cast<int>(body_.count()); ++bone)
            roots += fleshy(bone) && file_parent(bone) == k_no_bone ? 1 : 0;
        return roots >= k_flat;
    }

    int top_of(int bone) const {
        while (file_parent(bone) != k_no_bone) bone = file_parent(bone);
        return bone;
    }

    // The tree of the file that moves the most skin.
    void find_main_root() {
        std::vector<float> weight(body_.count(), 0.0f);
        for (int bone = 0; bone < static_cast<int>(body_.count()); ++bone)
            weight[index(top_of(bone))] += body_.mass_of(bone);
        main_root_ = static_cast<int>(std::max_element(weight.begin(), weight.end()) - weight.begin());
    }

    std::size_t parts_on(int bone) const {
        const auto children = body_.skeleton.children(bone);
        return static_cast<std::size_t>(std::count_if(
            children.begin(), children.end(), [&](int child) { return flesh_below_[index(child)] != 0; }));
    }

    // The first bone above that is part of a body: one with flesh, or one where several parts meet.
    int holder_in_file(int bone) const {
        int above = file_parent(bone);
        while (above != k_no_bone && !fleshy(above) && parts_on(above) < 2) above = file_parent(above);
        return above;
    }

    // Whether the flesh of `bone` ends where `next` begins; of what shares much skin the rough direction will
    // do.
    bool leads_to(int bone, int next) const {
        const Vec3 along = body_.end(bone) - body_.at(bone);
        const float length = along.norm();
        if (length < 0.005f * body_.size) return false;
        const Vec3 to = body_.at(next) - body_.at(bone);
        if (body_.shared_share(bone, next) > k_much_skin_shared && to.norm() > 0.005f * body_.size)
            return to.dot(along) > 0.5f * to.norm() * length;
        const float t = to.dot(along) / (length * length);
        return t > 0.6f && t < 1.5f && (to - t * along).norm() < 0.35f * length;
    }

    // Whether `bone` points away from `other`, as what hangs on it would.
    bool points_away(int bone, int other) const {
        const Vec3 own = body_.end(bone) - body_.at(bone);
        const Vec3 from = body_.at(bone) - body_.at(other);
        return own.norm() > 1e-9f && from.norm() > 0.01f * body_.size &&
               own.normalized().dot(from.normalized()) > 0.5f;
    }

    // A sibling on the way from the bone that both hang on spreads twist; among the many bones of a hand's
    // fingers it is the finger itself.
    bool lies_between(int sibling, int holder, int bone) const {
        if (file_parent(sibling) != holder || file_parent(bone) != holder || parts_on(holder) > 3)
            return false;
        const Vec3 line = body_.at(bone) - body_.at(holder);
        const Vec3 to = body_.at(sibling) - body_.at(holder);
        const float t = line.dot(to) / std::max(line.squaredNorm(), 1e-20f);
        return t > 0.0f && t < 1.0f && (to - t * line).norm() < 0.1f * line.norm();
    }

    // Whether `other` shares much skin with `bone` (or any, where its holder shares none), and by far more
    // than any bone that does not hang on `bone`.
    bool shares_most_with(int bone, int other, float present) const {
        const float share = body_.shared_share(bone, other);
        if (share < (present < 0.005f ? 0.06f : k_much_skin_shared)) return false;
        const auto& touching = body_.touching[index(bone)];
        return std::none_of(touching.begin(), touching.end(), [&](const auto& entry) {
            const int third = entry.first;
            return third != other && !body_.skeleton.is_above(bone, third) &&
                   body_.shared_share(bone, third) > 0.3f * share;
        });
    }

    void hang_by_skin(int bone) {
        const int holder = holder_in_file(bone);
        if (holder == k_no_bone && top_of(bone) == main_root_) return;
        const float present =
            holder == k_no_bone || !fleshy(holder) ? 0.0f : body_.shared_share(bone, holder);
        if (holder != k_no_bone && fleshy(holder) && leads_to(holder, bone) && present > k_no_skin_shared)
            return;
        const bool loose = holder == k_no_bone || (!fleshy(holder) && parts_on(holder) >= k_heap);
        int best = k_no_bone;
        float most = 0.0f;
        for (const auto& [other, mass] : body_.touching[index(bone)]) {
            if (other == holder || body_.skeleton.is_above(bone, other) || body_.hangs_below(other, bone))
                continue;
            if (holder != k_no_bone && lies_between(other, holder, bone)) continue;
            const bool leads = leads_to(other, bone);
            const bool joined =
                holder != k_no_bone && fleshy(holder) && shares_most_with(bone, other, present);
            if (!leads && !joined && !(loose && points_away(bone, other))) continue;
            const float share = body_.shared_share(bone, other) * (leads ? 2.0f : 1.0f);
            if (share > most) {
                most = share;
                best = other;
            }
        }
        if (best != k_no_bone && most > k_no_skin_shared && present < k_far_less * most)
            body_.above[index(bone)] = best;
    }

    // Bones in which each stands after the one it hangs on.
    std::vector<int> order() const {
        std::vector<std::vector<int>> children(body_.count());
        std::vector<int> list;
        for (int bone = 0; bone < static_cast<int>(body_.count()); ++bone) {
            const int above = body_.hangs_on(bone);
            if (above == k_no_bone)
                list.push_back(bone);
            else
                children[index(above)].push_back(bone);
        }
        for (std::size_t i = 0; i < list.size(); ++i) {
            const auto& next = children[index(list[i])];
            list.insert(list.end(), next.begin(), next.end());
        }
        return list;
    }

    // A leaf within a limb spreads its twist: it lies on the line from the bone that both hang on to a
    // sibling that goes on, and its flesh lies along that limb.
    bool lies_within_limb(int bone, const std::vector<std::vector<int>>& children) const {
        const int above = body_.hangs_on(bone);
        const auto leads_on = [&](int from) {
            const auto& next = children[index(from)];
            return std::any_of(next.begin(), next.end(), [&](int child) { return body_.lives(child); });
        };
        // Where hundreds hang on one bone it is no body whose limbs they could lie in.
        if (above == k_no_bone || leads_on(bone) || children[index(above)].size() > k_crowd) return false;
        for (const int sibling : children[index(above)]) {
            if (sibling == bone || !body_.lives(sibling)) continue;
            const Vec3 line = body_.at(sibling) - body_.at(above);
            const float length = line.norm();
            if (length < 1e-6f) continue;
            const Vec3 to = body_.at(bone) - body_.at(above);
            const float along = to.dot(line) / length;
            const float off = (to - line * (along / length)).norm();
            const bool goes_on = leads_on(sibling);
            const bool on_line =
                goes_on ? along > -0.02f * length && along < 1.02f * length && off < 0.06f * length
                        : along > 0.15f * length && along < 0.85f * length && off < 0.03f * length;
            if (!on_line) continue;
            if (!fleshy(bone) || !body_.has_skin) return true;
            const Vec3 end = goes_on ? body_.at(children[index(sibling)].front()) : body_.end(sibling);
            const float distance = length + (end - body_.at(sibling)).norm();
            const Vec3& middle = body_.middle[index(bone)];
            if (std::min(distance_to_segment(middle, body_.at(above), body_.at(sibling)),
                         distance_to_segment(middle, body_.at(sibling), end)) < 0.2f * distance)
                return true;
        }
        return false;
    }

    // Decides, leaves first, which bones take part in the body.
    void tell_helpers() {
        const std::vector<int> bones = order();
        std::vector<std::vector<int>> children(body_.count());
        std::vector<char> flesh(body_.count(), 0);
        for (std::size_t i = bones.size(); i-- > 0;) {
            const int bone = bones[i];
            const int above = body_.hangs_on(bone);
            flesh[index(bone)] = static_cast<char>(flesh[index(bone)] || fleshy(bone));
            if (above == k_no_bone) continue;
            children[index(above)].push_back(bone);
            flesh[index(above)] = static_cast<char>(flesh[index(above)] || flesh[index(bone)]);
        }
        for (std::size_t i = bones.size(); i-- > 0;) {
            const int bone = bones[i];
            const auto& next = children[index(bone)];
            const bool leads_on =
                std::any_of(next.begin(), next.end(), [&](int child) { return body_.lives(child); });
            const NameReading& said = body_.name(bone);
            const bool own_flesh = body_.has_skin && fleshy(bone);
            HelperKind kind = HelperKind::unknown;
            bool helps = body_.has_skin && !flesh[index(bone)];
            if (said.kind == NameKind::target) {
                kind = HelperKind::target;
                helps = helps || (!own_flesh && !leads_on);
            } else if (said.kind == NameKind::twist || lies_within_limb(bone, children)) {
                kind = HelperKind::twist;
                helps = helps || !leads_on;
            } else if (said.kind == NameKind::end) {
                kind = HelperKind::end;
                helps = helps || (!leads_on && !own_flesh);
            }
            if (said.part == Part::grip) {
                if (kind == HelperKind::unknown) kind = HelperKind::prop;
                helps = helps || !leads_on;
            }
            if (!helps) continue;
            body_.alive[index(bone)] = 0;
            body_.kind[index(bone)] = kind;
        }
        tell_ends(children);
    }

    // A leaf without flesh that goes on from the only bone above it ends that bone.
    void tell_ends(const std::vector<std::vector<int>>& children) {
        for (int bone = 0; bone < static_cast<int>(body_.count()); ++bone) {
            const int above = body_.hangs_on(bone);
            if (body_.lives(bone) || body_.kind[index(bone)] != HelperKind::unknown || above == k_no_bone)
                continue;
            if (children[index(bone)].empty() && children[index(above)].size() == 1 && body_.lives(above))
                body_.kind[index(bone)] = HelperKind::end;
        }
    }

    void list() {
        body_.below.assign(body_.count(), {});
        for (int bone = 0; bone < static_cast<int>(body_.count()); ++bone) {
            if (!body_.lives(bone)) continue;
            const int above = body_.hangs_on(bone);
            if (above == k_no_bone)
                body_.roots.push_back(bone);
            else
                body_.below[index(above)].push_back(bone);
        }
    }

    // Without flesh a bone ends where an end bone says, or goes on a little the way it came.
    void complete_tip(int bone) {
        if (body_.tip_known[index(bone)]) return;
        for (const int child : body_.skeleton.children(bone)) {
            if (body_.kind[index(child)] == HelperKind::end && !body_.same_position(child, bone)) {
                body_.tip[index(bone)] = body_.at(child);
                body_.tip_known[index(bone)] = 1;
            }
        }
        const int above = body_.hangs_on(bone);
        if (!body_.tip_known[index(bone)] && above != k_no_bone)
            body_.tip[index(bone)] = body_.at(bone) + 0.5f * (body_.at(bone) - body_.at(above));
    }

    void measure() {
        body_.reach.assign(body_.count(), 0.0f);
        body_.mass_below = body_.mass;
        const std::vector<int> bones = order();
        Eigen::AlignedBox3f box;
        for (std::size_t i = bones.size(); i-- > 0;) {
            const int bone = bones[i];
            if (!body_.lives(bone)) continue;
            complete_tip(bone);
            const int next = body_.main_child(bone);
            body_.reach[index(bone)] = next == k_no_bone
                                           ? (body_.end(bone) - body_.at(bone)).norm()
                                           : body_.distance(bone, next) + body_.reach[index(next)];
            for (const int child : body_.hanging(bone))
                body_.mass_below[index(bone)] += body_.mass_below[index(child)];
            box.extend(body_.at(bone));
            if (next == k_no_bone) box.extend(body_.end(bone));
            body_.whole_mass += body_.mass_of(bone);
        }
        body_.size = box.isEmpty() ? 0.0f : box.sizes().maxCoeff();
    }

    Body& body_;
    std::vector<char> flesh_below_;
    int flat_top_ = k_no_bone;
    int main_root_ = k_no_bone;
};

}  // namespace

void hang_bones(Body& body) {
    Hanger(body).run();
}

}  // namespace dendraxis::detail
