#include <dendraxis/sim/drop.hpp>

#include "fall_ground.hpp"
#include "similar.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <random>

namespace dendraxis::sim {
namespace {

constexpr float k_fastest_push = 20.0f;       // m/s
constexpr float k_may_start_within = 0.005f;  // metres
constexpr float k_least_seconds = 6.0f;
constexpr float k_still_for = 0.5f;        // seconds in which no body goes farther than this
constexpr float k_still_distance = 0.01f;  // metres
constexpr float k_still_turn = 0.05f;      // radians

void require_options(const DropOptions& options) {
    const auto fail = [](const char* what, const char* advice) { throw Error("drop", what, "", advice); };
    if (!(options.seconds > 0.0f) || options.seconds > 120.0f)
        fail("cannot last that long", "give 0.1 to 120 seconds");
    if (!(options.fps >= 1.0f) || options.fps > 480.0f)
        fail("cannot have that rate", "give 1 to 480 frames a second");
    if (!std::isfinite(options.height) || std::abs(options.height) > 100.0f)
        fail("cannot start from that height", "give at most 100 metres");
    if (!options.speed.allFinite() || options.speed.norm() > 100.0f)
        fail("cannot start that fast", "give at most 100 m/s");
}

// A turn, a spin and a speed from a seed. Written out, since the standard's distributions differ between
// libraries.
struct Chance {
    explicit Chance(unsigned seed) : engine(seed) {
        for (int i = 0; i < 8; ++i) engine();
    }
    float between(float low, float high) {
        return low + (high - low) * static_cast<float>(static_cast<double>(engine()) / 4294967296.0);
    }
    Vec3 within_ball(float radius) {
        for (;;) {
            const Vec3 v(between(-1, 1), between(-1, 1), between(-1, 1));
            if (v.norm() <= 1.0f) return radius * v;
        }
    }
    Quat turn() {  // K. Shoemake, "Uniform random rotations", Graphics Gems III (1992)
        const float u = between(0, 1);
        const float a = between(0, 2.0f * k_pi);
        const float b = between(0, 2.0f * k_pi);
        return Quat(std::sqrt(u) * std::cos(b), std::sqrt(1 - u) * std::sin(a),
                    std::sqrt(1 - u) * std::cos(a), std::sqrt(u) * std::sin(b));
    }
    std::mt19937 engine;
};

class Fall {
 public:
    Fall(const RagdollBinding& binding, const Chart& chart, const DropStart& start,
         const DropOptions& options, const DropGround& ground)
        : binding_(binding), plan_(binding.plan()), options_(options), world_(options.world) {
        placement_ = upright_stand(chart);
        kept_ = start.pose;
        model_.resize(kept_.size());
        states_.resize(plan_.bodies.size());
        anchors_.resize(plan_.joints.size());
        place(start);
        add_ground(world_, ground, placement_);
        handle_ = world_.add(binding_, states_, anchors_, options_.skin);
        lift_out();
        if (options.push) {
            const auto body = static_cast<std::size_t>(options.push->body);
            world_.push(handle_, options.push->body, options.push->impulse, states_.at(body).position);
            world_.states(handle_, states_);
        }
    }

    Drop run() {
        Drop drop;
        drop.clip.name = "drop";
        drop.clip.fps = options_.fps;
        drop.clip.bone_count = kept_.size();
        const auto frames = static_cast<std::size_t>(std::lround(options_.seconds * options_.fps));
        const float start_energy = energy();
        float still_since = 0.0f;
        std::vector<BodyState> still_at = states_;
        record(drop);
        for (std::size_t f = 0; f < frames; ++f) {
            world_.step(1.0f / options_.fps);
            world_.states(handle_, states_);
            record(drop);
            const float time = static_cast<float>(f + 1) / options_.fps;
            if (time <= 0.5f)
                drop.figures.energy_gained = std::max(drop.figures.energy_gained, energy() - start_energy);
            if (!is_near(still_at)) {
                still_at = states_;
                still_since = time;
            }
            if (time - still_since >= k_still_for && !drop.figures.settled) drop.figures.settled = time;
            if (drop.figures.settled && options_.until_settled && time >= k_least_seconds) break;
        }
        finish(drop);
        return drop;
    }

