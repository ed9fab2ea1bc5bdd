// The trunk: hips, spine, neck, head, tail, jaw.
#include "charter.hpp"
#include "limb_joints.hpp"

#include <algorithm>

namespace dendraxis::detail {
namespace {

constexpr float k_skull = 1.3f;  // of the step from the neck to the head, the least length of a skull

class TrunkCharter {
 public:
    explicit TrunkCharter(Charter& charter)
        : charter_(charter), body_(charter.body), reading_(charter.reading) {}

    void run() {
        find_hips();
        if (charter_.chart.hips == k_no_bone) return;
        find_path();
        split_path();
        rear_spine();
        tail();
        jaw();
    }

 private:
    bool named(int bone, Part part) const {
        return charter_.name_trust > 0.4f && body_.name(bone).part == part;
    }

    void find_hips() {
        int hips = reading_.hind;
        if (hips == k_no_bone) return;
        // Where legs and upper body hang on different bones, the bone above both carries the body, unless
        // that one stands on the floor.
        if (reading_.fore != k_no_bone && reading_.fore != hips) {
            int both = body_.skeleton.common_ancestor(hips, reading_.fore);
            if (both == k_no_bone || body_.height(body_.at(both)) < 0.12f) both = hips;
            hips = both;
        }
        for (int above = body_.hangs_on(hips); above != k_no_bone; above = body_.hangs_on(above)) {
            if (named(above, Part::hips) && body_.distance(above, hips) < 0.12f * body_.size) hips = above;
        }
        charter_.chart.hips = reading_.legs.empty() ? lowest_of_trunk(hips) : hips;
    }

    // Without legs the body hangs on the bone that is named hips, else on the topmost one with flesh.
    int lowest_of_trunk(int arms_holder) const {
        int lowest = arms_holder;
        for (int bone = body_.hangs_on(arms_holder); bone != k_no_bone; bone = body_.hangs_on(bone)) {
            if (named(bone, Part::hips)) return bone;
            if (body_.has_skin ? body_.mass_of(bone) > 0.0f : named(bone, Part::spine)) lowest = bone;
        }
        return lowest;
    }

    // From the hips to where arms or forelegs hang, and on to the head's end.
    void find_path() {
        const int hips = charter_.chart.hips;
        int from = hips;
        if (reading_.fore != k_no_bone && reading_.fore != hips) {
            const std::vector<int> path = path_between(body_, hips, reading_.fore);
            path_.assign(path.begin() + 1, path.end());
            spine_end_ = path_.size();
            from = reading_.fore;
        }
        if (reading_.head_end == k_no_bone) return;
        for (const int bone : path_between(body_, from, reading_.head_end)) {
            const bool there = bone == from || std::find(path_.begin(), path_.end(), bone) != path_.end();
            if (!there && bone != hips) path_.push_back(bone);
        }
    }

    // The head is the last bone on the way with much of the flesh that lies beyond the arms; hair, jaw and
    // hat have less. Small pairs (eyes, ears) sit on it. A name is believed if its bone has flesh enough for
    // a head.
    std::size_t find_head() const {
        if (spine_end_ >= path_.size()) return path_.size();
        const std::size_t by_shape = body_.has_skin ? heaviest() : last_joint();
        for (std::size_t i = path_.size(); i-- > spine_end_;) {
            if (!named(path_[i], Part::head)) continue;
            const float share = body_.mass_of(path_[i]) / std::max(body_.mass_of(path_[by_shape]), 1e-20f);
            if (!body_.has_skin || share > (i > by_shape ? 0.3f : 0.6f)) return i;
        }
        return by_shape;
    }

    std::size_t heaviest() const {
        float most = 0.0f;
        for (std::size_t i = spine_end_; i < path_.size(); ++i)
            most = std::max(most, body_.mass_of(path_[i]));
        std::size_t head = path_.size() - 1;
        while (head > spine_end_ && body_.mass_of(path_[head]) < 0.6f * most) --head;
        for (std::size_t i = path_.size(); i-- > head;) {
            if (holds_small_pair(path_[i])) return i;
        }
        return head;
    }

