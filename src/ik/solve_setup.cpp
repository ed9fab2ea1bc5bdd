// What a solve starts from: the bones on the way to its effectors, targets within reach, chains that are not
// exactly straight; and how its result goes back into the pose.
#include "solve.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr float k_radian = 0.25f;       // of the size: an error of one radian counts as much
constexpr float k_priority = 0.01f;     // what each further priority counts of the one before
constexpr float k_soft_from = 0.9985f;  // of a way's length, from where on its reach is eased
constexpr float k_nudge = 0.08f;        // radians

}  // namespace

Solve::Solve(const BodySolver& solver, std::span<const int> joint_of, std::span<const Effector> effectors,
             std::span<Transform> local, SolveScratch& scratch, const SolveOptions& options)
    : solver_(solver),
      skeleton_(solver.skeleton()),
      joint_of_(joint_of),
      local_(local),
      work_(scratch),
      nodes_(scratch.nodes),
      options_(options) {
    pull_to_rest();
    to_model_space(skeleton_, local_, work_.model);
    nodes_.clear();
    std::fill(work_.node_of.begin(), work_.node_of.end(), -1);
    for (const Effector& effector : effectors.first(
             std::min<std::size_t>(effectors.size(), static_cast<std::size_t>(BodySolver::k_most_effectors))))
        add_goal(effector);
}

void Solve::pull_to_rest() {
    if (options_.rest_pull <= 0.0f || options_.rest.size() != local_.size()) return;
    for (const SolverJoint& joint : solver_.joints()) {
        const auto b = static_cast<std::size_t>(joint.bone);
        local_[b].rotation =
            local_[b].rotation.slerp(std::min(1.0f, options_.rest_pull), options_.rest[b].rotation);
    }
}

int Solve::node_for(int bone) {
    int& index = work_.node_of[static_cast<std::size_t>(bone)];
    if (index >= 0) return index;
    const int parent = skeleton_.parent(bone);
    const int above = parent == k_no_bone ? -1 : node_for(parent);
    Node& node = nodes_.emplace_back();
    node.bone = bone;
    node.above = above;
    node.joint = joint_of_[static_cast<std::size_t>(bone)];
    if (joint_at(node) != nullptr && joint_at(node)->stiffness >= 1.0f) node.joint = -1;
    // Hips that stay do not turn either: what hangs below them would swing away.
    if (bone == solver_.hips() && options_.hips_freedom <= 0.0f) node.joint = -1;
    const Transform& model = work_.model[static_cast<std::size_t>(bone)];
    if (nodes_.size() == 1) origin_ = model.translation;
    node.position = model.translation - origin_;
    node.turn = model.rotation;
    node.at_limit = false;
    node.goals = 0;
    node.own_beyond = -1.0f;
    work_.node_of[static_cast<std::size_t>(bone)] = static_cast<int>(nodes_.size()) - 1;
    return static_cast<int>(nodes_.size()) - 1;
}

void Solve::add_goal(const Effector& effector) {
    const bool positions_it = effector.position_weight > 0.0f && effector.target.allFinite();
    const bool turns = effector.turn_weight > 0.0f && effector.orientation.coeffs().allFinite();
    if (effector.bone < 0 || effector.bone >= static_cast<int>(skeleton_.size()) ||
        (!positions_it && !turns) || !effector.offset.allFinite())
        return;
    Goal goal;
    goal.effector = &effector;
    goal.node = node_for(effector.bone);
    const float counts = std::pow(k_priority, static_cast<float>(std::clamp(effector.priority, 0, 2)));
    if (positions_it) {
        goal.place_task = tasks_++;
        goal.position_weight = counts * effector.position_weight;
    }
    if (turns) {
        goal.turn_task = tasks_++;
        turns_asked_ = true;
        goal.turn_weight = counts * effector.turn_weight;
    }
    goal.asked = goal.target = effector.target - origin_;
    goal.index = static_cast<unsigned>(goals_);
    for (int n = goal.node; n >= 0; n = nodes_[static_cast<std::size_t>(n)].above) {
        Node& node = nodes_[static_cast<std::size_t>(n)];
        node.goals |= 1u << goal.index;
        goal.moves_with_hips = goal.moves_with_hips || node.bone == solver_.hips();
    }
    goal_[static_cast<std::size_t>(goals_++)] = goal;
}

