#include "sway_body.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

using detail::bend;
using detail::between;
using detail::carry_along;
using detail::keep_lengths;
using detail::RowStep;
using detail::ShownLink;
using detail::SwayAnchor;
using detail::SwayParticle;
using detail::SwayProgram;
using detail::SwayRow;
using detail::take_twists;
using detail::unit_or;

constexpr float k_longest_sway_frame = 0.25f;  // seconds
constexpr float k_steps_a_second = 240.0f;
constexpr float k_fastest = 60.0f;        // lengths of the chain a second, seen from what it hangs from
constexpr float k_twist_seconds = 0.12f;  // in which a twist that another gave dies away
constexpr float k_cut_turn = 1.05f;       // radians in a step: no body turns so fast
constexpr float k_cut_lengths = 10.0f;    // lengths of the chain in a step: no body moves so far

// `to` brought to an angle of at most `most` from `from`; all unit vectors.
Vec3 within_cone(const Vec3& from, const Vec3& to, float most) {
    const float cosine = from.dot(to);
    if (cosine >= std::cos(most)) return to;
    const Vec3 side = unit_or(to - cosine * from, from.unitOrthogonal());
    return std::cos(most) * from + std::sin(most) * side;
}

}  // namespace

struct Sway::Inner {
    explicit Inner(const SwayBinding& own)
        : binding(own),
          program(own.program()),
          body(program),
          particles(program.links.size()),
          world(program.skeleton.size()),
          shown(program.links.size()),
          shown_before(program.links.size()),
          ends(program.links.size()),
          anchors(program.rows.size()),
          turns(program.links.size()),
          memory(program.longest),
          turned(program.rows.size(), 0.0f),
          depth(program.rows.size(), 0.0f) {}

    SwayBinding binding;
    const SwayProgram& program;
    detail::SwayBody body;
    bool seen = false;
    bool followed = false;                // something else moved the rows last
    std::vector<SwayParticle> particles;  // the ends of all links
    std::vector<Transform> world;         // of all bones
    std::vector<ShownLink> shown;
    std::vector<ShownLink> shown_before;
    std::vector<Vec3> ends;           // of all links, as the animation has them
    std::vector<SwayAnchor> anchors;  // a frame ago
    std::vector<Quat> turns;          // of all links, in the world
    detail::RowMemory memory;
    std::vector<float> turned;
    std::vector<float> depth;

    // ------------------------------------------------------------------ the animation

    const Transform& of(int bone) const noexcept { return world[static_cast<std::size_t>(bone)]; }

    void place(std::span<const Transform> local, const Transform& placement) noexcept {
        to_model_space(program.skeleton, local, world);
        for (Transform& bone : world) {
            bone.translation = placement.translation + placement.rotation * bone.translation;
            bone.rotation = placement.rotation * bone.rotation;
        }
        body.place(world);
        if (!seen) body.start();
    }

    // What the animation shows of a row, seen bone from bone; returns what it hangs from.
    SwayAnchor look_at(const SwayRow& row) noexcept {
        SwayAnchor anchor{of(program.links[row.first].bone).translation, of(row.hangs_from).rotation};
        Quat above = anchor.turn;
        for (std::size_t k = row.first; k < row.first + row.count; ++k) {
            const Transform& bone = of(program.links[k].bone);
            const bool is_last = k + 1 == row.first + row.count;
            ends[k] = is_last ? apply(bone, program.links[k].end) : of(program.links[k + 1].bone).translation;
            const Vec3 offset = ends[k] - bone.translation;
            shown[k].turn = (above.conjugate() * bone.rotation).normalized();
            shown[k].length = offset.norm();
            shown[k].axis = bone.rotation.conjugate() * unit_or(offset, Vec3::UnitY());
            above = bone.rotation;
        }
        return anchor;
    }

    void start_at_animation(std::size_t chain, const SwayAnchor& anchor) noexcept {
        const SwayRow& row = program.rows[chain];
        for (std::size_t k = row.first; k < row.first + row.count; ++k) {
            particles[k] = {};
            particles[k].position = ends[k];
            shown_before[k] = shown[k];
        }
        anchors[chain] = anchor;
    }

    bool animation_moves(const SwayRow& row) const noexcept {
        for (std::size_t k = row.first; k < row.first + row.count; ++k) {
            if (angle_between(shown_before[k].turn, shown[k].turn) > 1e-5f) return true;
        }
        return false;
    }

    // What a row hangs from is somewhere else at once: a clip that has begun anew, a loop that has closed.
    bool is_cut(const SwayRow& row, const SwayAnchor& from, const SwayAnchor& to) const noexcept {
        float reach = 0.0f;
        for (std::size_t k = row.first; k < row.first + row.count; ++k) reach += shown[k].length;
        return angle_between(from.turn, to.turn) > k_cut_turn ||
               (from.position - to.position).norm() > k_cut_lengths * reach;
    }

