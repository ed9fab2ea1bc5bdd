// The trunk: hub, spine, neck, head, tail, jaw.
#include "body.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace dendraxis {
namespace {

class TrunkCharter {
 public:
    TrunkCharter(Body& body, Chart& chart) : body_(body), chart_(chart) {}

    void run() {
        const int legs = holder_of("leg", true);
        const int arms = holder_of("arm", false);
        const int front_legs = front_holder();
        upper_ = arms != k_no_bone ? arms : front_legs;
        if (legs == k_no_bone && upper_ == k_no_bone &&
            !any_named({Part::hub, Part::spine, Part::neck, Part::head}))
            return;
        find_hub(legs);
        if (chart_.hub == k_no_bone) return;
        const std::vector<int> way = way_to_head();
        split_way(way);
        tails(way);
        jaw();
    }

 private:
    bool in_trunk(int bone) const { return std::binary_search(body_.trunk.begin(), body_.trunk.end(), bone); }

    bool any_named(std::initializer_list<Part> parts) const {
        return std::any_of(body_.trunk.begin(), body_.trunk.end(),
                           [&](int bone) { return named_share(body_, {bone}, parts) > 0.0f; });
    }

    // The trunk's bone that the limbs of a role hang on; of several pairs the one nearest the root or
    // farthest from it.
    int holder_of(const char* role, bool nearest_root) const {
        int best = k_no_bone;
        for (const Limb& limb : body_.limbs) {
            if (limb.role != role || limb.holder == k_no_bone) continue;
            if (best == k_no_bone || (nearest_root ? limb.holder < best : limb.holder > best))
                best = limb.holder;
        }
        return best;
    }

    int front_holder() const {
        int best = k_no_bone;
        for (const Limb& limb : body_.limbs) {
            if (limb.role != "leg" || limb.holder == k_no_bone) continue;
            if (best == k_no_bone ||
                body_.at(limb.path.front()).dot(body_.facing) > body_.at(best).dot(body_.facing))
                best = limb.holder;
        }
        return best == holder_of("leg", true) ? k_no_bone : best;
    }

    void find_hub(int legs) {
        int hub = legs;
        if (hub == k_no_bone) {
            for (const int bone : body_.trunk) {
                if (hub == k_no_bone && body_.name(bone).part == Part::hub) hub = bone;
            }
        }
        if (hub == k_no_bone) hub = upper_ != k_no_bone ? upper_ : k_no_bone;
        if (hub == k_no_bone) {
            for (const int bone : body_.trunk) {
                if (hub == k_no_bone &&
                    (body_.name(bone).part == Part::spine || body_.name(bone).part == Part::neck))
                    hub = bone;
            }
        }
        // A pelvis beside the spine: the bone above both carries the body, unless that one stands on the
        // floor.
        if (hub != k_no_bone && upper_ != k_no_bone && !body_.skeleton.is_above(hub, upper_)) {
            const int both = body_.skeleton.common_ancestor(hub, upper_);
            if (both != k_no_bone && body_.height(body_.at(both)) > 0.15f) hub = both;
        }
        // A bone named as hub above it, at nearly the same place, is what carries the body.
        for (int above = hub == k_no_bone ? k_no_bone : body_.skeleton.parent(hub); above != k_no_bone;
             above = body_.skeleton.parent(above)) {
            const bool near = (body_.at(above) - body_.at(hub)).norm() < 0.12f * body_.size;
            if (body_.name(above).part == Part::hub && near) hub = above;
        }
        chart_.hub = hub;
    }

