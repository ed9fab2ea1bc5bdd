#include "sway_links.hpp"

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {

Quat RowStep::turn_at(std::size_t link, float at) const noexcept {
    return between(before[link].turn, shown[link].turn, at);
}

Quat RowStep::turned_to(std::size_t link, const Quat& goal, const Vec3& aim,
                        const Vec3& direction) const noexcept {
    const Quat swung = quick_arc(aim, direction) * goal;
    const float twist = particles[link].twist;
    if (twist == 0.0f) return swung.normalized();
    return (swung * Quat(Eigen::AngleAxisf(twist, shown[link].axis))).normalized();
}

void take_twists(const RowStep& step, std::span<const Quat> turns) noexcept {
    Quat above = step.anchor.turn;
    Vec3 head = step.anchor.position;
    for (std::size_t i = 0; i < step.particles.size(); ++i) {
        SwayParticle& particle = step.particles[i];
        particle.twist = 0.0f;
        const Quat goal = above * step.shown[i].turn;
        const Vec3 aim = goal * step.shown[i].axis;
        const Quat left =
            step.turned_to(i, goal, aim, unit_or(particle.position - head, aim)).conjugate() * turns[i];
        const Quat near = left.w() < 0.0f ? Quat(-left.coeffs()) : left;
        particle.twist = 2.0f * std::atan2(near.vec().dot(step.shown[i].axis), near.w());
        above = turns[i];
        head = particle.position;
    }
}

void carry_along(const RowStep& step) noexcept {
    Quat carried = Quat::Identity();
    Quat above = step.anchor.turn;
    Vec3 head_was = step.anchor.position;
    Vec3 head = step.anchor.position;
    for (std::size_t i = 0; i < step.particles.size(); ++i) {
        SwayParticle& particle = step.particles[i];
        const Quat was = step.turn_at(i, step.from);
        const Quat is = step.turn_at(i, step.share);
        const Vec3 offset = particle.position - head_was;
        const Vec3 aim = above * (was * step.shown[i].axis);
        carried = (carried * above * is * was.conjugate() * above.conjugate()).normalized();
        above = step.turned_to(i, above * was, aim, unit_or(offset, aim));
        head_was = particle.position;
        particle.position = head + carried * offset;
        particle.velocity = carried * particle.velocity;
        particle.bent = carried * particle.bent;
        head = particle.position;
    }
}

void bend(const RowStep& step, float spring, float damping, RowMemory& memory) noexcept {
    const std::size_t count = step.particles.size();
    const float stiffness = spring * spring;
    Vec3 head = step.anchor.position;
    Vec3 direction_before = Vec3::Zero();
    Quat above = step.anchor.turn;
    for (std::size_t i = 0; i < count; ++i) {
        const SwayParticle& particle = step.particles[i];
        const float length = std::max(step.shown[i].length, 1e-9f);
        const Quat goal_turn = above * step.turn_at(i, step.share);
        LinkSpring& own = memory.springs[i];
        own.length = length;
        own.stiffness = stiffness * length * length;
        own.damping = damping * own.stiffness;
        own.aim = goal_turn * step.shown[i].axis;
        // Of unit length: that a link is stretched, before it gets its length, is no bend.
        const Vec3 along = unit_or(particle.position - head, own.aim);
        own.bent = along - own.aim;
        own.bent_before = step.fresh ? own.bent : particle.bent;
        own.along_before = direction_before;
        direction_before = along;
        above = step.turned_to(i, goal_turn, own.aim, along);
        head = particle.position;
    }
    spring_moves({memory.springs.data(), count}, step.h, memory.rows, memory.along);
    for (std::size_t i = 0; i < count; ++i) step.particles[i].position += memory.along[i];
}

void keep_lengths(const RowStep& step, RowMemory& memory) noexcept {
    auto& [springs, rows, along, diagonal, right] = memory;
    const std::span<SwayParticle> ends = step.particles;
    const std::size_t count = ends.size();
    for (std::size_t i = 0; i < count; ++i) {
        const Vec3 offset = ends[i].position - (i == 0 ? step.anchor.position : ends[i - 1].position);
        along[i] = unit_or(offset, Vec3::UnitY());
        right[i] = offset.norm() - step.shown[i].length;
        diagonal[i] = i == 0 ? 1.0f : 2.0f;
    }
    for (std::size_t i = 1; i < count; ++i) {
        const float beside = -along[i].dot(along[i - 1]);
        const float factor = beside / diagonal[i - 1];
        diagonal[i] -= factor * beside;
        right[i] -= factor * right[i - 1];
    }
    for (std::size_t i = count; i-- > 0;) {
        if (i + 1 < count) right[i] += along[i + 1].dot(along[i]) * right[i + 1];
        right[i] /= diagonal[i];
    }
    for (std::size_t i = 0; i < count; ++i) {
        ends[i].position -= right[i] * along[i];
        if (i + 1 < count) ends[i].position += right[i + 1] * along[i + 1];
    }
}

}  // namespace dendraxis::detail
