// Own method: critically damped springs (textbook control theory) carry each foot's rise and tilt and the
// hips' height after the ground; two-bone limbs do the rest.
#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/joint_ranges.hpp>
#include <dendraxis/ik/ground_adaptation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_speed_seconds = 0.15f;
constexpr float k_look_ahead = 0.16f;  // seconds: a foot in the air sees what it will come to
constexpr float k_in_the_air = 0.03f;  // of the leg's length, over the floor
constexpr int k_ankle_rounds = 8;

using Eased = GroundState::Eased;

// A critically damped spring, exact for a target at rest, whatever the step.
void ease(Eased& state, float target, float seconds, float within) {
    const float pull = 4.0f / within;
    const float away = state.value - target;
    const float drift = (state.speed + pull * away) * seconds;
    const float decay = std::exp(-pull * seconds);
    state.value = target + (away + drift) * decay;
    state.speed = (state.speed - pull * drift) * decay;
}

float smooth_step(float t) {
    t = std::clamp(t, 0.0f, 1.0f);
    return t * t * (3.0f - 2.0f * t);
}

float saturated(float value, float most) {
    return most > 0.0f ? most * std::tanh(value / most) : 0.0f;
}

}  // namespace

// One call: what is found of the body and of every foot, then laid on the pose.
class GroundAdaptation::Step {
 public:
    Step(const GroundAdaptation& adaptation, std::span<Transform> pose, std::span<Transform> model,
         const Transform& placement, const Ground& ground, float seconds, GroundState& state,
         const GroundOptions& options)
        : self_(adaptation),
          chart_(adaptation.chart_),
          pose_(pose),
          model_(model),
          placement_(placement),
          ground_(ground),
          seconds_(seconds),
          settle_(state.started ? seconds : 10.0f),
          state_(state),
          options_(options),
          up_(chart_.up),
          left_(up_.cross(chart_.facing)),
          world_up_(placement.rotation * up_),
          size_(placement.scale.x()),
          floor_height_(dendraxis::apply(placement, chart_.floor * up_).dot(world_up_)) {
        to_model_space(chart_.skeleton, pose_, model_);
    }

    void run() {
        find_strength();
        for (std::size_t i = 0; i < legs().size(); ++i) follow_ground(i);
        follow_feet();
        state_.started = true;
        if (differs()) lay_on_pose();
    }

 private:
    struct Foot {
        LimbJoints joints;
        float clearance = 0.0f;  // of the clip, over its floor
        Quat tilt = Quat::Identity();
        float rise = 0.0f;
        float stands = 0.0f;
        Quat clip_turn = Quat::Identity();
        float own_beyond = 0.0f;  // of the clip, out of the ankle's range
    };

    const std::vector<Leg>& legs() const { return self_.legs_; }

    // How fast the body goes over the floor decides how much is adapted.
    void find_strength() {
        const Vec3 body = dendraxis::apply(placement_, head_of(chart_.hips, model_));
        if (state_.started && seconds_ > 0.0f) {
            const Vec3 moved = body - state_.body;
            const float now = (moved - world_up_ * moved.dot(world_up_)).norm() / seconds_;
            state_.speed += (1.0f - std::exp(-seconds_ / k_speed_seconds)) * (now - state_.speed);
        }
        state_.body = body;
        const float legs_a_second = state_.speed / std::max(1e-6f, size_ * self_.leg_length_);
        const float span = std::max(1e-3f, options_.none_above - options_.full_below);
        strength_ = std::min(options_.strength, 1.0f) *
                    (1.0f - smooth_step((legs_a_second - options_.full_below) / span));
    }

    // Asked from the floor's height: the clip's own height over it does not count.
    std::optional<GroundPoint> below(const Vec3& position) const {
        std::optional<GroundPoint> found =
            ground_(position + world_up_ * (floor_height_ - position.dot(world_up_)));
        const float reach = options_.most_step * self_.leg_length_ * size_;
        if (found && (!std::isfinite(found->height) || std::abs(found->height - floor_height_) > reach ||
                      !found->normal.allFinite() || found->normal.dot(world_up_) < 0.1f))
            found.reset();
        return found;
    }