Solve::Path Solve::path_to(const Goal& goal) const {
    Path path;
    path.root = point_of(goal, false);
    for (int n = goal.node; n >= 0 && path.count < path.nodes.size();) {
        const Node& node = nodes_[static_cast<std::size_t>(n)];
        if (node.joint < 0 && path.count > 0) break;
        if (node.joint >= 0) {
            path.length += (path.root - node.position).norm();
            path.root = node.position;
            path.nodes[path.count++] = n;
        }
        n = node.above;
    }
    return path;
}

// What lies out of reach is drawn to where the stretched way ends, softly, so that nothing jumps there.
void Solve::draw_targets_near() {
    size_ = 1e-6f;
    for (Goal& goal : goals()) {
        const Path path = path_to(goal);
        size_ = std::max(size_, path.length);
        if (goal.place_task < 0 || options_.hips_freedom > 0.0f) continue;
        const Vec3 asked = goal.target - path.root;
        const float start = k_soft_from * path.length;
        const float over = std::min(asked.norm(), 1e6f * path.length) - start;
        if (over <= 0.0f) continue;
        const float room = path.length - start;
        const float y = over / std::max(room, 1e-9f);
        goal.target = path.root + (start + over / std::sqrt(1.0f + y * y)) * asked.stableNormalized();
    }
    radian_ = k_radian * size_;
    // A quarter of the size is how far away a joint stands that moves things as easily.
    hips_ease_ = options_.hips_freedom * 0.0625f * size_ * size_;
}

// A chain that is exactly straight, its target on the same line, does not know where to bend.
void Solve::unfold_straight_chains() {
    for (const Goal& goal : goals()) {
        if (goal.place_task < 0) continue;
        const Path path = path_to(goal);
        const Vec3 reach = point_of(goal, false) - path.root;
        const Vec3 asked = goal.target - path.root;
        const float now = reach.norm();
        if (path.count < 2 || now < 0.99995f * path.length || asked.norm() > 0.999f * path.length) continue;
        if (asked.cross(reach).norm() <= 1e-3f * asked.norm() * now) bend(path.joints(), reach / now);
    }
}

// The first joint one way, the others back: a bow.
void Solve::bend(std::span<const int> path, const Vec3& line) {
    for (Node& node : nodes_) node.omega.setZero();
    Vec3 axis = Vec3::Zero();
    for (const int n : path) {
        const Node& node = nodes_[static_cast<std::size_t>(n)];
        if (axis.isZero()) axis = node.turn * joint_at(node)->bend;
    }
    axis -= line * line.dot(axis);
    axis = axis.norm() > 1e-6f ? Vec3(axis.normalized()) : line.unitOrthogonal();
    const float back = 2.0f / static_cast<float>(path.size() - 1);
    for (std::size_t i = 0; i < path.size(); ++i)
        nodes_[static_cast<std::size_t>(path[i])].omega =
            axis * (i + 1 == path.size() ? -k_nudge : back * k_nudge);
    advance(Vec3::Zero());
    accept();
}

void Solve::write_back() {
    for (const Node& node : nodes_) {
        const auto b = static_cast<std::size_t>(node.bone);
        const bool is_root = node.above < 0;
        const Quat stands =
            is_root ? skeleton_.above().rotation : nodes_[static_cast<std::size_t>(node.above)].turn;
        if (node.joint >= 0) local_[b].rotation = product(stands.conjugate(), node.turn).normalized();
        if (node.bone != solver_.hips() || options_.hips_freedom <= 0.0f) continue;
        const Vec3 above_position = is_root ? skeleton_.above().translation
                                            : nodes_[static_cast<std::size_t>(node.above)].position + origin_;
        const Vec3& scale = is_root
                                ? skeleton_.above().scale
                                : work_.model[static_cast<std::size_t>(skeleton_.parent(node.bone))].scale;
        const Vec3 from_parent = stands.conjugate() * Vec3(node.position + origin_ - above_position);
        for (int axis = 0; axis < 3; ++axis) {
            if (scale[axis] != 0.0f) local_[b].translation[axis] = from_parent[axis] / scale[axis];
        }
    }
}

}  // namespace dendraxis::detail
