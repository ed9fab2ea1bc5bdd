// Own method: parts of a file that each read as a whole body by themselves are several bodies.
#include "find_bodies.hpp"

#include <algorithm>
#include <utility>

namespace dendraxis::detail {
namespace {

constexpr float k_least_bones = 10.0f;
constexpr std::size_t k_most_parts = 8;  // the heaviest that are looked at
constexpr float k_whole = 5.5f;          // the least score: several that read as bodies bear each other out
constexpr float k_as_heavy = 0.98f;      // of two about alike the first is taken

std::size_t index(int bone) {
    return static_cast<std::size_t>(bone);
}

// Of each bone the sum of its own value and those of all below it.
std::vector<float> sums_below(const Skeleton& skeleton, std::vector<float> values) {
    for (int bone = static_cast<int>(values.size()) - 1; bone >= 0; --bone) {
        const int parent = skeleton.parent(bone);
        if (parent != k_no_bone) values[index(parent)] += values[index(bone)];
    }
    return values;
}

// The topmost bones below which there is enough for a body, with nothing above them that has flesh.
std::vector<int> tops_of_parts(const Body& body) {
    const std::vector<float> bones_below = sums_below(body.skeleton, std::vector<float>(body.count(), 1.0f));
    std::vector<int> tops;
    for (int bone = 0; bone < static_cast<int>(body.count()); ++bone) {
        if (body.skeleton.parent(bone) == k_no_bone) tops.push_back(bone);
    }
    const auto keep_large = [&] {
        std::erase_if(tops, [&](int bone) { return bones_below[index(bone)] < k_least_bones; });
    };
    keep_large();
    while (tops.size() == 1 && !(body.has_skin && body.mass_of(tops.front()) > 0.0f)) {
        const auto children = body.skeleton.children(tops.front());
        tops.assign(children.begin(), children.end());
        keep_large();
    }
    return tops;
}

// The heaviest of many parts, in the file's order.
std::vector<int> heaviest(const Body& body, std::vector<int> tops) {
    const std::vector<float> weight = sums_below(body.skeleton, body.mass);
    std::stable_sort(tops.begin(), tops.end(),
                     [&](int a, int b) { return weight[index(a)] > weight[index(b)]; });
    tops.resize(std::min(tops.size(), k_most_parts));
    std::sort(tops.begin(), tops.end());
    return tops;
}

// Leaves out every bone that is neither below `top` nor above it. What is above weighs nothing: it belongs to
// all.
void keep_part(Body& body, int top) {
    const Skeleton& skeleton = body.skeleton;
    for (int bone = 0; bone < static_cast<int>(body.count()); ++bone) {
        if (bone == top || skeleton.is_above(top, bone)) continue;
        body.mass[index(bone)] = 0.0f;
        if (skeleton.is_above(bone, top)) continue;
        body.alive[index(bone)] = 0;
        body.touching[index(bone)].clear();
    }
    for (auto& others : body.touching)
        std::erase_if(others, [&](const auto& entry) { return body.alive[index(entry.first)] == 0; });
}

bool is_whole(const std::vector<Reading>& readings) {
    if (readings.empty()) return false;
    const Reading& best = readings.front();
    return best.score > k_whole && best.head_end != k_no_bone && !best.legs.empty() &&
           (best.arms != -1 || best.legs.size() > 1);
}

}  // namespace

std::vector<int> find_bodies(Body& body, const Weights& weights) {
    const std::vector<int> parts = heaviest(body, tops_of_parts(body));
    if (parts.size() < 2) return {};
    // How bones move in the clips would be copied for each part, and tells little here.
    std::vector<std::vector<Vec3>> watched = std::exchange(body.watched, {});
    std::vector<int> tops;
    std::vector<float> masses;
    for (const int top : parts) {
        Body part = body;
        keep_part(part, top);
        hang_bones(part);
        find_branches(part);
        if (!is_whole(read_body(part, weights, 0.0f))) continue;
        const bool is_heavier = !masses.empty() && k_as_heavy * part.whole_mass > masses.front();
        tops.insert(is_heavier ? tops.begin() : tops.end(), top);
        masses.insert(is_heavier ? masses.begin() : masses.end(), part.whole_mass);
    }
    body.watched = std::move(watched);
    if (tops.size() < 2) tops.clear();
    return tops;
}

Body one_body(Body body, const std::vector<int>& tops) {
    if (!tops.empty()) keep_part(body, tops.front());
    return body;
}

}  // namespace dendraxis::detail