    void follow_ground(std::size_t index) {
        const Leg& leg = legs()[index];
        const Sole& sole = chart_.shape.soles[leg.sole];
        Foot& foot = feet_[index];
        GroundState::Foot& kept = state_.feet[index];
        const auto bone = static_cast<std::size_t>(leg.limb.bones[2]);
        foot.joints = joints_of(leg.limb.bones, model_);
        foot.clearance = lowest_of(sole, model_, up_) - chart_.floor;
        foot.clip_turn = model_[bone].rotation;
        if (leg.ranged) foot.own_beyond = overshoot(leg.range, leg.frame.turn(pose_[bone].rotation));

        const Vec3 ball = dendraxis::apply(placement_, position_of(sole, sole.parts[k_ball], model_));
        Vec3 ahead = Vec3::Zero();
        const bool in_the_air = foot.clearance > k_in_the_air * self_.leg_length_;
        if (in_the_air && state_.started && seconds_ > 0.0f)
            ahead = k_look_ahead / seconds_ * (ball - kept.position);
        kept.position = ball;
        const std::optional<GroundPoint> middle = below(ball + ahead);
        follow_slope(middle, kept, foot);
        const std::optional<float> rise = needed_rise(sole, foot, ahead);
        if (middle) kept.rise.value += middle->rising * seconds_ / size_;
        if (rise) ease(kept.rise, *rise, settle_, options_.foot_seconds);
        foot.rise = foot.stands * kept.rise.value;
    }

    void follow_slope(const std::optional<GroundPoint>& ground, GroundState::Foot& kept, Foot& foot) const {
        float forward = 0.0f;
        float left = 0.0f;
        if (ground) {
            const Vec3 normal = placement_.rotation.conjugate() * ground->normal;
            forward = std::atan(-normal.dot(chart_.facing) / normal.dot(up_));
            left = std::atan(-normal.dot(left_) / normal.dot(up_));
        }
        ease(kept.tilt[0], saturated(forward, options_.most_tilt), settle_, options_.foot_seconds);
        ease(kept.tilt[1], saturated(left, options_.most_tilt), settle_, options_.foot_seconds);
        ease(kept.stands, ground ? 1.0f : 0.0f, settle_, options_.foot_seconds);
        foot.stands = strength_ * std::clamp(kept.stands.value, 0.0f, 1.0f);
        // Rising forward turns the toes up: about the left axis, backward.
        const Vec3 axis = foot.stands * (kept.tilt[1].value * chart_.facing - kept.tilt[0].value * left_);
        if (axis.norm() > 1e-7f) foot.tilt = Quat(Eigen::AngleAxisf(axis.norm(), axis.normalized()));
    }

    // How far the tilted foot must go up for all of its sole to be as high over the ground as the clip has it
    // over the floor; nothing where there is no ground.
    std::optional<float> needed_rise(const Sole& sole, const Foot& foot, const Vec3& ahead) const {
        std::optional<float> rise;
        for (const SolePoint& part : sole.parts) {
            const Vec3 position = position_of(sole, part, model_);
            const Vec3 tilted = foot.joints.end + foot.tilt * (position - foot.joints.end);
            const auto look = [&](const Vec3& at) {
                const std::optional<GroundPoint> found = below(at);
                if (!found) return;
                const float needed = (found->height - floor_height_) / size_ + (position - tilted).dot(up_);
                rise = rise ? std::max(*rise, needed) : needed;
            };
            const Vec3 now = dendraxis::apply(placement_, tilted);
            look(now);
            if (!ahead.isZero()) look(now + ahead);
        }
        return rise;
    }

