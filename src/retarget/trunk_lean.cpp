// Own method: a trunk between two pairs of limbs leans as the line between them does. If legs grow
// longer by standing as the source's do, and one pair more than the other, the trunk comes up there.
#include "trunk_lean.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/body_shape.hpp>
#include <dendraxis/geometry/capsule.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr float k_sinks = 0.1f;       // of a leg's height: what half of is made good
constexpr float k_steepest = 0.7f;    // of a trunk's length
constexpr float k_comes_down = 0.5f;  // of its height over the floor

// The first bones of all that hangs on hips and spine, but for the spine itself.
std::vector<int> chains_on_trunk(const BodyTree& body) {
    const Chart& chart = body.chart();
    std::vector<int> found;
    for (const Chain& chain : chart.chains) {
        const int holder = body.body_above(chain.bones.front());
        const Chain* held_by = chart.chain_of(holder);
        const bool on_spine = held_by != nullptr && held_by->role() == ChainRole::spine;
        if (chain.role() != ChainRole::spine && holder != k_no_bone && (holder == chart.hips || on_spine))
            found.push_back(chain.bones.front());
    }
    return found;
}

// Bones of limbs that do not hang on the one before.
std::vector<std::pair<int, int>> loose_bones(const Chart& chart) {
    std::vector<std::pair<int, int>> loose;
    for (const Chain& chain : chart.chains) {
        for (std::size_t i = 1; i < chain.bones.size() && is_limb(chain.role()); ++i) {
            if (!chart.skeleton.is_above(chain.bones[i - 1], chain.bones[i]))
                loose.emplace_back(chain.bones[i], chain.bones.front());
        }
    }
    return loose;
}

// The middle between the roots of a pair of limbs, as what both hang from carries it: they may slide.
std::optional<ChainPoint> girdle(const Chart& chart, const std::string& pair,
                                 std::span<const Transform> rest) {
    const Chain* left = chart.find(pair + ".left");
    const Chain* right = chart.find(pair + ".right");
    if (left == nullptr || right == nullptr) return std::nullopt;
    const int carrier = chart.skeleton.common_ancestor(left->bones.front(), right->bones.front());
    if (carrier == k_no_bone) return std::nullopt;
    const Transform& at = rest[static_cast<std::size_t>(carrier)];
    const auto root = [&](const Chain& leg) -> const Vec3& {
        return rest[static_cast<std::size_t>(leg.bones.front())].translation;
    };
    const Vec3 middle = 0.5f * (root(*left) + root(*right));
    return ChainPoint{carrier, carrier, 1.0f, at.rotation.conjugate() * (middle - at.translation)};
}

// How high the trunk's flesh is over the floor at rest.
float height_of_trunk(const Chart& chart, std::span<const Transform> rest) {
    float lowest = 1e30f;
    for (const Solid& solid : chart.shape.solids) {
        if (solid.part != "hips" && solid.part != "spine") continue;
        const Capsule capsule = placed(solid.capsule, rest[static_cast<std::size_t>(solid.bone)]);
        lowest = std::min(lowest, lowest_of(capsule, chart.up) - chart.rest_floor);
    }
    return std::max(0.0f, lowest);
}

// By how much more than both as a mean the hind pair comes down in the matched stance; the front pair comes
// up by as much. Legs make little differences good by themselves, and the trunk comes down by half of its
// height over the floor at most.
float lowered_hind_pair(const Chart& chart, std::span<const Transform> rest, const MatchedStance& stance,
                        float slack) {
    const float half = 0.5f * (stance.pair_drops[0] - stance.pair_drops[1]);
    const float most = std::max(0.0f, k_comes_down * height_of_trunk(chart, rest) - stance.hips_drop);
    const float wanted = half * half / (std::abs(half) + std::max(slack, 1e-9f));
    return std::copysign(std::min(wanted, most), half);
}

// The same length, with its far end `rise` higher, as far as that goes.
Vec3 leaning(const Vec3& along, const Vec3& up, float rise) {
    const Vec3 level = along - along.dot(up) * up;
    const float length = along.norm();
    const float height = std::clamp(along.dot(up) + rise, -k_steepest * length, k_steepest * length);
    if (rise == 0.0f || level.norm() < 1e-6f * length || std::abs(along.dot(up)) > k_steepest * length)
        return along;
    return std::sqrt(length * length - height * height) * level.normalized() + height * up;
}

}  // namespace

std::optional<LimbAim> aim_between_limbs(const Pairing& pairing, const BodyTree& body, bool on_four,
                                         const Quat& to_target, const MatchedStance& stance,
                                         std::span<const Transform> source_rest,
                                         std::span<const Transform> target_rest) {
    const char* fore = on_four ? "leg.front" : "arm";
    const char* hind = on_four ? "leg.back" : "leg";
    const auto front = girdle(pairing.target, fore, target_rest);
    const auto back = girdle(pairing.target, hind, target_rest);
    const auto source_front = girdle(pairing.source, fore, source_rest);
    const auto source_back = girdle(pairing.source, hind, source_rest);
    if (!front || !back || !source_front || !source_back) return std::nullopt;
    const Vec3& up = pairing.target.up;
    const float stands = position_of(*back, target_rest).dot(up) - pairing.target.rest_floor;
    const float slack = k_sinks * stands;
    const float lowered = on_four ? lowered_hind_pair(pairing.target, target_rest, stance, slack) : 0.0f;
    const Vec3 along =
        leaning(position_of(*front, target_rest) - position_of(*back, target_rest), up, 2.0f * lowered);
    const Vec3 theirs = position_of(*source_front, source_rest) - position_of(*source_back, source_rest);
    LimbAim::Segment segment;
    segment.bone = pairing.target.hips;
    segment.from = *source_back;
    segment.to = *source_front;
    LimbAim aim;
    aim.segments.push_back(segment);
    LimbAim::Lean lean;
    lean.back = *back;
    lean.front = *front;
    lean.turn = shortest_arc(to_target * theirs, along);
    lean.source_hips = pairing.source.hips;
    lean.source_rest = source_rest[static_cast<std::size_t>(lean.source_hips)].rotation;
    lean.on_four = on_four;
    lean.leg_ratio = leg_ratio(pairing);
    const auto height = [&](const ChainPoint& own, const ChainPoint& its, float down) {
        return position_of(own, target_rest).dot(up) - down -
               lean.leg_ratio * position_of(its, source_rest).dot(pairing.source.up);
    };
    lean.height = {height(*back, *source_back, lowered), height(*front, *source_front, -lowered)};
    lean.slack = slack;
    aim.lean = lean;
    aim.is_trunk = true;
    aim.always = true;
    aim.kept = chains_on_trunk(body);
    aim.loose = loose_bones(pairing.target);
    return aim;
}

}  // namespace dendraxis::detail
