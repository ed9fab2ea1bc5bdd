#include "similar.hpp"

#include <dendraxis/chart/unit.hpp>

namespace dendraxis::sim::detail {
namespace {

constexpr float k_person = 1.75f;  // metres
constexpr float k_least_person = 0.5f;
constexpr float k_most_person = 2.5f;

}  // namespace

Scale::Scale(const Chart& chart) {
    const float unit = metres_in_unit(chart);
    const float metres = unit * chart.height;
    const bool as_it_is = !(metres > 0.0f) || (metres > k_least_person && metres < k_most_person);
    metre = as_it_is ? 1.0f : k_person / metres;
    model = unit * metre;
}

Chart scaled(Chart chart, const Scale& scale) {
    Transform above = chart.skeleton.above();
    above.translation *= scale.model;
    above.scale *= scale.model;
    const std::span<const Bone> bones = chart.skeleton.bones();
    chart.skeleton = Skeleton({bones.begin(), bones.end()}, above);
    chart.height *= scale.model;
    chart.floor *= scale.model;
    chart.rest_floor *= scale.model;
    return chart;
}

RagdollPlan scaled(RagdollPlan plan, const Scale& scale) {
    for (RagdollBody& body : plan.bodies) {
        body.shape.half *= scale.model;
        body.at *= scale.model;
        body.mass *= scale.mass();
        body.inertia *= scale.mass() * scale.model * scale.model;
    }
    for (RagdollJoint& joint : plan.joints) {
        joint.at *= scale.model;
        joint.strength *= joint.strength > 0.0f ? scale.mass() * scale.metre * scale.metre : 1.0f;
    }
    return plan;
}

}  // namespace dendraxis::sim::detail
