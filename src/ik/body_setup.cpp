#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/ik/body_setup.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis {
namespace {

bool reaches(const Chain& chain) {
    return is_limb(chain.role()) || chain.role() == ChainRole::wing;
}

float stiffness_of(const Chain& chain, std::size_t index) {
    if (chain.name == "spine") return 0.5f;
    if (chain.role() == ChainRole::neck || chain.role() == ChainRole::head) return 0.6f;
    if (chain.role() == ChainRole::shoulder) return 0.7f;
    if (reaches(chain)) return index + 1 == chain.bones.size() && index > 1 ? 0.5f : 0.0f;
    return 0.3f;
}

}  // namespace

BodySolver body_solver(const Chart& chart) {
    const std::vector<JointRange> ranges = ranges_in_force(chart);
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    std::vector<SolverJoint> joints;
    const auto add = [&](int bone, float stiffness) {
        SolverJoint joint;
        joint.bone = bone;
        joint.stiffness = stiffness;
        joint.frame = joint_frame(chart, bone);
        const auto found =
            std::find_if(ranges.begin(), ranges.end(), [&](const JointRange& r) { return r.bone == bone; });
        if (found != ranges.end()) {
            joint.ranged = true;
            joint.range = found->range;
            // What a range mostly allows, it bends about.
            const bool forward = found->range.bend.to >= -found->range.bend.from;
            const Vec3 axis = forward ? found->range.about : Vec3(-found->range.about);
            joint.bend = rest[static_cast<std::size_t>(bone)].rotation.conjugate() *
                         (chart.to_upright().conjugate() * axis);
        }
        joints.push_back(joint);
    };
    if (chart.hips != k_no_bone) add(chart.hips, 0.6f);
    for (const Chain& chain : chart.chains) {
        for (std::size_t i = 0; i < chain.bones.size(); ++i) {
            if (chain.bones[i] != chart.hips) add(chain.bones[i], stiffness_of(chain, i));
        }
    }
    return BodySolver(chart.skeleton, std::move(joints), chart.hips);
}

std::vector<std::string> effector_names(const Chart& chart) {
    std::vector<std::string> names;
    if (chart.find("head") != nullptr) names.emplace_back("head");
    if (chart.hips != k_no_bone) names.emplace_back("hips");
    for (const Chain& chain : chart.chains) {
        if (reaches(chain)) names.push_back(chain.name);
    }
    return names;
}

Effector effector_of(const Chart& chart, std::string_view name) {
    Effector effector;
    if (name == "hips") {
        effector.bone = chart.hips;
    } else if (const Chain* chain = chart.find(name); chain != nullptr && !chain->bones.empty()) {
        effector.bone = chain->bones.back();
        for (const ArmShape& arm : chart.shape.arms) {
            if (arm.arm != chain->name) continue;
            effector.bone = arm.palm().bone;
            effector.offset = arm.palm().offset;
        }
    } else {
        effector.bone = chart.skeleton.find(name);
    }
    if (effector.bone == k_no_bone) {
        const std::vector<std::string> names = effector_names(chart);
        throw Error(ErrorCode::unknown_name, chart.file.empty() ? chart.character : chart.file,
                    "has no limb or bone '" + std::string(name) + "'", "",
                    did_you_mean(name, names, "see what `dendraxis chart` calls its limbs"));
    }
    const Transform holder = rest_in_model_space(chart.skeleton)[static_cast<std::size_t>(effector.bone)];
    effector.target = holder.translation + holder.rotation * effector.offset;
    effector.orientation = holder.rotation;
    return effector;
}

Vec3 position_in_model(const Chart& chart, const Vec3& position) {
    return chart.to_upright().conjugate() * position / metres_in_unit(chart) + chart.floor * chart.up;
}

Vec3 target_in_plane(const Chart& chart, const Effector& at_rest, const Vec3& target) {
    const Vec3& normal = chart.shape.flat_across;
    return target - normal * normal.dot(target - at_rest.target);
}

}  // namespace dendraxis
