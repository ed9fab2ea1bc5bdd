// Damped least squares in task space (Wampler 1986, Buss 2004): three rows for a position, three for an
// orientation; the unknowns are small turns of each joint about axes in model space.
#include "solve.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ik/body_solver.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <tuple>

namespace dendraxis::detail {
namespace {

constexpr float k_least_damping = 1e-5f;  // of the square of the size
constexpr float k_error_damping = 0.1f;   // of the square of the error
constexpr float k_longest_step = 0.7f;    // radians, of any joint
constexpr float k_at_limit = 0.02f;       // of its axes' lengths: what a joint at its limit still counts
constexpr float k_slow = 0.98f;           // of the squared error: a step that leaves more has hardly helped
constexpr float k_loosen = 0.3f;          // of the way to the middle of a range
constexpr int k_most_loosenings = 4;
constexpr float k_least_beyond = 1e-3f;  // radians

}  // namespace

SolveReport Solve::run() {
    SolveReport report;
    if (goals_ == 0) {
        report.reached = true;
        return report;
    }
    draw_targets_near();
    unfold_straight_chains();
    one_chain_ = is_one_chain();
    Errors error = errors(false);
    Errors best = error;
    float caution = 1.0f;
    int slow = 0;
    int loosened = 0;
    while (report.iterations < options_.most_iterations && !is_reached(error)) {
        ++report.iterations;
        step(error, caution);
        const Errors next = errors(true);
        if (!(next.weighted < error.weighted)) {
            caution *= 8.0f;
        } else {
            slow = next.weighted > k_slow * error.weighted ? slow + 1 : 0;
            accept();
            for (Goal& goal : goals()) goal.now = goal.next;
            error = next;
            caution = std::max(1.0f, 0.25f * caution);
        }
        if (caution < 1e4f && slow < 3) continue;
        // Stuck. Joints that stand at a limit may hide a way: they are drawn off it, and what was best is
        // kept.
        keep_best(error, best);
        if (!options_.persistent || loosened++ >= k_most_loosenings || !loosen_limits()) break;
        error = errors(false);
        caution = 1.0f;
        slow = 0;
    }
    if (best.weighted < error.weighted) {
        for (Node& node : nodes_)
            std::tie(node.position, node.turn) = std::tie(node.best_position, node.best_turn);
        error = best;
    }
    write_back();
    // What was asked counts, not what it was drawn to.
    for (const Goal& goal : goals()) {
        if (goal.place_task >= 0)
            error.position = std::max(error.position, (goal.asked - point_of(goal, false)).norm());
    }
    report.worst_position = error.position;
    report.worst_turn = error.turn;
    report.reached = is_reached(error);
    report.held_back = static_cast<int>(
        std::count_if(nodes_.begin(), nodes_.end(), [](const Node& node) { return node.at_limit; }));
    return report;
}

void Solve::keep_best(const Errors& error, Errors& best) {
    if (error.weighted > best.weighted) return;
    best = error;
    for (Node& node : nodes_)
        std::tie(node.best_position, node.best_turn) = std::tie(node.position, node.turn);
}

// Every joint at a limit a part of the way to the middle of its range. Whether there was one.
bool Solve::loosen_limits() {
    bool any = false;
    for (Node& node : nodes_) {
        node.omega.setZero();
        any = any || node.at_limit;
    }
    if (!any) return false;
    loosen_ = k_loosen;
    advance(Vec3::Zero());
    loosen_ = 0.0f;
    accept();
    return true;
}

Errors Solve::errors(bool of_new) {
    Errors total;
    for (Goal& goal : goals()) {
        Goal::State& state = of_new ? goal.next : goal.now;
        const Node& node = nodes_[static_cast<std::size_t>(goal.node)];
        state.point = point_of(goal, of_new);
        if (goal.place_task >= 0) {
            state.position_error = goal.target - state.point;
            const float square = state.position_error.squaredNorm();
            total.position = std::max(total.position, square);
            total.weighted += goal.position_weight * square;
        }
        if (goal.turn_task >= 0) {
            const Quat& turn = of_new ? node.new_turn : node.turn;
            state.turn_error = rotation_vector(product(goal.effector->orientation, turn.conjugate()));
            const float square = state.turn_error.squaredNorm();
            total.turn = std::max(total.turn, square);
            total.weighted += goal.turn_weight * radian_ * radian_ * square;
        }
    }
    total.position = std::sqrt(total.position);
    total.turn = std::sqrt(total.turn);
    return total;
}

// The axes that a node turns about, each as long as the square root of how easily it turns about it. An
// axis that may hardly turn is no way out.
void Solve::find_freedom(Node& node) const {
    const SolverJoint* joint = joint_at(node);
    const bool ranged = options_.ranges && joint->ranged;
    node.even_ease = ranged || turns_asked_ ? -1.0f : 1.0f - joint->stiffness;
    if (node.even_ease >= 0.0f) return;
    const float ease = std::sqrt(1.0f - joint->stiffness);
    if (!ranged) {
        node.free = {Four{ease}, Four{0.0f, ease}, Four{0.0f, 0.0f, ease}};
        return;
    }
    const BodySolver::Limit& limit = solver_.limit_of(node.joint);
    // The range's axes stand with the parent, the twist with the bone.
    const Quat holder = product(stands_on(node, false), limit.from_upright);
    const Vec3 eases = (node.at_limit ? k_at_limit : 1.0f) * ease * limit.eases;
    node.free[0] = eases[0] * four(rotated(node.turn, limit.bone));
    node.free[1] = eases[1] * four(rotated(holder, joint->range.about));
    node.free[2] = eases[2] * four(rotated(holder, limit.side));
}

// What a turn of each joint does to the tasks below it, and the system that this makes.
void Solve::fill_system(float damping) {
    system_.clear(tasks_);
    std::size_t count = 0;
    for (Node& node : nodes_) {
        node.first_effect = node.last_effect = count;
        if (node.joint < 0 || node.goals == 0) continue;
        find_freedom(node);
        const bool even = node.even_ease >= 0.0f;
        for (const Goal& goal : goals()) {
            if ((node.goals >> goal.index & 1u) == 0) continue;
            if (goal.place_task >= 0) {
                const Four arm = four(goal.now.point - node.position);
                Effect& effect = work_.effects[count++];
                effect.task = goal.place_task;
                if (even)
                    effect.by[0] = arm;
                else
                    for (std::size_t k = 0; k < 3; ++k) effect.by[k] = crossed(node.free[k], arm);
            }
            if (goal.turn_task >= 0)
                work_.effects[count++] = {
                    goal.turn_task, {radian_ * node.free[0], radian_ * node.free[1], radian_ * node.free[2]}};
        }
        node.last_effect = count;
        add_effects(node);
    }
    if (hips_ease_ > 0.0f) add_hips();
    for (const Goal& goal : goals()) {
        if (goal.place_task >= 0) {
            system_.damp(goal.place_task, damping / goal.position_weight);
            system_.ask(goal.place_task, goal.now.position_error);
        }
        if (goal.turn_task >= 0) {
            system_.damp(goal.turn_task, damping / goal.turn_weight);
            system_.ask(goal.turn_task, radian_ * goal.now.turn_error);
        }
    }
}

void Solve::add_effects(const Node& node) {
    const std::span<const Effect> effects = effects_of(node);
    for (std::size_t i = 0; i < effects.size(); ++i) {
        for (std::size_t j = 0; j <= i; ++j)
            if (node.even_ease >= 0.0f)
                system_.add_even(effects[i].task, effects[j].task, effects[i].by[0], effects[j].by[0],
                                 node.even_ease);
            else
                system_.add(effects[i].task, effects[j].task, effects[i].by, effects[j].by);
    }
}

void Solve::add_hips() {
    const float ease = std::sqrt(hips_ease_);
    const Effects by{Four{ease}, Four{0.0f, ease}, Four{0.0f, 0.0f, ease}};
    for (const Goal& a : goals()) {
        for (const Goal& b : goals()) {
            if (a.moves_with_hips && b.moves_with_hips && a.place_task >= b.place_task && b.place_task >= 0)
                system_.add(a.place_task, b.place_task, by, by);
        }
    }
}

// One place and joints that turn as easily about all axes, which most chains are: the system is three by
// three, and what `fill_system` makes of it can be written down.
bool Solve::is_one_chain() const {
    if (goals_ != 1 || turns_asked_ || hips_ease_ > 0.0f) return false;
    return std::none_of(nodes_.begin(), nodes_.end(), [&](const Node& node) {
        return node.joint >= 0 && options_.ranges && joint_at(node)->ranged;
    });
}

void Solve::turn_one_chain(float damping) {
    const Goal& goal = goal_[0];
    const Four point = four(goal.now.point);
    float along = damping / goal.position_weight;
    Effects rows{};  // of the arms' products
    for (Node& node : nodes_) {
        if (node.joint < 0) continue;
        const float ease = 1.0f - joint_at(node)->stiffness;
        const Four arm = point - four(node.position);
        const Four eased = ease * arm;
        along += dotted(arm, eased);
        rows[0] += eased[0] * arm;
        rows[1] += eased[1] * arm;
        rows[2] += eased[2] * arm;
    }
    rows[0] = Four{along} - rows[0];
    rows[1] = Four{0.0f, along} - rows[1];
    rows[2] = Four{0.0f, 0.0f, along} - rows[2];
    // The inverse of a symmetric matrix has the cross products of its rows as rows.
    const Four first = crossed(rows[1], rows[2]);
    const Vec3& error = goal.now.position_error;
    const Four answer =
        (error.x() * first + error.y() * crossed(rows[2], rows[0]) + error.z() * crossed(rows[0], rows[1])) /
        dotted(rows[0], first);
    for (Node& node : nodes_) {
        const float ease = node.joint < 0 ? 0.0f : 1.0f - joint_at(node)->stiffness;
        node.omega = three(ease * crossed(point - four(node.position), answer));
    }
}

void Solve::turn_joints() {
    for (Node& node : nodes_) {
        Four omega{};
        for (const Effect& effect : effects_of(node)) {
            const Four answer = system_.answer(effect.task);
            if (node.even_ease >= 0.0f) {
                omega += node.even_ease * crossed(effect.by[0], answer);
                continue;
            }
            for (std::size_t k = 0; k < 3; ++k) omega += dotted(effect.by[k], answer) * node.free[k];
        }
        node.omega = three(omega);
    }
}

void Solve::step(const Errors& error, float caution) {
    const float damping = caution * (k_least_damping * size_ * size_ + k_error_damping * error.weighted);
    if (one_chain_) {
        turn_one_chain(damping);
    } else {
        fill_system(damping);
        system_.solve();
        turn_joints();
    }
    float longest = 0.0f;
    for (const Node& node : nodes_) longest = std::max(longest, node.omega.squaredNorm());
    Vec3 hips_move = Vec3::Zero();
    for (const Goal& goal : goals()) {
        if (goal.moves_with_hips && goal.place_task >= 0)
            hips_move += hips_ease_ * three(system_.answer(goal.place_task));
    }
    longest = std::sqrt(longest);
    if (longest > k_longest_step) {
        const float shorter = k_longest_step / longest;
        for (Node& node : nodes_) node.omega *= shorter;
        hips_move *= shorter;
    }
    advance(hips_move);
}

// Every joint turned by its `omega`; ranges held.
void Solve::advance(const Vec3& hips_move) {
    for (Node& node : nodes_) {
        const Node* above = node.above < 0 ? nullptr : &nodes_[static_cast<std::size_t>(node.above)];
        const Quat carried = above == nullptr ? Quat::Identity() : above->change;
        node.new_position =
            above == nullptr ? node.position
                             : Vec3(above->new_position + rotated(carried, node.position - above->position));
        if (node.bone == solver_.hips()) node.new_position += hips_move;
        node.change = node.joint < 0 ? carried : product(carried, small_turn(node.omega));
        node.new_turn = product(node.change, node.turn);
        node.limited_now = false;
        const SolverJoint* joint = joint_at(node);
        if (joint == nullptr || !joint->ranged || !options_.ranges) continue;
        const BodySolver::Limit& limit = solver_.limit_of(node.joint);
        const Quat& holder = stands_on(node, true);
        const Quat local = product(holder.conjugate(), node.new_turn);
        const Quat asked = product(product(joint->frame.to_upright, local), limit.undo_rest);
        const Quat kept = loosen_ > 0.0f && node.at_limit ? asked.slerp(loosen_, middle_of(joint->range))
                                                          : kept_in_range(node, *joint, limit, asked);
        if (kept.coeffs() == asked.coeffs()) continue;
        node.limited_now = true;
        node.new_turn = product(holder, joint->frame.local(kept)).normalized();
        node.change = product(node.new_turn, node.turn.conjugate());
    }
}

// What the pose itself has beyond the range may stay, and no more.
Quat Solve::kept_in_range(Node& node, const SolverJoint& joint, const BodySolver::Limit& limit,
                          const Quat& asked) const {
    Quat inside = limited(joint.range, asked);
    if (inside.coeffs() == asked.coeffs()) return asked;
    if (node.own_beyond < 0.0f) {
        const Quat& own = local_[static_cast<std::size_t>(node.bone)].rotation;
        node.own_beyond =
            overshoot(joint.range, product(product(joint.frame.to_upright, own), limit.undo_rest));
    }
    if (node.own_beyond < k_least_beyond) return inside;
    const float beyond = overshoot(joint.range, asked);
    return beyond <= node.own_beyond ? asked : asked.slerp(1.0f - node.own_beyond / beyond, inside);
}

void Solve::accept() {
    for (Node& node : nodes_) {
        node.position = node.new_position;
        node.turn = node.new_turn;
        node.at_limit = node.limited_now;
    }
}

}  // namespace dendraxis::detail

