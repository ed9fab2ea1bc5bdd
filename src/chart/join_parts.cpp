// Own method: as a tree grows by its nearest neighbor (R. C. Prim, "Shortest connection networks and some
// generalizations", 1957), with shared skin for nearness.
#include "join_parts.hpp"

#include <dendraxis/geometry/segment.hpp>

#include <algorithm>

namespace dendraxis::detail {

namespace {

std::size_t index(int bone) {
    return static_cast<std::size_t>(bone);
}

class Joiner {
 public:
    explicit Joiner(Body& body) : body_(body), is_joined_(body.count(), 0) {}

    void join() {
        std::vector<int> waiting = heaviest_first();
        if (waiting.size() < 2) return;
        take(waiting.front(), waiting);
        if (!body_.has_skin) {
            // Without skin nothing tells where further roots belong: controls, strands of hair.
            for (int bone = 0; bone < count(); ++bone) {
                if (body_.lives(bone) && !is_joined_[index(bone)]) body_.alive[index(bone)] = 0;
            }
            return;
        }
        // The part that shares most skin with what is joined already comes next; what shares none comes last.
        while (!waiting.empty()) {
            auto [own, other] = junction();
            if (own == k_no_bone) own = first_flesh(waiting.front()), other = nearest(body_.at(own));
            const int part = top(own);
            hang_from(body_, own);
            body_.above[index(own)] = other;
            take(part, waiting);
        }
    }

 private:
    int count() const { return static_cast<int>(body_.count()); }

    int top(int bone) const {
        while (body_.hangs_on(bone) != k_no_bone) bone = body_.hangs_on(bone);
        return bone;
    }

    // The bone where the flesh of a part begins: a node at the floor that carries the part says nothing of
    // its place. Of several such bones the heaviest; without flesh, the part's top.
    int first_flesh(int part) const {
        int first = part;
        for (int bone = 0; bone < count(); ++bone) {
            if (!body_.lives(bone) || body_.mass_of(bone) <= body_.mass_of(first) || top(bone) != part)
                continue;
            int above = body_.hangs_on(bone);
            while (above != k_no_bone && body_.mass_of(above) == 0.0f) above = body_.hangs_on(above);
            if (above == k_no_bone) first = bone;
        }
        return first;
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

    // The part whose top this was no longer waits.
    void take(int part, std::vector<int>& waiting) {
        if (main_ == k_no_bone) main_ = part;
        for (int bone = 0; bone < count(); ++bone) {
            if (body_.lives(bone) && !is_joined_[index(bone)] && top(bone) == main_)
                is_joined_[index(bone)] = 1;
        }
        std::erase(waiting, part);
    }

    // Where a waiting part meets what is joined: the bones that share most skin, of all waiting parts.
    std::pair<int, int> junction() const {
        std::pair<int, int> best{k_no_bone, k_no_bone};
        float most = k_no_skin_shared;
        for (int own = 0; own < count(); ++own) {
            if (!body_.lives(own) || is_joined_[index(own)]) continue;
            for (const auto& [other, mass] : body_.touching[index(own)]) {
                if (!body_.lives(other) || !is_joined_[index(other)]) continue;
                const float shared = body_.shared_share(own, other);
                if (shared > most) most = shared, best = {own, other};
            }
        }
        return best;
    }

    // The bone of what is joined that is nearest to a place.
    int nearest(const Vec3& position) const {
        int best = main_;
        float least = 1e30f;
        for (int bone = 0; bone < count(); ++bone) {
            if (!is_joined_[index(bone)]) continue;
            const float off = distance_to_segment(position, body_.at(bone), body_.end(bone));
            if (off < 0.999f * least) least = off, best = bone;
        }
        return best;
    }

    Body& body_;
    std::vector<char> is_joined_;
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