    // The hips go with the lowest foot; a lifted one has room to spare.
    template <class Counts>
    float lowest_rise(const Counts& counts) const {
        float lowest = 1e30f;
        float least_spare = 1e30f;
        for (std::size_t i = 0; i < legs().size(); ++i) {
            const Foot& foot = feet_[i];
            if (!counts(legs()[i]) || foot.stands < 0.01f) continue;
            const float spare =
                foot.stands * std::clamp(2.0f * foot.clearance, 0.0f, 0.5f * self_.leg_length_);
            lowest = std::min(lowest, foot.rise + spare);
            least_spare = std::min(least_spare, spare);
        }
        return lowest < 1e29f ? lowest - least_spare : 0.0f;
    }

    void follow_feet() {
        float hips = lowest_rise([](const Leg&) { return true; });
        float pitch = 0.0f;
        pivot_ = head_of(chart_.hips, model_);
        if (self_.wheelbase_ > 0.0f) {
            const float front = lowest_rise([](const Leg& leg) { return leg.front; });
            const float hind = lowest_rise([](const Leg& leg) { return !leg.front; });
            hips = 0.5f * (front + hind);
            pitch = std::atan((front - hind) / self_.wheelbase_);
            // Between the hips of all legs, so that front and hind go as far up and down.
            pivot_.setZero();
            for (std::size_t i = 0; i < legs().size(); ++i)
                pivot_ += feet_[i].joints.root / static_cast<float>(legs().size());
        }
        ease(state_.hips, hips, settle_, options_.hips_seconds);
        ease(state_.pitch, pitch, settle_, options_.hips_seconds);
        turn_ = Quat(Eigen::AngleAxisf(-state_.pitch.value, left_));
    }

    Vec3 carried(const Vec3& position) const {
        return pivot_ + turn_ * (position - pivot_) + state_.hips.value * up_;
    }

    bool differs() const {
        bool any = std::abs(state_.hips.value) > 1e-6f || std::abs(state_.pitch.value) > 1e-6f;
        for (std::size_t i = 0; i < legs().size(); ++i)
            any = any || std::abs(feet_[i].rise) > 1e-6f || feet_[i].tilt.vec().norm() > 1e-6f;
        return any;
    }

    void lay_on_pose() {
        const auto hips = static_cast<std::size_t>(chart_.hips);
        const int parent = chart_.skeleton.parent(chart_.hips);
        const Transform above =
            parent == k_no_bone ? chart_.skeleton.above() : model_[static_cast<std::size_t>(parent)];
        pose_[hips].rotation = (above.rotation.conjugate() * turn_ * model_[hips].rotation).normalized();
        pose_[hips].translation = dendraxis::apply(inverse(above), carried(model_[hips].translation));
        to_model_space(chart_.skeleton, pose_, model_);
        for (std::size_t i = 0; i < legs().size(); ++i) {
            const Foot& foot = feet_[i];
            // A foot without ground goes where the body takes it.
            const Vec3 free = carried(foot.joints.end);
            const Vec3 on_ground = foot.joints.end + foot.rise * up_;
            LimbGoal goal;
            goal.target = free + foot.stands * (on_ground - free);
            goal.turn_end = true;
            goal.orientation = foot.tilt * Quat::Identity().slerp(1.0f - foot.stands, turn_) * foot.clip_turn;
            reach(chart_.skeleton, legs()[i].limb, goal, model_, pose_);
            keep_ankle_in_range(legs()[i], foot, goal);
        }
    }

    // What the ground asks of an ankle beyond its range (and beyond the clip's own) is taken back: the heel
    // lifts. The foot then stands on what is lowest of it.
    void keep_ankle_in_range(const Leg& leg, const Foot& foot, LimbGoal goal) {
        const auto bone = static_cast<std::size_t>(leg.limb.bones[2]);
        const Sole& sole = chart_.shape.soles[leg.sole];
        const Vec3 normal = foot.tilt * up_;
        const auto lowest = [&](const Quat& orientation) {
            float least = 1e30f;
            for (const SolePoint& part : sole.parts)
                least = std::min(least, normal.dot(orientation * part.on_foot));
            return least;
        };
        for (int round = 0; leg.ranged && round < k_ankle_rounds; ++round) {
            const Quat turn = leg.frame.turn(pose_[bone].rotation);
            const float whole = overshoot(leg.range, turn);
            const float beyond = whole - foot.own_beyond;
            if (beyond <= 1e-4f) return;
            const Quat kept = leg.frame.local(turn.slerp(beyond / whole, limited(leg.range, turn)));
            const Quat shin = goal.orientation * pose_[bone].rotation.conjugate();
            const Quat orientation = (shin * kept).normalized();
            goal.target += (lowest(goal.orientation) - lowest(orientation)) / normal.dot(up_) * up_;
            goal.orientation = orientation;
            reach(chart_.skeleton, leg.limb, goal, model_, pose_);
        }
    }

