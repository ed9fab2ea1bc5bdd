// Line simplification after Douglas and Peucker (1973), on each property of each bone: keep the frame that
// lies farthest from the line between two kept ones until none lies too far.
#include <dendraxis/skeleton/key_reduction.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis {
namespace {

// Twice the sine of half the angle between two rotations: the angle itself where that is small, and as good
// to compare where it is not.
float apart(const Quat& a, const Quat& b) {
    return 2.0f * (a.conjugate() * b).vec().norm();
}

// Between keys that are near each other a straight line is the great arc to within a millionth of a radian.
Quat between(const Quat& a, const Quat& b, float share) {
    const float cosine = a.dot(b);
    if (std::abs(cosine) < 0.9995f) return a.slerp(share, b);
    const float sign = cosine < 0.0f ? -1.0f : 1.0f;
    return Quat(Eigen::Vector4f((1.0f - share) * a.coeffs() + sign * share * b.coeffs())).normalized();
}

template <class Distance>
void keep_between(int first, int last, float limit, const Distance& distance, std::vector<int>& kept) {
    int farthest = first;
    if (last - first > KeyReducer::k_longest_line) {
        farthest = (first + last) / 2;
    } else {
        float worst = limit;
        for (int i = first + 1; i < last; ++i) {
            const float d = distance(first, i, last);
            if (d <= worst) continue;
            worst = d;
            farthest = i;
        }
    }
    if (farthest == first) return;
    keep_between(first, farthest, limit, distance, kept);
    kept.push_back(farthest);
    keep_between(farthest, last, limit, distance, kept);
}

// `from_rest(i)` is how far frame i is from the rest, `distance(a, i, b)` how far from the line between a and
// b.
template <class FromRest, class Distance>
std::vector<int> reduce(int frames, float limit, const FromRest& from_rest, const Distance& distance) {
    bool rests = true;
    bool constant = true;
    for (int i = 0; i < frames; ++i) {
        rests = rests && from_rest(i) <= limit;
        constant = constant && distance(0, i, 0) <= limit;
    }
    if (rests) return {};
    if (constant) return {0};
    std::vector<int> kept{0};
    keep_between(0, frames - 1, limit, distance, kept);
    kept.push_back(frames - 1);
    return kept;
}

// Likewise for what holds between keys: each frame that is not as the one kept last.
template <class FromRest, class Distance>
std::vector<int> reduce_steps(int frames, float limit, const FromRest& from_rest, const Distance& distance) {
    std::vector<int> kept{0};
    bool rests = from_rest(0) <= limit;
    for (int i = 1; i < frames; ++i) {
        rests = rests && from_rest(i) <= limit;
        if (distance(kept.back(), i, kept.back()) > limit) kept.push_back(i);
    }
    if (rests) return {};
    // The clip's length is carried by its keys.
    if (kept.size() > 1 && kept.back() != frames - 1) kept.push_back(frames - 1);
    return kept;
}

float share_between(int first, int i, int last) {
    return first == last ? 0.0f : static_cast<float>(i - first) / static_cast<float>(last - first);
}

}  // namespace

// An error of a bone's rotation moves all that hangs below it, and errors add up from the root to the tip.
KeyReducer::KeyReducer(const Skeleton& skeleton, const Clip& clip, const KeyTolerance& tolerance)
    : skeleton_(skeleton), clip_(clip), rest_(rest_in_model_space(skeleton)) {
    const std::size_t count = skeleton.size();
    std::vector<int> depth(count, 1);
    std::vector<int> depth_below(count, 0);
    std::vector<float> reach(count, 0.0f);
    for (std::size_t i = 0; i < count; ++i) {
        const int parent = skeleton.bones()[i].parent;
        if (parent != k_no_bone) depth[i] = depth[static_cast<std::size_t>(parent)] + 1;
        for (int above = parent; above != k_no_bone; above = skeleton.parent(above)) {
            const auto a = static_cast<std::size_t>(above);
            reach[a] = std::max(reach[a], (rest_[i].translation - rest_[a].translation).norm());
            depth_below[a] = std::max(depth_below[a], depth[i] - depth[a]);
        }
    }
    for (std::size_t i = 0; i < count; ++i) {
        // Half of the metres go to translations, half to rotations; both to all bones on the way to the tip.
        const float metres = 0.5f * tolerance.metres / static_cast<float>(depth[i] + depth_below[i]);
        shares_.push_back({metres, std::min(tolerance.radians, metres / std::max(reach[i], 1e-3f))});
    }
}

BoneKeys KeyReducer::keys_of(std::size_t bone) const {
    const int frames = static_cast<int>(clip_.frame_count());
    if (frames == 0) return {};
    BoneKeys keys;
    const Transform& rest = skeleton_.bones()[bone].rest;
    const auto at = [&](int i) -> const Transform& { return clip_.frame(static_cast<std::size_t>(i))[bone]; };
    const auto turned = [&](int a, int i, int b) {
        return apart(between(at(a).rotation, at(b).rotation, share_between(a, i, b)), at(i).rotation);
    };
    const auto keys_for = [&](StepBits property, float limit, const auto& from_rest, const auto& distance) {
        return clip_.holds(bone, property) ? reduce_steps(frames, limit, from_rest, distance)
                                           : reduce(frames, limit, from_rest, distance);
    };
    keys.rotation = keys_for(
        k_rotation_steps, shares_[bone].radians, [&](int i) { return apart(rest.rotation, at(i).rotation); },
        turned);

    const int parent = skeleton_.bones()[bone].parent;
    const Vec3& parent_scale =
        parent == k_no_bone ? skeleton_.above().scale : rest_[static_cast<std::size_t>(parent)].scale;
    const float unit = std::max(parent_scale.cwiseAbs().maxCoeff(), 1e-12f);
    const auto vector_keys = [&](StepBits step, auto property, float limit) {
        const auto off_line = [&](int a, int i, int b) {
            const float t = share_between(a, i, b);
            return (property(at(a)) * (1.0f - t) + property(at(b)) * t - property(at(i))).norm();
        };
        return keys_for(
            step, limit, [&](int i) { return (property(rest) - property(at(i))).norm(); }, off_line);
    };
    keys.translation = vector_keys(
        k_translation_steps, [](const Transform& t) -> Vec3 { return t.translation; },
        shares_[bone].metres / unit);
    keys.scale = vector_keys(
        k_scale_steps, [](const Transform& t) -> Vec3 { return t.scale; }, 1e-5f);
    return keys;
}

std::vector<BoneKeys> reduce_keys(const Skeleton& skeleton, const Clip& clip, const KeyTolerance& tolerance) {
    const KeyReducer reducer(skeleton, clip, tolerance);
    std::vector<BoneKeys> keys;
    for (std::size_t bone = 0; bone < skeleton.size(); ++bone) keys.push_back(reducer.keys_of(bone));
    return keys;
}

}  // namespace dendraxis
