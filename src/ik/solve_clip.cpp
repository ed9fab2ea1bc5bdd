#include "limbs_first.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/flat.hpp>
#include <dendraxis/ik/solve_clip.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_near_limit = 0.002f;  // radians

// Whether a joint stands at a limit: a little further on, and it would be beyond.
bool is_at_limit(const SolverJoint& joint, const Quat& local) {
    Range tighter = joint.range;
    for (AngleSpan* span : {&tighter.twist, &tighter.bend, &tighter.side}) {
        if (span->to - span->from < 4.0f * k_near_limit) continue;
        span->from += k_near_limit;
        span->to -= k_near_limit;
    }
    return joint.ranged && overshoot(tighter, joint.frame.turn(local)) > 0.0f;
}

class ClipSolver {
 public:
    ClipSolver(const Chart& chart, const Clip& clip, const SolveTask& task)
        : chart_(chart),
          clip_(clip),
          task_(task),
          solver_(body_solver(chart)),
          limbs_first_(chart, solver_),
          plane_(chart),
          model_(chart.skeleton.size()) {}

    SolvedClip solve() {
        SolvedClip result;
        result.clip = task_.ground ? walk_over(chart_, clip_, task_.ground) : clip_;
        result.clip.name = clip_.name;
        options_ = task_.options;
        if (task_.with == ReachWith::body && options_.hips_freedom <= 0.0f) options_.hips_freedom = 1.0f;
        if (task_.with == ReachWith::limb) options_.hips_freedom = 0.0f;
        options_.persistent = clip_.frame_count() < 2;  // one pose has no neighbors that it could differ from
        for (const NamedEffector& effector : task_.effectors) result.residuals.push_back({effector.name});
        for (const NamedAim& aim : task_.aims) result.residuals.push_back({aim.name, 0.0f, 0, true});
        counts_.assign(solver_.joints().size(), 0);
        states_.resize(task_.aims.size());
        for (std::size_t f = 0; f < result.clip.frame_count(); ++f) solve_frame(f, result);
        const auto frames = static_cast<double>(std::max<std::size_t>(1, result.clip.frame_count()));
        result.mean_iterations /= frames;
        for (std::size_t i = 0; i < counts_.size(); ++i) {
            if (counts_[i] > 0) result.held_back.push_back({solver_.joints()[i].bone, counts_[i]});
        }
        std::stable_sort(result.held_back.begin(), result.held_back.end(),
                         [](const auto& a, const auto& b) { return a.frames > b.frames; });
        return result;
    }

 private:
    void solve_frame(std::size_t frame, SolvedClip& result) {
        const std::span<Transform> pose = result.clip.frame(frame);
        const std::vector<Transform> before(pose.begin(), pose.end());
        for (std::size_t i = 0; i < task_.aims.size(); ++i)
            apply_aim(chart_.skeleton, task_.aims[i].aim, task_.aims[i].target, 1.0f,
                      frame == 0 ? 0.0f : 1.0f / clip_.fps, states_[i], pose, model_);
        if (!task_.effectors.empty()) {
            const SolveReport report = reach(pose);
            result.mean_iterations += report.iterations;
            result.frames_reached += report.reached ? 1 : 0;
        }
        keep_in_plane(before, pose);
        to_model_space(chart_.skeleton, pose, model_);
        for (std::size_t i = 0; i < result.residuals.size(); ++i) {
            SolvedClip::Residual& residual = result.residuals[i];
            const float left = residual.is_look ? missed(task_.aims[i - task_.effectors.size()])
                                                : distance(task_.effectors[i].effector);
            if (left <= residual.worst) continue;
            residual.worst = left;
            residual.frame = frame;
        }
        // Only what was turned is held back; a clip may stand at a limit by itself.
        for (std::size_t j = 0; j < counts_.size(); ++j) {
            const SolverJoint& joint = solver_.joints()[j];
            const auto b = static_cast<std::size_t>(joint.bone);
            const bool turned = angle_between(before[b].rotation, pose[b].rotation) > k_near_limit;
            if (turned && is_at_limit(joint, pose[b].rotation)) ++counts_[j];
        }
    }

    // A flat character's pose; one that leaves the plane by itself stays as it is.
    void keep_in_plane(const std::vector<Transform>& before, std::span<Transform> pose) const {
        if (chart_.shape.flat_across.isZero()) return;
        std::vector<Transform> flat = before;
        plane_.apply(flat);
        for (std::size_t b = 0; b < flat.size(); ++b) {
            if (angle_between(flat[b].rotation, before[b].rotation) > k_near_limit) return;
        }
        plane_.apply(pose);
    }

    // Limbs first; if that does not do it, or is asked of other parts, everything that may move.
    SolveReport reach(std::span<Transform> pose) {
        std::vector<Effector> effectors;
        for (const NamedEffector& named : task_.effectors) effectors.push_back(named.effector);
        std::vector<Effector> feet;
        if (task_.hold_feet && options_.hips_freedom > 0.0f) add_feet(pose, feet);
        SolveReport limbs =
            limbs_first_.solve(effectors, feet, pose, task_.with != ReachWith::limb, options_);
        const bool all_limbs = std::all_of(effectors.begin(), effectors.end(), [&](const Effector& effector) {
            return limbs_first_.is_limb_end(effector);
        });
        if (all_limbs && (limbs.reached || task_.with == ReachWith::limb)) return limbs;
        effectors.insert(effectors.end(), feet.begin(), feet.end());
        SolveReport all = solver_.solve(effectors, pose, workspace_, options_);
        all.iterations += limbs.iterations;
        return all;
    }

    void add_feet(std::span<const Transform> pose, std::vector<Effector>& effectors) {
        to_model_space(chart_.skeleton, pose, model_);
        for (const Limb& limb : limbs_of(chart_)) {
            const bool asked = std::any_of(task_.effectors.begin(), task_.effectors.end(),
                                           [&](const NamedEffector& e) { return e.name == limb.name; });
            if (asked || role_of(limb.name) != ChainRole::leg) continue;
            Effector foot;
            foot.bone = limb.bones[2];
            foot.target = head_of(foot.bone, model_);
            foot.orientation = model_[static_cast<std::size_t>(foot.bone)].rotation;
            foot.turn_weight = 1.0f;
            effectors.push_back(foot);
        }
    }

    float distance(const Effector& effector) const {
        const Transform& bone = model_[static_cast<std::size_t>(effector.bone)];
        return (bone.translation + bone.rotation * effector.offset - effector.target).norm();
    }

    float missed(const NamedAim& named) const {
        const Look look = look_of(named.aim, model_);
        const Quat miss = shortest_arc(look.direction, named.target - look.from);
        return rotation_vector(miss).norm();
    }

    const Chart& chart_;
    const Clip& clip_;
    const SolveTask& task_;
    BodySolver solver_;
    detail::LimbsFirst limbs_first_;
    PlaneKeeper plane_;
    SolveOptions options_;
    Workspace workspace_;
    std::vector<Transform> model_;
    std::vector<AimState> states_;
    std::vector<std::size_t> counts_;
};

}  // namespace

SolvedClip solve_clip(const Chart& chart, const Clip& clip, const SolveTask& task) {
    if (clip.bone_count != chart.skeleton.size())
        throw Error(clip.name,
                    "the clip has " + std::to_string(clip.bone_count) + " bones, its character " +
                        std::to_string(chart.skeleton.size()),
                    "", "use a clip of the character");
    return ClipSolver(chart, clip, task).solve();
}

}  // namespace dendraxis