 private:
    void place(const DropStart& start) {
        const auto bodies_in = [&](const std::vector<Transform>& pose, std::vector<BodyState>& out) {
            to_model_space(binding_.skeleton(), pose, model_);
            out.resize(plan_.bodies.size());
            binding_.bodies_of(model_, placement_, out);
        };
        std::vector<BodyState> before;
        bodies_in(start.before, before);
        bodies_in(start.pose, states_);
        binding_.anchors_of(model_, anchors_);
        for (std::size_t b = 0; b < states_.size(); ++b) {
            BodyState& state = states_[b];
            state.velocity = (state.position - before[b].position) / start.step;
            state.angular_velocity = rotation_vector(state.turn * before[b].turn.conjugate()) / start.step;
        }
        const Vec3 middle = states_.front().position;
        Quat turn = Quat::Identity();
        Vec3 angular_velocity = Vec3::Zero();
        Vec3 speed = options_.speed;
        if (options_.seed) {
            Chance chance(*options_.seed);
            turn = chance.turn();
            angular_velocity = chance.within_ball(6.0f);
            speed += chance.within_ball(5.0f);
        }
        for (BodyState& state : states_) {
            const Vec3 offset = turn * (state.position - middle);
            state.position = middle + offset + Vec3(0.0f, options_.height, 0.0f);
            state.turn = (turn * state.turn).normalized();
            state.velocity = turn * state.velocity + speed + angular_velocity.cross(offset);
            state.angular_velocity = turn * state.angular_velocity + angular_velocity;
        }
    }

    // What starts within the ground would be thrown out of it.
    void lift_out() {
        for (int i = 0; i < 20; ++i) {
            world_.find_contacts();
            const float depth = world_.penetration(handle_).ground;
            if (depth < k_may_start_within) return;
            for (BodyState& state : states_) state.position.y() += depth;
            world_.remove(handle_);
            handle_ = world_.add(binding_, states_, anchors_, options_.skin);
        }
    }

    // Kinetic and of height, so that falling itself is not a gain.
    float energy() const {
        float sum = kinetic_energy(plan_, states_);
        for (std::size_t b = 0; b < states_.size(); ++b)
            sum -= plan_.bodies[b].mass * options_.world.gravity.dot(states_[b].position);
        return sum;
    }

    bool is_near(std::span<const BodyState> others) const {
        for (std::size_t b = 0; b < states_.size(); ++b) {
            if ((states_[b].position - others[b].position).norm() > k_still_distance ||
                angle_between(states_[b].turn, others[b].turn) > k_still_turn)
                return false;
        }
        return true;
    }

    void record(Drop& drop) {
        DropFigures& figures = drop.figures;
        for (const BodyState& state : states_)
            figures.finite = figures.finite && state.position.allFinite() && state.turn.coeffs().allFinite();
        std::vector<float> over;
        for (std::size_t j = 0; j < anchors_.size(); ++j) {
            const BodyState& above = states_[static_cast<std::size_t>(plan_.joints[j].above)];
            const BodyState& body = states_[static_cast<std::size_t>(plan_.joints[j].body)];
            figures.separation = std::max(figures.separation, separation_of(anchors_[j], above, body));
            over.push_back(k_degrees *
                           joint_overshoot(plan_.joints[j].range, turn_of(anchors_[j], above, body)));
            figures.overshoot = std::max(figures.overshoot, over.back());
        }
        figures.overshoot_at_rest = over.empty() ? 0.0f : *std::max_element(over.begin(), over.end());
        const Penetration depth = world_.penetration(handle_);
        figures.penetration_at_rest = std::max(depth.ground, depth.bodies);
        figures.penetration = std::max(figures.penetration, figures.penetration_at_rest);
        drop.overshoots.push_back(std::move(over));
        std::vector<Transform> pose = kept_;
        binding_.pose_of(states_, placement_, pose, model_);
        drop.clip.transforms.insert(drop.clip.transforms.end(), pose.begin(), pose.end());
    }