    // Without flesh or names a last unbranched bone may only end the head: it does if legs have such bones
    // too, or if it lies as far from the bone before it as only a skull is long.
    std::size_t last_joint() const {
        for (std::size_t i = path_.size(); i-- > spine_end_;) {
            if (holds_small_pair(path_[i])) return i;
        }
        const std::size_t last = path_.size() - 1;
        const bool ended = body_.tip_known[static_cast<std::size_t>(path_[last])] != 0;
        if (ended || last == spine_end_) return last;
        const auto step = [&](std::size_t i) { return body_.distance(path_[i], path_[i - 1]); };
        const bool skull = last >= spine_end_ + 2 && step(last) > k_skull * step(last - 1);
        return skull || legs_have_ends() ? last - 1 : last;
    }

    bool legs_have_ends() const {
        if (reading_.legs.size() != 1) return false;
        const Branch& leg = body_.branches[static_cast<std::size_t>(reading_.legs.front())];
        const LimbJoints joints = find_joints(body_, leg, {true, false, false, charter_.name_trust});
        return limb_path(body_, leg).size() > joints.end + 2;  // toes, and one more
    }

    bool holds_small_pair(int bone) const {
        return std::any_of(body_.branches.begin(), body_.branches.end(), [&](const Branch& branch) {
            return branch.holder == bone && branch.partner != -1 && branch.length < 0.2f * body_.size;
        });
    }

    void split_path() {
        // Names may move the border between spine and neck.
        while (spine_end_ + 1 < path_.size() && named(path_[spine_end_], Part::spine)) ++spine_end_;
        if (reading_.fore == k_no_bone || reading_.fore == charter_.chart.hips) {
            while (spine_end_ + 1 < path_.size() && !named(path_[spine_end_], Part::neck) &&
                   !named(path_[spine_end_], Part::head) && spine_end_ + 2 < path_.size() &&
                   reading_.fore == k_no_bone)
                ++spine_end_;
        }
        // Without arms there may be no head either: what is named spine is none.
        if (reading_.fore == k_no_bone && spine_end_ + 1 == path_.size() &&
            named(path_[spine_end_], Part::spine))
            ++spine_end_;
        while (spine_end_ > 0 &&
               (named(path_[spine_end_ - 1], Part::neck) || named(path_[spine_end_ - 1], Part::head)))
            --spine_end_;
        const std::size_t head = find_head();
        const float margin = trunk_margin();
        const auto run = [&](std::size_t from, std::size_t to) {
            std::vector<int> bones;
            for (std::size_t i = from; i < std::min(to, path_.size()); ++i) {
                // A bone on the way without flesh that stands off it is a control, not a joint of the body.
                const bool flesh = !body_.has_skin || body_.mass_of(path_[i]) > 0.0f;
                if (flesh || !stands_off(i)) bones.push_back(path_[i]);
            }
            return bones;
        };
        charter_.add("spine", run(0, spine_end_), charter_.confidence(margin, 3.0f),
                     {reading_.fore == k_no_bone
                          ? "it leads from the hips toward the head"
                          : "it lies between the hips and where the arms or forelegs branch off"});
        charter_.add("neck", run(spine_end_, head), charter_.confidence(margin, 2.5f),
                     {"it lies between the spine and the head"});
        if (head < path_.size())
            charter_.add("head", {path_[head]}, charter_.confidence(margin, 2.5f),
                         {"the trunk ends with it, away from the legs"});
        last_ = head < path_.size() ? path_[head] : k_no_bone;
    }

    bool stands_off(std::size_t i) const {
        if (i == 0 || i + 1 >= path_.size()) return false;
        const Vec3 a = body_.at(path_[i - 1]);
        const Vec3 b = body_.at(path_[i + 1]);
        const Vec3 p = body_.at(path_[i]);
        return (p - a).norm() + (p - b).norm() > (a - b).norm() + 0.1f * body_.size;
    }

    float trunk_margin() const {
        for (const Reading& other : charter_.others) {
            if (other.head_end != reading_.head_end && !same_head(other.head_end))
                return reading_.score - other.score;
            if (other.up != reading_.up || other.hind != reading_.hind || other.fore != reading_.fore)
                return reading_.score - other.score;
        }
        return 4.0f;
    }

    // Ends beyond the head (mouth, hair) make no other chart.
    bool same_head(int end) const {
        const int from = reading_.fore != k_no_bone ? reading_.fore : reading_.hind;
        if (end == k_no_bone || reading_.head_end == k_no_bone) return false;
        const std::vector<int> a = path_between(body_, from, reading_.head_end);
        const std::vector<int> b = path_between(body_, from, end);
        const auto heavy = [&](const std::vector<int>& path) {
            int best = k_no_bone;
            for (const int bone : path) {
                if (bone != from && (best == k_no_bone || body_.mass_of(bone) > body_.mass_of(best)))
                    best = bone;
            }
            return best;
        };
        return heavy(a) == heavy(b);
    }

