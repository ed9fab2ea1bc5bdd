// One solve: its bones and tasks, found once, then step by step.
#pragma once

#include "solver_nodes.hpp"

namespace dendraxis::detail {

class Solve {
 public:
    Solve(const BodySolver& solver, std::span<const int> joint_of, std::span<const Effector> effectors,
          std::span<Transform> local, SolveScratch& scratch, const SolveOptions& options);
    SolveReport run();

 private:
    void keep_best(const Errors& error, Errors& best);
    bool loosen_limits();
    void pull_to_rest();
    const SolverJoint* joint_at(const Node& node) const {
        return node.joint < 0 ? nullptr : &solver_.joints()[static_cast<std::size_t>(node.joint)];
    }
    int node_for(int bone);
    void add_goal(const Effector& effector);
    std::span<Goal> goals() { return std::span(goal_).first(static_cast<std::size_t>(goals_)); }

    // The joints between an effector and the last thing above it that does not turn.
    struct Path {
        std::array<int, 64> nodes{};  // from the tip
        std::size_t count = 0;
        float length = 0.0f;
        Vec3 root = Vec3::Zero();
        std::span<const int> joints() const { return std::span(nodes).first(count); }
    };

    Path path_to(const Goal& goal) const;
    void draw_targets_near();
    Vec3 point_of(const Goal& goal, bool of_new) const {
        const Node& node = nodes_[static_cast<std::size_t>(goal.node)];
        return of_new ? Vec3(node.new_position + rotated(node.new_turn, goal.effector->offset))
                      : Vec3(node.position + rotated(node.turn, goal.effector->offset));
    }
    void unfold_straight_chains();
    void bend(std::span<const int> path, const Vec3& line);
    Errors errors(bool of_new);
    bool is_reached(const Errors& error) const {
        return error.position <= options_.tolerance && error.turn <= options_.turn_tolerance;
    }
    const Quat& stands_on(const Node& node, bool of_new) const {
        if (node.above < 0) return skeleton_.above().rotation;
        const Node& above = nodes_[static_cast<std::size_t>(node.above)];
        return of_new ? above.new_turn : above.turn;
    }
    void find_freedom(Node& node) const;
    void fill_system(float damping);
    std::span<const Effect> effects_of(const Node& node) const {
        return std::span(work_.effects).subspan(node.first_effect, node.last_effect - node.first_effect);
    }
    void add_effects(const Node& node);
    void add_hips();
    bool is_one_chain() const;
    void turn_one_chain(float damping);
    void turn_joints();
    void step(const Errors& error, float caution);
    void advance(const Vec3& hips_move);
    Quat kept_in_range(Node& node, const SolverJoint& joint, const BodySolver::Limit& limit,
                       const Quat& asked) const;
    void accept();
    void write_back();

    const BodySolver& solver_;
    const Skeleton& skeleton_;
    std::span<const int> joint_of_;
    std::span<Transform> local_;
    SolveScratch& work_;
    std::vector<Node>& nodes_;
    const SolveOptions& options_;
    Vec3 origin_ = Vec3::Zero();
    float size_ = 1.0f;
    float radian_ = 1.0f;
    float loosen_ = 0.0f;
    float hips_ease_ = 0.0f;
    std::array<Goal, BodySolver::k_most_effectors> goal_;
    int goals_ = 0;
    int tasks_ = 0;
    bool one_chain_ = false;
    bool turns_asked_ = false;  // whether any effector has an orientation
    TaskSystem system_;
};

}  // namespace dendraxis::detail