    float head_score(int bone) const {
        float score = 0.0f;
        for (int b = bone; b != k_no_bone; b = next_in_trunk(b)) {
            if (body_.name(b).part == Part::head) score += 2.0f;
            if (body_.name(b).part == Part::neck) score += 1.5f;
            if (body_.name(b).part == Part::tail) score -= 3.0f;
            for (const Limb& limb : body_.limbs) {
                if (limb.holder == b && (limb.role == "eye" || limb.role == "ear")) score += 0.5f;
            }
        }
        const Vec3 end = body_.tip[static_cast<std::size_t>(last_of(bone))];
        const Vec3 way =
            end - body_.at(body_.skeleton.parent(bone) == k_no_bone ? bone : body_.skeleton.parent(bone));
        score += 1.5f * way.dot(body_.up) / std::max(body_.size, 1e-9f) +
                 1.0f * way.dot(body_.facing) / std::max(body_.size, 1e-9f);
        score += 2.0f * body_.reach[static_cast<std::size_t>(bone)] / std::max(body_.size, 1e-9f);
        return score;
    }

    std::vector<int> trunk_children(int bone) const {
        std::vector<int> result;
        for (const int child : body_.alive_children(bone)) {
            if (in_trunk(child)) result.push_back(child);
        }
        return result;
    }

    int next_in_trunk(int bone) const {
        int best = k_no_bone;
        for (const int child : trunk_children(bone)) {
            if (best == k_no_bone ||
                body_.reach[static_cast<std::size_t>(child)] > body_.reach[static_cast<std::size_t>(best)])
                best = child;
        }
        return best;
    }

    int last_of(int bone) const {
        while (next_in_trunk(bone) != k_no_bone) bone = next_in_trunk(bone);
        return bone;
    }

    // From the hub's child to the head's end.
    std::vector<int> way_to_head() const {
        std::vector<int> way;
        int from = chart_.hub;
        if (upper_ != k_no_bone && upper_ != chart_.hub && body_.skeleton.is_above(chart_.hub, upper_)) {
            for (int bone = upper_; bone != chart_.hub; bone = body_.skeleton.parent(bone))
                way.insert(way.begin(), bone);
            from = upper_;
        }
        while (true) {
            int best = k_no_bone;
            float best_score = 0.0f;
            for (const int child : trunk_children(from)) {
                const bool jaw_like = way_is_jaw(child, trunk_children(from));
                const float score = head_score(child) - (jaw_like ? 1.0f : 0.0f);
                if (best == k_no_bone || score > best_score) {
                    best = child;
                    best_score = score;
                }
            }
            // From the hub only what goes up or forward is a spine; the rest is a tail.
            if (best == k_no_bone || (from == chart_.hub && best_score <= 0.05f)) break;
            if (body_.name(best).part == Part::jaw || (is_head(from) && body_.name(best).part != Part::head))
                break;
            way.push_back(best);
            from = best;
        }
        return way;
    }

    bool way_is_jaw(int bone, const std::vector<int>& siblings) const {
        return body_.name(bone).part == Part::jaw ||
               (siblings.size() > 1 && trunk_children(bone).empty() &&
                body_.reach[static_cast<std::size_t>(bone)] < 0.02f * body_.size);
    }

    bool is_head(int bone) const {
        if (body_.name(bone).part == Part::head) return true;
        return std::any_of(body_.limbs.begin(), body_.limbs.end(), [&](const Limb& limb) {
            return limb.holder == bone && (limb.role == "eye" || limb.role == "ear") && limb.partner != -1;
        });
    }

