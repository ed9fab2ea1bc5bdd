#include "sway_body.hpp"

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr float k_unmoved = 3.0f / k_degrees;  // of a row's bones: the animation leaves them alone
constexpr float k_moved = 15.0f / k_degrees;   // it moves them

}  // namespace

SwayBody::SwayBody(const SwayProgram& program)
    : program_(program),
      now_(program.solids.size()),
      before_(program.solids.size()),
      grown_(program.solids.size(), 1.0f),
      sizes_(program.solids.size(), 0.0f),
      near_(program.solids.size()),
      gaps_(program.longest * program.solids.size(), 0.0f) {}

void SwayBody::place(std::span<const Transform> world) noexcept {
    std::swap(now_, before_);
    for (std::size_t s = 0; s < now_.size(); ++s) {
        const Transform& bone = world[static_cast<std::size_t>(program_.solids[s].bone)];
        grown_[s] = size_of(bone) / std::max(1e-9f, program_.sizes[s]);
        const Capsule& rest = program_.solids[s].capsule;
        now_[s] = placed({grown_[s] * rest.center, grown_[s] * rest.along, grown_[s] * rest.across,
                          grown_[s] * rest.radius},
                         bone);
    }
}

void SwayBody::teleport(const Quat& turn, const Vec3& from, const Vec3& to) noexcept {
    for (Capsule& solid : now_) {
        solid.center = to + turn * (solid.center - from);
        solid.along = turn * solid.along;
        solid.across = turn * solid.across;
    }
}

void SwayBody::choose(const SwayRow& row, std::span<const ShownLink> shown, const Vec3& head,
                      std::span<const Vec3> ends) noexcept {
    near_count_ = 0;
    float reach = 0.0f;
    float moved = 0.0f;
    for (std::size_t i = 0; i < row.count; ++i) {
        reach += shown[i].length;
        moved = std::max(moved, angle_between(shown[i].turn, program_.links[row.first + i].rest));
    }
    for (std::size_t s = 0; s < now_.size(); ++s) {
        const Capsule& solid = now_[s];
        const float size = std::hypot(solid.along.norm(), solid.across.norm()) + solid.radius;
        sizes_[s] = size;
        const float way = (solid.center - before_[s].center).norm();
        if ((solid.center - head).norm() < reach + size + way + program_.widest) near_[near_count_++] = s;
    }
    const float share = std::clamp((moved - k_unmoved) / (k_moved - k_unmoved), 0.0f, 1.0f);
    for (std::size_t i = 0; i < row.count; ++i) {
        const float* at_rest = program_.least_gaps.data() + program_.links[row.first + i].first_gap;
        for (std::size_t n = 0; n < near_count_; ++n) {
            const std::size_t s = near_[n];
            float& gap = gaps_[i * now_.size() + s];
            gap = at_rest[s] == k_within ? k_within : grown_[s] * at_rest[s];
            if (share <= 0.0f || gap == k_within) continue;
            gap += share * (std::min(gap, nearest_on(now_[s], ends[i]).gap) - gap);
        }
    }
}

Vec3 SwayBody::out_of(const Vec3& position, std::size_t link, float radius, float share) const noexcept {
    Vec3 moved = position;
    for (std::size_t n = 0; n < near_count_; ++n) {
        const std::size_t s = near_[n];
        const float gap = gaps_[link * now_.size() + s];
        if (gap == k_within) continue;
        const Capsule& from = before_[s];
        const Capsule& to = now_[s];
        const float far = sizes_[s] + std::max(0.0f, gap);
        if ((between(from.center, to.center, share) - moved).squaredNorm() > far * far) continue;
        const Capsule capsule{between(from.center, to.center, share), between(from.along, to.along, share),
                              between(from.across, to.across, share), to.radius};
        const NearestOnCapsule nearest = nearest_on(capsule, moved);
        if (nearest.gap < gap) moved += (gap - nearest.gap) * nearest.normal;
    }
    if (ground) {
        const float gap = ground->normal.dot(moved - ground->point);
        if (gap < radius) moved += (radius - gap) * ground->normal;
    }
    return moved;
}

}  // namespace dendraxis::detail