    // ------------------------------------------------------------------ one step

    // Gravity and air. What the shape carries at rest is taken off as the animation turns it.
    void fall(std::size_t chain, float h) noexcept {
        const SwayRow& row = program.rows[chain];
        const SwayChain& own = program.plan.chains[chain];
        const float kept = 1.0f / (1.0f + h * own.drag);
        for (std::size_t k = row.first; k < row.first + row.count; ++k) {
            SwayParticle& particle = particles[k];
            const Quat& animated = of(program.links[k].bone).rotation;
            const Vec3 pull = own.gravity * (program.gravity - animated * program.links[k].held_up);
            particle.from = particle.position;
            particle.velocity = kept * (particle.velocity + h * pull);
            particle.position += h * particle.velocity;
        }
    }

    // Root to tip: no bone turns farther than it may, none is in the body, each is as long as it is.
    void keep_bounds(std::size_t chain, const RowStep& step) noexcept {
        const SwayChain& own = program.plan.chains[chain];
        Vec3 head = step.anchor.position;
        Quat above = step.anchor.turn;
        for (std::size_t i = 0; i < step.particles.size(); ++i) {
            SwayParticle& particle = step.particles[i];
            const Quat goal_turn = above * step.turn_at(i, step.share);
            const Vec3 aim = goal_turn * step.shown[i].axis;
            Vec3 direction = within_cone(aim, unit_or(particle.position - head, aim), own.most_turn);
            const Vec3 kept = head + step.shown[i].length * direction;
            const Vec3 moved = body.out_of(kept, i, own.radius, step.share);
            if (moved != kept) direction = within_cone(aim, unit_or(moved - head, aim), own.most_turn);
            above = step.turned_to(i, goal_turn, aim, direction);
            particle.twist *= std::exp(-step.h / k_twist_seconds);
            head += step.shown[i].length * direction;
            particle.position = head;
            particle.bent = direction - aim;
            turns[program.rows[chain].first + i] = above;
        }
    }

    void take_speeds(const RowStep& step, const Vec3& anchor_velocity) noexcept {
        float reach = 0.0f;
        for (std::size_t i = 0; i < step.particles.size(); ++i) {
            SwayParticle& particle = step.particles[i];
            reach += step.shown[i].length;
            const Vec3 own = (particle.position - particle.from) / step.h - anchor_velocity;
            const float speed = own.norm();
            const float most = k_fastest * reach;
            particle.velocity = anchor_velocity + (speed > most ? Vec3(own * (most / speed)) : own);
        }
    }

    // ------------------------------------------------------------------ one row in one frame

    void simulate(std::size_t chain, float dt) noexcept {
        const SwayRow& row = program.rows[chain];
        const SwayChain& own = program.plan.chains[chain];
        const SwayAnchor now = look_at(row);
        if (!seen || is_cut(row, anchors[chain], now)) start_at_animation(chain, now);
        // What something else did to the row is no motion of the animation.
        if (followed) std::copy_n(&shown[row.first], row.count, &shown_before[row.first]);
        const SwayAnchor before = anchors[chain];
        RowStep step{{&shown_before[row.first], row.count},
                     {&shown[row.first], row.count},
                     {&particles[row.first], row.count},
                     now};
        if (followed) {
            step.anchor = before;
            take_twists(step, {&turns[row.first], row.count});
        }
        body.choose(row, step.shown, now.position, {&ends[row.first], row.count});
        const bool moves = animation_moves(row);
        const int steps = dt > 0.0f ? static_cast<int>(std::ceil(dt * k_steps_a_second - 1e-3f)) : 0;
        step.h = dt / static_cast<float>(std::max(1, steps));
        for (int s = 0; s < steps; ++s) {
            step.fresh = followed && s == 0;
            step.from = static_cast<float>(s) / static_cast<float>(steps);
            step.share = static_cast<float>(s + 1) / static_cast<float>(steps);
            step.anchor = {between(before.position, now.position, step.share),
                           between(before.turn, now.turn, step.share)};
            if (moves) carry_along(step);
            fall(chain, step.h);
            // Lengths before as well: what they bear is then no load on the springs.
            keep_lengths(step, memory);
            if (row.spring > 0.0f) bend(step, row.spring, own.damping / (k_pi * own.frequency), memory);
            keep_lengths(step, memory);
            keep_bounds(chain, step);
            take_speeds(step, (now.position - before.position) / dt);
        }
        if (steps == 0) keep_bounds(chain, step);
        if (!is_finite(step.particles)) {
            start_at_animation(chain, now);
            keep_bounds(chain, step);
        }
        measure(chain);
        anchors[chain] = now;
        std::copy_n(&shown[row.first], row.count, &shown_before[row.first]);
    }

