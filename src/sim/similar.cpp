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

RagdollPlan scaled(const RagdollPlan& plan, const Scale& scale) {
    RagdollPlan result = dendraxis::scaled(plan, scale.model);
    for (RagdollBody& body : result.bodies) {
        body.mass *= scale.mass();
        body.inertia *= scale.mass();
    }
    for (RagdollJoint& joint : result.joints)
        joint.strength *= joint.strength > 0.0f ? scale.mass() * scale.metre * scale.metre : 1.0f;
    return result;
}

}  // namespace dendraxis::sim::detail
