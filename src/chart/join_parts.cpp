// Own method: as a tree grows by its nearest neighbor (R. C. Prim, "Shortest connection networks and some
// generalizations", 1957), with shared skin for nearness.
#include "join_parts.hpp"

#include <algorithm>

namespace dendraxis::detail {

float distance_to_segment(const Vec3& point, const Vec3& a, const Vec3& b) {
    const Vec3 along = b - a;
    const float t = std::clamp(along.dot(point - a) / std::max(along.squaredNorm(), 1e-20f), 0.0f, 1.0f);
    return (point - a - t * along).norm();
}

namespace {

constexpr std::size_t k_most_parts = 300;  // beyond, in the order of their weight

std::size_t index(int bone) {
    return static_cast<std::size_t>(bone);
}

struct Junction {
    int own = k_no_bone;
    int other = k_no_bone;
    float shared = k_no_skin_shared;
};

class Joiner {
 public:
    explicit Joiner(Body& body) : body_(body) {}

    void join() {
        const std::vector<int> tops = heaviest_first();
        if (tops.size() < 2) return;
        main_ = tops.front();
        if (!body_.has_skin) {
            // Without skin nothing tells where further roots belong: controls, strands of hair.
            for (int bone = 0; bone < count(); ++bone) {
                if (body_.lives(bone) && top(bone) != main_) body_.alive[index(bone)] = 0;
            }
            return;
        }
        // The part that shares most skin with what is joined already comes next; what shares none comes last.
        std::vector<int> waiting(tops.begin() + 1, tops.end());
        while (!waiting.empty()) {
            auto next = waiting.begin();
            Junction best;
            for (auto part = waiting.begin(); part != waiting.end(); ++part) {
                const Junction found = junction(*part);
                if (found.shared > best.shared) best = found, next = part;
                if (waiting.size() > k_most_parts) break;
            }
            if (best.other == k_no_bone) best = {*next, nearest(body_.at(*next)), 0.0f};
            hang_from(body_, best.own);
            body_.above[index(best.own)] = best.other;
            waiting.erase(next);
        }
    }

 private:
    int count() const { return static_cast<int>(body_.count()); }

    int top(int bone) const {
        while (body_.hangs_on(bone) != k_no_bone) bone = body_.hangs_on(bone);
        return bone;
    }

    std::vector<int> heaviest_first() const {
        std::vector<int> tops;
        std::vector<float> weight(body_.count(), 0.0f);
        for (int bone = 0; bone < count(); ++bone) {
            if (!body_.lives(bone)) continue;
            weight[index(top(bone))] += body_.mass_of(bone);
            if (body_.hangs_on(bone) == k_no_bone) tops.push_back(bone);
        }
        std::stable_sort(tops.begin(), tops.end(),
                         [&](int a, int b) { return weight[index(a)] > weight[index(b)]; });
        return tops;
    }

    // Where a part meets what is joined: the bones that share most skin.
    Junction junction(int part) const {
        Junction best;
        for (int own = 0; own < count(); ++own) {
            if (!body_.lives(own) || top(own) != part) continue;
            for (const auto& [other, mass] : body_.touching[index(own)]) {
                const float shared = body_.shared_share(own, other);
                if (body_.lives(other) && top(other) == main_ && shared > best.shared)
                    best = {own, other, shared};
            }
        }
        return best;
    }

    // The bone of what is joined that is nearest to a place.
    int nearest(const Vec3& position) const {
        int best = main_;
        float least = 1e30f;
        for (int bone = 0; bone < count(); ++bone) {
            if (!body_.lives(bone) || top(bone) != main_) continue;
            const float off = distance_to_segment(position, body_.at(bone), body_.end(bone));
            if (off < 0.999f * least) least = off, best = bone;
        }
        return best;
    }

    Body& body_;
    int main_ = k_no_bone;
};

}  // namespace

void join_parts(Body& body) {
    Joiner(body).join();
}

void hang_from(Body& body, int bone) {
    int below = k_no_bone;
    while (bone != k_no_bone) {
        const int above = body.hangs_on(bone);
        body.above[index(bone)] = below;
        below = bone;
        bone = above;
    }
}

void hang_on_middle(Body& body) {
    const int count = static_cast<int>(body.count());
    std::vector<float> below(body.count(), 0.0f);
    float all = 0.0f;
    for (int bone = 0; bone < count; ++bone) {
        if (!body.lives(bone)) continue;
        all += body.mass_of(bone);
        for (int above = bone; above != k_no_bone; above = body.hangs_on(above))
            below[index(above)] += body.mass_of(bone);
    }
    // Of each bone the heaviest part that hangs on it, what it hangs on itself counted as one.
    std::vector<float> heaviest(body.count(), 0.0f);
    for (int bone = 0; bone < count; ++bone) {
        if (!body.lives(bone)) continue;
        heaviest[index(bone)] = std::max(heaviest[index(bone)], all - below[index(bone)]);
        const int above = body.hangs_on(bone);
        if (above != k_no_bone) heaviest[index(above)] = std::max(heaviest[index(above)], below[index(bone)]);
    }
    int best = k_no_bone;
    for (int bone = 0; bone < count; ++bone) {
        if (body.lives(bone) && (best == k_no_bone || heaviest[index(bone)] < heaviest[index(best)]))
            best = bone;
    }
    hang_from(body, best);
}

}  // namespace dendraxis::detail