    static bool is_finite(std::span<const SwayParticle> particles) noexcept {
        return std::all_of(particles.begin(), particles.end(), [](const SwayParticle& one) {
            return one.position.allFinite() && one.velocity.allFinite();
        });
    }

    void measure(std::size_t chain) noexcept {
        const SwayRow& row = program.rows[chain];
        turned[chain] = depth[chain] = 0.0f;
        for (std::size_t i = 0; i < row.count; ++i) {
            const std::size_t k = row.first + i;
            turned[chain] =
                std::max(turned[chain], angle_between(of(program.links[k].bone).rotation, turns[k]));
            const Vec3& position = particles[k].position;
            const Vec3 out = body.out_of(position, i, program.plan.chains[chain].radius, 1.0f);
            depth[chain] = std::max(depth[chain], (out - position).norm());
        }
    }

    // Hands the turns to the pose, and brings along what hangs from the row.
    void turn_bones(const SwayRow& row, std::span<Transform> local) noexcept {
        for (std::size_t i = 0; i < row.count; ++i) {
            const int bone = program.links[row.first + i].bone;
            Quat above = of(program.skeleton.parent(bone)).rotation;
            if (i > 0) {  // bones between two of the row go with the first of them
                const Quat& before = of(program.links[row.first + i - 1].bone).rotation;
                above = turns[row.first + i - 1] * before.conjugate() * above;
            }
            local[static_cast<std::size_t>(bone)].rotation =
                (above.conjugate() * turns[row.first + i]).normalized();
        }
        for (const int bone : row.below)
            world[static_cast<std::size_t>(bone)] =
                of(program.skeleton.parent(bone)) * local[static_cast<std::size_t>(bone)];
    }

    // ------------------------------------------------------------------ all rows

    void step(std::span<Transform> local, const Transform& placement, float dt) noexcept {
        place(local, placement);
        for (std::size_t chain = 0; chain < program.rows.size(); ++chain) {
            simulate(chain, dt);
            turn_bones(program.rows[chain], local);
        }
        seen = true;
        followed = false;
    }

    void follow(std::span<const Transform> local, const Transform& placement, float dt) noexcept {
        place(local, placement);
        for (std::size_t chain = 0; chain < program.rows.size(); ++chain) {
            const SwayRow& row = program.rows[chain];
            const SwayAnchor anchor = look_at(row);
            for (std::size_t k = row.first; k < row.first + row.count; ++k) {
                const Vec3 moved = ends[k] - particles[k].position;
                particles[k] = {};
                particles[k].position = ends[k];
                if (seen && dt > 0.0f) particles[k].velocity = moved / dt;
                turns[k] = of(program.links[k].bone).rotation;
            }
            anchors[chain] = anchor;
        }
        seen = followed = true;
    }

    void teleport(const Transform& from, const Transform& to) noexcept {
        const Quat turn = (to.rotation * from.rotation.conjugate()).normalized();
        const auto moved = [&](const Vec3& position) -> Vec3 {
            return to.translation + turn * (position - from.translation);
        };
        for (SwayParticle& particle : particles) {
            particle.position = moved(particle.position);
            particle.bent = turn * particle.bent;
            particle.velocity = turn * particle.velocity;
        }
        for (SwayAnchor& anchor : anchors) {
            anchor.position = moved(anchor.position);
            anchor.turn = (turn * anchor.turn).normalized();
        }
        body.teleport(turn, from.translation, to.translation);
    }
};

Sway::Sway(const SwayBinding& binding) : inner_(std::make_unique<Inner>(binding)) {}
Sway::~Sway() = default;
Sway::Sway(Sway&&) noexcept = default;
Sway& Sway::operator=(Sway&&) noexcept = default;

void Sway::step(std::span<Transform> local, const Transform& placement, float dt) noexcept {
    inner_->step(local, placement, dt > 0.0f ? std::min(dt, k_longest_sway_frame) : 0.0f);
}

void Sway::follow(std::span<const Transform> local, const Transform& placement, float dt) noexcept {
    inner_->follow(local, placement, dt);
}

void Sway::reset() noexcept {
    inner_->seen = false;
}

void Sway::teleport(const Transform& from, const Transform& to) noexcept {
    inner_->teleport(from, to);
}

void Sway::set_ground(const std::optional<SwayGround>& ground) noexcept {
    inner_->body.ground = ground;
}

float Sway::turned(std::size_t chain) const noexcept {
    return inner_->turned[chain];
}

float Sway::depth(std::size_t chain) const noexcept {
    return inner_->depth[chain];
}

}  // namespace dendraxis
