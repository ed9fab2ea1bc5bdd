// Where the parts of a body's shape are in a pose.
#include <dendraxis/chart/body_shape.hpp>

#include <algorithm>

namespace dendraxis {

const Sole* BodyShape::sole_of(std::string_view leg) const noexcept {
    const auto found =
        std::find_if(soles.begin(), soles.end(), [leg](const Sole& sole) { return sole.leg == leg; });
    return found == soles.end() ? nullptr : &*found;
}

Vec3 position_of(const Sole& sole, const SolePoint& point, std::span<const Transform> model) noexcept {
    const Transform& foot = model[static_cast<std::size_t>(sole.foot)];
    Vec3 on_foot = foot.translation + foot.rotation * point.on_foot;
    if (point.toes_share <= 0.0f) return on_foot;
    const Transform& toes = model[static_cast<std::size_t>(sole.toes)];
    return on_foot + point.toes_share * (toes.translation + toes.rotation * point.on_toes - on_foot);
}

float lowest_of(const Sole& sole, std::span<const Transform> model, const Vec3& up) noexcept {
    // Only heights count: the frames' up axes are turned into them once.
    const Transform& foot = model[static_cast<std::size_t>(sole.foot)];
    const Transform& toes = model[static_cast<std::size_t>(sole.toes)];
    const Vec3 foot_up = foot.rotation.conjugate() * up;
    const Vec3 toes_up = toes.rotation.conjugate() * up;
    const float foot_height = foot.translation.dot(up);
    const float toes_height = toes.translation.dot(up);
    float lowest = 1e30f;
    for (const SolePoint& point : sole.points) {
        const float on_foot = foot_height + foot_up.dot(point.on_foot);
        const float on_toes = toes_height + toes_up.dot(point.on_toes);
        lowest = std::min(lowest, on_foot + point.toes_share * (on_toes - on_foot));
    }
    return lowest;
}

Vec3 position_of(const Probe& probe, std::span<const Transform> model) noexcept {
    const Transform& bone = model[static_cast<std::size_t>(probe.bone)];
    return bone.translation + bone.rotation * probe.offset;
}

}  // namespace dendraxis
