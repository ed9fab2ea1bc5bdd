// Own method: by the solids and probes of both shapes; what the source does itself, in proportion, is no
// fault, nor how deep the target's own flesh is in the floor at rest.
#include "body_measures.hpp"

#include <dendraxis/chart/unit.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis::detail {
namespace {

float millimetres_in_unit(const Chart& chart) {
    return 1e3f * metres_in_unit(chart);
}

Capsule placed_in(const Solid& solid, std::span<const Transform> model) {
    return placed(solid.capsule, model[static_cast<std::size_t>(solid.bone)]);
}

float depth_in_body(const Probe& probe, const BodyShape& shape, std::span<const Transform> model) {
    const Vec3 position = position_of(probe, model);
    float deepest = 0.0f;
    for (const Solid& solid : shape.solids)
        deepest = std::max(deepest, probe.radius - nearest_on(placed_in(solid, model), position).gap);
    return deepest;
}

// The lowest of all solids and arms over the floor, and the bone that has it.
std::pair<float, int> lowest_flesh(const Chart& chart, std::span<const Transform> model) {
    std::pair<float, int> lowest{1e30f, k_no_bone};
    const auto ask = [&](float height, int bone) {
        if (height < lowest.first) lowest = {height, bone};
    };
    for (const Solid& solid : chart.shape.solids)
        ask(lowest_of(placed_in(solid, model), chart.up), solid.bone);
    for (const ArmShape& arm : chart.shape.arms) {
        for (const Probe& probe : arm.probes)
            ask(position_of(probe, model).dot(chart.up) - probe.radius, probe.bone);
    }
    lowest.first -= chart.floor;
    return lowest;
}

}  // namespace

void keep_worst(Measure& measure, float value, std::size_t frame, const std::string& where) {
    if (measure.frame >= 0 && value <= measure.value) return;
    measure.value = std::max(0.0f, value);
    measure.frame = static_cast<int>(frame);
    measure.where = where;
}

Measure clipping(const TwoClips& clips) {
    Measure clipping{"clipping_mm", 0.0f, -1, ""};
    const Pairing& pairing = clips.pairing;
    const BodyShape& source = pairing.source.shape;
    const BodyShape& target = pairing.target.shape;
    const float ratio = leg_ratio(pairing);
    const float millimetres = millimetres_in_unit(pairing.target);
    if (!target.flat_across.isZero()) return clipping;  // arms lie before the body or behind it
    for (const ArmShape& arm : target.arms) {
        const Chain* answer = pairing.source_of(*pairing.target.find(arm.arm));
        if (answer == nullptr) continue;
        const auto own = std::find_if(source.arms.begin(), source.arms.end(),
                                      [&](const ArmShape& shape) { return shape.arm == answer->name; });
        for (std::size_t f = 0; f < clips.frames; ++f) {
            for (std::size_t k = 0; k < k_arm_probes; ++k) {
                const float theirs = own == source.arms.end()
                                         ? 0.0f
                                         : depth_in_body(own->probes[k], source, clips.source_at(f));
                const float depth = depth_in_body(arm.probes[k], target, clips.target_at(f));
                keep_worst(clipping, (depth - ratio * theirs) * millimetres, f,
                           pairing.target.skeleton.bone(arm.probes[k].bone).label);
            }
        }
    }
    return clipping;
}

Measure body_depth(const TwoClips& clips) {
    Measure depth{"body_depth_mm", 0.0f, -1, ""};
    const Pairing& pairing = clips.pairing;
    const float ratio = leg_ratio(pairing);
    const float millimetres = millimetres_in_unit(pairing.target);
    const std::vector<Transform> rest = rest_in_model_space(pairing.target.skeleton);
    const float at_rest =
        lowest_flesh(pairing.target, rest).first + pairing.target.floor - pairing.target.rest_floor;
    for (std::size_t f = 0; f < clips.frames; ++f) {
        const auto [own, bone] = lowest_flesh(pairing.target, clips.target_at(f));
        const float theirs = lowest_flesh(pairing.source, clips.source_at(f)).first;
        if (bone == k_no_bone) continue;
        const float allowed = std::min({0.0f, ratio * theirs, at_rest});
        keep_worst(depth, (allowed - own) * millimetres, f, pairing.target.skeleton.bone(bone).label);
    }
    return depth;
}

}  // namespace dendraxis::detail