    void split_way(const std::vector<int>& way) {
        std::size_t spine_end = 0;
        for (std::size_t i = 0; i < way.size(); ++i) {
            if (way[i] == upper_) spine_end = i + 1;
        }
        // Names may move the border: bones past the arms that say spine (and not before the arms that say
        // neck).
        while (spine_end < way.size() && body_.name(way[spine_end]).part == Part::spine) ++spine_end;
        if (upper_ == k_no_bone) {
            while (spine_end < way.size() && body_.name(way[spine_end]).part != Part::neck &&
                   body_.name(way[spine_end]).part != Part::head && spine_end + 2 < way.size()) {
                ++spine_end;
            }
        }
        while (spine_end > 0 && (body_.name(way[spine_end - 1]).part == Part::neck ||
                                 body_.name(way[spine_end - 1]).part == Part::head))
            --spine_end;
        std::size_t head = way.size() - (way.size() > spine_end ? 1 : 0);
        for (std::size_t i = way.size(); i-- > spine_end;) {
            if (is_head(way[i])) head = i;
        }
        const bool head_named = head < way.size() && body_.name(way[head]).part == Part::head;
        // Without flesh or names a last unbranched bone may only end the head.
        if (!head_named && !body_.has_skin && way.size() >= spine_end + 3 && head + 1 == way.size() &&
            !is_head(way[head]))
            --head;
        add("spine", {way.begin(), way.begin() + static_cast<std::ptrdiff_t>(spine_end)}, {Part::spine},
            0.93f,
            upper_ == k_no_bone ? "it leads from the hub toward the head"
                                : "it lies between the hub and where the arms or forelegs branch off");
        add("neck",
            {way.begin() + static_cast<std::ptrdiff_t>(spine_end),
             way.begin() + static_cast<std::ptrdiff_t>(std::max(head, spine_end))},
            {Part::neck}, 0.9f, "it lies between the spine and the head");
        if (head < way.size())
            add("head", {way[head]}, {Part::head}, 0.92f, "the trunk ends with it, away from the legs");
    }

    void add(const std::string& name, std::vector<int> bones, std::initializer_list<Part> parts, float shape,
             const std::string& evidence) {
        if (bones.empty()) return;
        std::vector<std::string> list{evidence};
        float named = 0.0f;
        float otherwise = 0.0f;
        for (const int bone : bones) {
            const Part part = body_.name(bone).part;
            if (std::find(parts.begin(), parts.end(), part) != parts.end()) {
                named += 1.0f;
                list.push_back(name_evidence(body_, bone));
            } else if (part != Part::none) {
                otherwise += 1.0f;
            }
        }
        const auto count = static_cast<float>(bones.size());
        const float confidence =
            std::clamp(shape + (0.99f - shape) * named / count - 0.3f * otherwise / count, 0.1f, 0.99f);
        chart_.chains.push_back({name, std::move(bones), confidence, std::move(list)});
    }

    void tails(const std::vector<int>& way) {
        for (const int bone : trunk_children(chart_.hub)) {
            if (std::find(way.begin(), way.end(), bone) != way.end()) continue;
            std::vector<int> tail;
            for (int b = bone; b != k_no_bone; b = next_in_trunk(b)) tail.push_back(b);
            const bool said = body_.name(bone).part == Part::tail;
            const Vec3 along = body_.tip[static_cast<std::size_t>(tail.back())] - body_.at(bone);
            const bool backward = along.dot(body_.facing) < 0.0f && along.norm() > 0.1f * body_.size;
            if (!said && !(tail.size() >= 2 && backward)) continue;
            if (chart_.find("tail") != nullptr) continue;
            add("tail", std::move(tail), {Part::tail}, 0.85f, "it leads backward from the hub");
        }
    }

    void jaw() {
        const Chain* head = chart_.find("head");
        if (head == nullptr) return;
        for (const int bone : trunk_children(head->bones.back())) {
            const Vec3 way = body_.tip[static_cast<std::size_t>(bone)] - body_.at(head->bones.back());
            const bool forward = way.dot(body_.facing) > 0.0f && way.dot(body_.facing) > way.dot(body_.up);
            if (body_.name(bone).part == Part::jaw ||
                (forward && trunk_children(bone).empty() && body_.name(bone).part == Part::none)) {
                add("jaw", {bone}, {Part::jaw}, 0.6f, "it points forward from the head");
                return;
            }
        }
    }

    Body& body_;
    Chart& chart_;
    int upper_ = k_no_bone;
};

}  // namespace

void chart_trunk(Body& body, Chart& chart) {
    TrunkCharter(body, chart).run();
}

}  // namespace dendraxis
