// Own method: where a segment is short and turns faster than limbs do, it goes along the arc between its
// directions before and after.
#include "calm_whips.hpp"

#include "smoothing.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr float k_short = 0.3f;     // of a segment's greatest length in the clip: from there on it may whip
constexpr float k_fastest = 20.0f;  // rad/s: faster it does
constexpr float k_around = 0.08f;   // seconds before and after it that are bridged as well

// Where a segment points, a frame each, and in which frames that says nothing.
struct Pointing {
    std::vector<Vec3> directions;
    std::vector<float> lengths;
    std::vector<char> whips;
};

void find_whips(Pointing& segment, float fps) {
    const std::size_t count = segment.directions.size();
    const float longest = *std::max_element(segment.lengths.begin(), segment.lengths.end());
    const auto around = static_cast<std::size_t>(std::lround(k_around * fps));
    segment.whips.assign(count, 0);
    for (std::size_t f = 0; f + 1 < count; ++f) {
        const Vec3& a = segment.directions[f];
        const Vec3& b = segment.directions[f + 1];
        const bool is_short = std::min(segment.lengths[f], segment.lengths[f + 1]) < k_short * longest;
        if (!is_short || fps * std::atan2(a.cross(b).norm(), a.dot(b)) < k_fastest) continue;
        const std::size_t from = f < around ? 0 : f - around;
        const std::size_t to = std::min(count, f + 2 + around);
        std::fill(segment.whips.begin() + static_cast<std::ptrdiff_t>(from),
                  segment.whips.begin() + static_cast<std::ptrdiff_t>(to), 1);
    }
}

Vec3 on_arc_between(const Vec3& a, const Vec3& b, float share) {
    const Vec3 turn = rotation_vector(shortest_arc(a, b));
    const float angle = turn.norm();
    return angle > 1e-6f ? Vec3(Eigen::AngleAxisf(share * angle, turn / angle) * a) : a;
}

// Over each stretch that whips the directions go from that before it to that after it.
void bridge(Pointing& segment) {
    const std::size_t count = segment.directions.size();
    const std::vector<Vec3> own = segment.directions;
    for (std::size_t from = 0; from < count; ++from) {
        if (segment.whips[from] == 0) continue;
        std::size_t to = from;
        while (to < count && segment.whips[to] != 0) ++to;
        if (from == 0 && to == count) return;  // nothing is better known
        const Vec3& before = own[from == 0 ? to : from - 1];
        const Vec3& after = own[to == count ? from - 1 : to];
        for (std::size_t f = from; f < to; ++f) {
            const float share =
                smoother_step(static_cast<float>(f - from + 1) / static_cast<float>(to - from + 1));
            segment.directions[f] = on_arc_between(before, after, share);
        }
        from = to;
    }
}

std::vector<Pointing> pointings(const AimProgram& program, const LimbAim& limb, const Skeleton& skeleton,
                                const Clip& source) {
    std::vector<Pointing> segments(limb.segments.size());
    std::vector<Transform> model(source.bone_count);
    for (std::size_t f = 0; f < source.frame_count(); ++f) {
        to_model_space(skeleton, source.frame(f), model);
        for (std::size_t s = 0; s < segments.size(); ++s) {
            const Vec3 now =
                position_of(limb.segments[s].to, model) - position_of(limb.segments[s].from, model);
            segments[s].lengths.push_back(now.norm());
            segments[s].directions.push_back(program.to_target * now.stableNormalized());
        }
    }
    for (Pointing& segment : segments) find_whips(segment, source.fps);
    return segments;
}

}  // namespace

void calm_whips(const AimProgram& program, const Pairing& pairing, const Clip& source, Clip& result) {
    std::vector<Transform> model(result.bone_count);
    for (const LimbAim& limb : program.limbs) {
        bool slides = false;
        for (std::size_t f = 0; f < source.frame_count() && !slides && !limb.is_trunk; ++f)
            slides = is_active(program, limb, source.frame(f));
        if (!slides) continue;
        std::vector<Pointing> segments = pointings(program, limb, pairing.source.skeleton, source);
        for (Pointing& segment : segments) bridge(segment);
        std::vector<Vec3> directions(segments.size());
        for (std::size_t f = 0; f < source.frame_count(); ++f) {
            const bool whips = std::any_of(segments.begin(), segments.end(),
                                           [&](const Pointing& segment) { return segment.whips[f] != 0; });
            if (!whips) continue;
            for (std::size_t s = 0; s < segments.size(); ++s) directions[s] = segments[s].directions[f];
            aim_along(limb, directions, pairing.target.skeleton, result.frame(f), model);
        }
    }
}

}  // namespace dendraxis::detail
