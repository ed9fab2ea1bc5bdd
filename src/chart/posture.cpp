#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/skeleton/pose.hpp>

namespace dendraxis {

std::vector<Transform> turned_pose(const Chart& chart, std::vector<Transform> pose,
                                   std::span<const BoneTurn> turns) {
    const Skeleton& skeleton = chart.skeleton;
    const Quat upright = chart.to_upright();
    std::vector<Transform> model(skeleton.size());
    for (const BoneTurn& turn : turns) {
        const int bone = skeleton.find(turn.bone);
        if (bone == k_no_bone) {
            std::vector<std::string> labels;
            for (const Bone& candidate : skeleton.bones()) labels.push_back(candidate.label);
            throw Error(ErrorCode::unknown_name, chart.character, "has no bone '" + turn.bone + "' to turn",
                        "", did_you_mean(turn.bone, labels, "see `dendraxis survey`"));
        }
        const Vec3 radians = turn.degrees / k_degrees;
        if (radians.norm() < 1e-9f) continue;
        const Quat by(Eigen::AngleAxisf(radians.norm(), upright.conjugate() * radians.normalized()));
        to_model_space(skeleton, pose, model);
        const int parent = skeleton.parent(bone);
        const Quat above = parent == k_no_bone ? skeleton.above().rotation
                                               : model[static_cast<std::size_t>(parent)].rotation;
        Transform& local = pose[static_cast<std::size_t>(bone)];
        local.rotation = (above.conjugate() * by * above * local.rotation).normalized();
    }
    return pose;
}

std::vector<Transform> stance_pose(const Chart& chart, const std::string& name) {
    if (name.empty() || name == "rest") return rest_pose(chart.skeleton);
    const auto found = chart.stances.find(name);
    if (found == chart.stances.end()) {
        std::vector<std::string> names;
        for (const auto& [known, turns] : chart.stances) names.push_back(known);
        throw Error(ErrorCode::unknown_name, chart.character, "has no stance '" + name + "'", "",
                    did_you_mean(name, names, "add it to \"stances\" in its sheet"));
    }
    return turned_pose(chart, rest_pose(chart.skeleton), found->second);
}

Range range_of(const Chart& chart, int bone, const AngleSpan& twist, const AngleSpan& bend,
               const AngleSpan& side, const Vec3& about) {
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    const auto head = [&](int index) { return rest[static_cast<std::size_t>(index)].translation; };
    // Toward the next bone of its chain, else toward what hangs below it, else on from its parent.
    Vec3 direction = Vec3::Zero();
    for (const Chain& chain : chart.chains) {
        for (std::size_t i = 0; i + 1 < chain.bones.size(); ++i) {
            if (chain.bones[i] == bone) direction = head(chain.bones[i + 1]) - head(bone);
        }
    }
    if (direction.isZero() && !chart.skeleton.children(bone).empty())
        direction = head(chart.skeleton.children(bone).front()) - head(bone);
    if (direction.isZero() && chart.skeleton.parent(bone) != k_no_bone)
        direction = head(bone) - head(chart.skeleton.parent(bone));
    if (direction.isZero()) direction = chart.up;
    Range range;
    range.bone = (chart.to_upright() * direction).normalized();
    Vec3 axis = about;
    if (axis.isZero()) axis = std::abs(range.bone.x()) < 0.8f ? Vec3::UnitX() : Vec3::UnitY();
    axis -= range.bone * range.bone.dot(axis);
    range.about = axis.norm() > 1e-6f ? Vec3(axis.normalized()) : range.bone.unitOrthogonal();
    range.twist = twist;
    range.bend = bend;
    range.side = side;
    return range;
}

std::vector<float> chain_mask(const Chart& chart, std::span<const std::string> chains) {
    std::vector<float> mask(chart.skeleton.size(), 0.0f);
    for (const std::string& name : chains) {
        const Chain* chain = chart.find(name);
        if (chain == nullptr || chain->bones.empty())
            throw Error(ErrorCode::unknown_name, chart.character, "has no chain '" + name + "'");
        for (std::size_t i = 0; i < mask.size(); ++i) {
            if (chart.skeleton.is_above(chain->bones.front(), static_cast<int>(i))) mask[i] = 1.0f;
        }
    }
    return mask;
}

}  // namespace dendraxis
