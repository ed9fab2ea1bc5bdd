// Own method: an order of willingness (limb, shoulder, trunk, hips) that sets in smoothly.
#include "limbs_first.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis::detail {
namespace {

constexpr float k_easy_reach = 0.8f;  // of an arm's length: so far it reaches alone
constexpr float k_far_reach = 1.0f;   // from here on the body comes all the rest of the way

// How far, in lengths of the arm, its root is brought toward a target so many lengths away.
float help(float lengths) {
    const float over = lengths - k_easy_reach;
    const float span = k_far_reach - k_easy_reach;
    if (over <= 0.0f) return 0.0f;
    return over < span ? 0.5f * over * over / span : 0.5f * span + over - span;
}

BodySolver part_of(const BodySolver& whole, const std::vector<char>& takes_part) {
    std::vector<SolverJoint> joints(whole.joints().begin(), whole.joints().end());
    std::erase_if(joints, [&](const SolverJoint& joint) {
        return takes_part[static_cast<std::size_t>(joint.bone)] == 0;
    });
    return BodySolver(whole.skeleton(), std::move(joints), whole.hips());
}

}  // namespace

LimbsFirst::LimbsFirst(const Chart& chart, const BodySolver& whole)
    : chart_(chart), model_(chart.skeleton.size()) {
    std::vector<char> limbs(chart.skeleton.size(), 0);
    std::vector<char> trunk(chart.skeleton.size(), 0);
    const auto mark = [](std::vector<char>& marks, const Chain& chain) {
        for (const int bone : chain.bones) marks[static_cast<std::size_t>(bone)] = 1;
    };
    for (const Chain& chain : chart.chains) {
        const ChainRole role = chain.role();
        if (is_limb(role)) {
            mark(limbs, chain);
            if (descends(chart.skeleton, chain.bones) && chain.bones.size() > 1)
                ways_.push_back({chain.bones, role == ChainRole::arm});
        }
        if (role == ChainRole::spine || role == ChainRole::shoulder) mark(trunk, chain);
        if (role == ChainRole::leg) mark(trunk, chain);  // they hold the feet while the hips move
    }
    if (chart.hips != k_no_bone) trunk[static_cast<std::size_t>(chart.hips)] = 1;
    limbs_ = part_of(whole, limbs);
    trunk_ = part_of(whole, trunk);
}

const LimbsFirst::LimbWay* LimbsFirst::limb_of(const Effector& effector) const {
    const auto found = std::find_if(ways_.begin(), ways_.end(), [&](const LimbWay& way) {
        return std::find(way.bones.begin() + 1, way.bones.end(), effector.bone) != way.bones.end();
    });
    return found == ways_.end() || effector.position_weight <= 0.0f ? nullptr : &*found;
}

Effector LimbsFirst::root_brought_near(const LimbWay& limb, const Effector& effector) const {
    const auto head = [&](int bone) -> const Vec3& {
        return model_[static_cast<std::size_t>(bone)].translation;
    };
    const Transform& holder = model_[static_cast<std::size_t>(effector.bone)];
    float length = (holder.rotation * effector.offset).norm();
    for (std::size_t i = 1; i < limb.bones.size(); ++i) {
        length += (head(limb.bones[i]) - head(limb.bones[i - 1])).norm();
        if (limb.bones[i] == effector.bone) break;
    }
    Effector root;
    root.bone = limb.bones.front();
    root.priority = effector.priority;
    const Vec3 way = effector.target - head(root.bone);
    const float distance = way.norm();
    root.target = head(root.bone);
    if (length > 1e-9f && distance > 1e-9f) root.target += help(distance / length) * length / distance * way;
    return root;
}

SolveReport LimbsFirst::solve(std::span<const Effector> effectors, std::span<const Effector> others,
                              std::span<Transform> pose, bool body_helps, const SolveOptions& options) {
    if (body_helps) {
        to_model_space(chart_.skeleton, pose, model_);
        std::vector<Effector> roots;
        float farthest = 0.0f;
        for (const Effector& effector : effectors) {
            const LimbWay* limb = limb_of(effector);
            if (limb == nullptr || !limb->is_arm || !effector.target.allFinite()) continue;
            roots.push_back(root_brought_near(*limb, effector));
            farthest = std::max(farthest, (roots.back().target -
                                           model_[static_cast<std::size_t>(roots.back().bone)].translation)
                                              .norm());
        }
        roots.insert(roots.end(), others.begin(), others.end());
        if (farthest > options.tolerance) trunk_.solve(roots, pose, workspace_, options);
    }
    std::vector<Effector> own;
    for (const Effector& effector : effectors) {
        if (is_limb_end(effector)) own.push_back(effector);
    }
    SolveOptions limb_options = options;
    limb_options.hips_freedom = 0.0f;
    return own.empty() ? SolveReport{} : limbs_.solve(own, pose, workspace_, limb_options);
}

}  // namespace dendraxis::detail