    const GroundAdaptation& self_;
    const Chart& chart_;
    std::span<Transform> pose_;
    std::span<Transform> model_;
    const Transform& placement_;
    const Ground& ground_;
    float seconds_;
    float settle_;
    GroundState& state_;
    const GroundOptions& options_;
    Vec3 up_;
    Vec3 left_;
    Vec3 world_up_;
    float size_;
    float floor_height_;
    float strength_ = 0.0f;
    Vec3 pivot_ = Vec3::Zero();
    Quat turn_ = Quat::Identity();
    std::array<Foot, GroundState::k_most_feet> feet_;
};

GroundAdaptation::GroundAdaptation(const Chart& chart) : chart_(chart) {
    const std::string where = chart.file.empty() ? chart.character : chart.file;
    if (chart.hips == k_no_bone)
        throw Error(where, "has no hips, the bone that carries the body", "",
                    "see what `dendraxis chart` says of it");
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    const std::vector<JointRange> ranges = ranges_in_force(chart);
    float front = -1e30f;
    float back = 1e30f;
    for (const Limb& limb : limbs_of(chart)) {
        const auto sole = std::find_if(chart.shape.soles.begin(), chart.shape.soles.end(),
                                       [&](const Sole& s) { return s.leg == limb.name; });
        if (sole == chart.shape.soles.end() || legs_.size() == GroundState::k_most_feet) continue;
        const LimbJoints joints = joints_of(limb.bones, rest);
        const float length = (joints.middle - joints.root).norm() + (joints.end - joints.middle).norm();
        Leg& leg = legs_.emplace_back();
        leg.limb = limb;
        leg.sole = static_cast<std::size_t>(sole - chart.shape.soles.begin());
        leg.frame = joint_frame(chart, limb.bones[2]);
        const auto range = std::find_if(ranges.begin(), ranges.end(),
                                        [&](const JointRange& r) { return r.bone == limb.bones[2]; });
        leg.ranged = range != ranges.end();
        if (leg.ranged) leg.range = range->range;
        front = std::max(front, joints.root.dot(chart.facing));
        back = std::min(back, joints.root.dot(chart.facing));
        leg_length_ += length;
    }
    if (legs_.empty())
        throw Error(where, "has no legs to stand on", "", "see what `dendraxis chart` says of its legs");
    leg_length_ /= static_cast<float>(legs_.size());
    if (front - back > 0.4f * leg_length_) {
        wheelbase_ = front - back;
        for (Leg& leg : legs_) {
            const float at = head_of(leg.limb.bones[0], rest).dot(chart.facing);
            leg.front = at > 0.5f * (front + back);
        }
    }
}

void GroundAdaptation::apply(std::span<Transform> pose, const Transform& placement, const Ground& ground,
                             float seconds, GroundState& state, Workspace& workspace,
                             const GroundOptions& options) const {
    if (options.strength <= 0.0f || !ground || pose.size() < chart_.skeleton.size()) {
        state = {};
        return;
    }
    workspace.model.resize(chart_.skeleton.size());
    seconds = std::isfinite(seconds) ? std::clamp(seconds, 0.0f, 0.5f) : 0.0f;
    Step(*this, pose.first(chart_.skeleton.size()), workspace.model, placement, ground, seconds, state,
         options)
        .run();
}

}  // namespace dendraxis