namespace dendraxis {

BodySolver::BodySolver(const Skeleton& skeleton, std::vector<SolverJoint> joints, int hips)
    : skeleton_(skeleton), joints_(std::move(joints)), joint_of_(skeleton.size(), -1), hips_(hips) {
    for (std::size_t i = 0; i < joints_.size(); ++i) {
        const int bone = joints_[i].bone;
        if (bone < 0 || bone >= static_cast<int>(skeleton.size()))
            throw Error("body solver", "has no bone " + std::to_string(bone), "joint " + std::to_string(i),
                        "name bones of its skeleton");
        joint_of_[static_cast<std::size_t>(bone)] = static_cast<int>(i);
        const SolverJoint& joint = joints_[i];
        const Quat from_upright = joint.frame.to_upright.conjugate();
        const auto share = [](const AngleSpan& span) { return std::clamp(span.to - span.from, 0.0f, 1.0f); };
        Limit& limit = limits_.emplace_back();
        limit.from_upright = from_upright;
        limit.undo_rest = joint.frame.rest.conjugate() * from_upright;
        limit.bone = limit.undo_rest * joint.range.bone;
        limit.side = joint.range.bone.cross(joint.range.about);
        limit.eases =
            Vec3(share(joint.range.twist), share(joint.range.bend), share(joint.range.side)).cwiseSqrt();
    }
}

SolveReport BodySolver::solve(std::span<const Effector> effectors, std::span<Transform> local,
                              Workspace& workspace, const SolveOptions& options) const {
    if (skeleton_.empty() || local.size() < skeleton_.size()) return {};
    reserve(workspace);
    auto& own = workspace.part<detail::SolveScratch>();
    return detail::Solve(*this, joint_of_, effectors, local.first(skeleton_.size()), own, options).run();
}

void BodySolver::reserve(Workspace& workspace) const {
    auto& own = workspace.part<detail::SolveScratch>();
    own.model.resize(skeleton_.size());
    own.node_of.resize(skeleton_.size());
    own.nodes.reserve(skeleton_.size());
    own.effects.resize(skeleton_.size() * detail::TaskSystem::k_most_tasks);
}

BodySolver chain_solver(const Skeleton& skeleton, std::span<const int> bones) {
    std::vector<SolverJoint> joints(bones.size());
    for (std::size_t i = 0; i < bones.size(); ++i) joints[i].bone = bones[i];
    return BodySolver(skeleton, std::move(joints));
}

}  // namespace dendraxis