    static void finish(Drop& drop) {
        std::vector<float> all;
        for (const std::vector<float>& frame : drop.overshoots)
            all.insert(all.end(), frame.begin(), frame.end());
        if (all.empty()) return;
        const auto nth = static_cast<std::ptrdiff_t>(0.999 * static_cast<double>(all.size() - 1));
        std::nth_element(all.begin(), all.begin() + nth, all.end());
        drop.figures.overshoot_p999 = all[static_cast<std::size_t>(nth)];
    }

    const RagdollBinding& binding_;
    const RagdollPlan& plan_;
    const DropOptions& options_;
    World world_;
    RagdollHandle handle_ = RagdollHandle::none;
    Transform placement_;
    std::vector<Transform> kept_;
    std::vector<Transform> model_;
    std::vector<BodyState> states_;
    std::vector<JointAnchor> anchors_;
};

}  // namespace

std::optional<Finding> clamp_push(Push& push, const RagdollPlan& plan) {
    const RagdollBody& body = plan.bodies.at(static_cast<std::size_t>(push.body));
    const double strength = push.impulse.cast<double>().norm();
    const double most = static_cast<double>(k_fastest_push * body.mass);
    if (!std::isfinite(strength)) throw Error("push", "is not finite", body.name, "give three numbers, N s");
    if (strength <= most) return std::nullopt;
    push.impulse = (push.impulse.cast<double>() * (most / strength)).cast<float>();
    return Finding{
        Severity::warning, "ragdoll.push-clamped", body.name,
        fmt::format("an impulse of {:.3g} N s would make it faster than {:.0f} m/s; {:.3g} N s were given",
                    strength, k_fastest_push, most),
        "push less, or a heavier body"};
}

Drop run_drop(const RagdollBinding& binding, const Chart& chart, const DropStart& start,
              const DropOptions& options, const DropGround& ground) {
    require_options(options);
    if (start.pose.size() != binding.skeleton().size() || start.before.size() != start.pose.size() ||
        !(start.step > 0.0f))
        throw Error("drop", "needs a pose of the ragdoll's own skeleton");
    const detail::Scale scale(chart);
    if (scale.model == 1.0f) return Fall(binding, chart, start, options, ground).run();
    const Chart own = scaled(chart, scale.model);
    const RagdollBinding own_binding(detail::scaled(binding.plan(), scale), own);
    DropOptions own_options = options;
    own_options.world.gravity *= scale.metre;
    own_options.height *= scale.metre;
    own_options.speed *= scale.metre;
    if (own_options.push) own_options.push->impulse *= scale.mass() * scale.metre;
    for (std::vector<Vec3>& points : own_options.skin) {
        for (Vec3& point : points) point *= scale.model;
    }
    DropGround own_ground = ground;
    for (Vec3& position : own_ground.positions) position *= scale.model;
    Drop drop = Fall(own_binding, own, start, own_options, own_ground).run();
    for (float* length :
         {&drop.figures.separation, &drop.figures.penetration, &drop.figures.penetration_at_rest})
        *length /= scale.metre;
    drop.figures.energy_gained /= scale.mass() * scale.metre * scale.metre;
    return drop;
}

float kinetic_energy(const RagdollPlan& plan, std::span<const BodyState> states) noexcept {
    float sum = 0.0f;
    for (std::size_t b = 0; b < states.size(); ++b) {
        const RagdollBody& body = plan.bodies[b];
        const Vec3 angular_velocity = states[b].turn.conjugate() * states[b].angular_velocity;
        sum += 0.5f * body.mass * states[b].velocity.squaredNorm() +
               0.5f * angular_velocity.cwiseProduct(body.inertia).dot(angular_velocity);
    }
    return sum;
}

}  // namespace dendraxis::sim