    // On four legs the body may be carried in its middle, with a second spine back to the hind legs.
    void rear_spine() {
        const int hips = charter_.chart.hips;
        if (reading_.hind == k_no_bone || reading_.hind == hips) return;
        std::vector<int> rear;
        for (const int bone : path_between(body_, hips, reading_.hind)) {
            if (bone != hips && (!body_.has_skin || body_.mass_of(bone) > 0.0f) && !charter_.charted(bone))
                rear.push_back(bone);
        }
        if (reading_.legs.size() > 1 && rear.size() >= 2)
            charter_.add("spine.back", rear, 0.9f, {"it leads from the hips back to the hind legs"});
    }

    std::vector<int> row_from(int bone) const {
        std::vector<int> row;
        for (; bone != k_no_bone; bone = body_.main_child(bone)) {
            if (!body_.in_trunk(bone)) break;
            row.push_back(bone);
        }
        return row;
    }

    // On four legs what hangs down behind the hind legs is a tail, too.
    bool hangs_behind(const std::vector<int>& row) const {
        if (reading_.legs.size() < 2) return false;
        const Branch& leg = body_.branches[static_cast<std::size_t>(reading_.legs.front())];
        const auto behind = [&](const Vec3& point) {
            return (body_.at(leg.path.front()) - point).dot(body_.facing) > 0.03f * body_.size;
        };
        return behind(body_.at(row.front())) && behind(body_.end(row.back()));
    }

    // A tail begins where the legs do and leads backward.
    void tail() {
        std::vector<int> starts = path_between(body_, charter_.chart.hips, reading_.hind);
        if (starts.empty()) starts = {charter_.chart.hips};
        std::vector<int> best;
        float most = 0.0f;
        for (const int holder : starts) {
            for (const int bone : body_.hanging(holder)) {
                if (!body_.in_trunk(bone) || charter_.charted(bone) || bone == charter_.chart.hips ||
                    std::find(starts.begin(), starts.end(), bone) != starts.end() ||
                    (last_ != k_no_bone && body_.hangs_below(last_, bone)))
                    continue;
                const std::vector<int> row = row_from(bone);
                const Vec3 along = body_.end(row.back()) - body_.at(bone);
                const float backward = -along.dot(body_.facing);
                const bool said = named(bone, Part::tail);
                const float hips = body_.height(body_.at(reading_.hind));
                const bool by_legs = std::abs(body_.height(body_.at(bone)) - hips) < 0.25f;
                const bool leads_back = (backward > 0.35f * along.norm() || hangs_behind(row)) &&
                                        along.norm() > 0.05f * body_.size;
                // Hanging straight down behind on two legs it is cloth.
                const bool hangs = -along.dot(body_.up) > 0.9f * along.norm() && reading_.legs.size() < 2;
                const float score =
                    (said ? 2.0f : 0.0f) +
                    (by_legs && leads_back && !hangs ? 1.0f + along.norm() / body_.size : 0.0f);
                if (score > most) {
                    most = score;
                    best = row;
                }
            }
        }
        if (!best.empty())
            charter_.add("tail", best, charter_.confidence(trunk_margin(), most > 1.9f ? 3.0f : 2.0f),
                         {"it leads backward from where the legs begin"});
    }

    void jaw() {
        if (last_ == k_no_bone) return;
        for (const int bone : body_.hanging(last_)) {
            if (!body_.in_trunk(bone)) continue;
            const Vec3 path = body_.end(bone) - body_.at(last_);
            const bool forward = path.dot(body_.facing) > 0.0f && path.dot(body_.facing) > path.dot(body_.up);
            if (named(bone, Part::jaw) ||
                (forward && body_.hanging(bone).empty() && body_.name(bone).part == Part::none)) {
                charter_.add("jaw", {bone}, named(bone, Part::jaw) ? 0.9f : 0.6f,
                             {"it points forward from the head"});
                return;
            }
        }
    }

    Charter& charter_;
    const Body& body_;
    const Reading& reading_;
    std::vector<int> path_;
    std::size_t spine_end_ = 0;
    int last_ = k_no_bone;
};

}  // namespace

void chart_trunk(Charter& charter) {
    TrunkCharter(charter).run();
}

}  // namespace dendraxis::detail
