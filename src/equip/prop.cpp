#include <dendraxis/equip/prop.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_near = 0.1f;  // of the character's height
constexpr float k_usual = 0.3f;
constexpr float k_large = 3.0f;  // times the character's height

Transform frame_of(const PropGrip& grip) {
    return {grip.turn, grip.at, Vec3::Ones()};
}

}  // namespace

PropGrip Prop::grip(const std::string& grip_name) const {
    if (grips.empty()) return {grip_name, Vec3::Zero(), Quat::Identity()};
    std::vector<std::string> names;
    for (const PropGrip& one : grips) {
        if (one.name == grip_name) return one;
        names.push_back(one.name);
    }
    const std::string nearest = nearest_name(grip_name, names);
    throw Error(ErrorCode::unknown_name, name, "has no grip '" + grip_name + "'", "",
                "it has '" + (nearest.empty() ? names.front() : nearest) + "'");
}

float usual_scale(const Prop& prop, const Chart& chart) {
    const float as_metres = 1.0f / metres_in_unit(chart);
    const Extents extents = rest_extents(prop.model.skeleton, prop.model.meshes);
    const float size = (extents.high - extents.low).maxCoeff();
    if (as_metres == 1.0f || !(size > 0.0f) || !(chart.height > 0.0f)) return 1.0f;
    const auto oddness = [&](float scale) {
        return std::abs(std::log(scale * size / (k_usual * chart.height)));
    };
    return oddness(as_metres) < oddness(1.0f) ? as_metres : 1.0f;
}

Transform placement_of(const Prop& prop, const PropFit& fit) {
    if (!(fit.scale > 0.0f) || !std::isfinite(fit.scale))
        throw Error(prop.name, fmt::format("cannot be scaled by {:g}", fit.scale), "",
                    "give a scale above 0");
    const PropGrip grip = prop.grip(fit.grip);
    const Quat back = grip.turn.conjugate();
    const Vec3 scale = fit.scale * fit.stretch;
    return {back, -(back * scale.cwiseProduct(grip.at)), scale};
}

Affine mirror_of(const Prop& prop, const PropFit& fit) {
    if (!fit.mirrored) return Affine::Identity();
    const Affine grip = to_affine(frame_of(prop.grip(fit.grip)));
    return grip * Eigen::Scaling(1.0f, 1.0f, -1.0f) * grip.inverse();
}

Findings check_prop(const Prop& prop, const PropFit& fit, const Socket& socket, const Chart& chart) {
    Findings findings;
    const Transform placement = placement_of(prop, fit);
    const Affine mirror = mirror_of(prop, fit);
    const Surface surface = surface_of(prop.model);
    float nearest = 1e30f;
    Vec3 low = Vec3::Constant(1e30f);
    Vec3 high = -low;
    for (const auto& corners : surface.triangles) {
        // Corners and middles: of a long handle's side the corners alone are far apart.
        Vec3 middle = Vec3::Zero();
        for (const std::uint32_t corner : corners) {
            const Vec3 position = apply(placement, mirror * surface.positions[corner]);
            middle += position / 3.0f;
            nearest = std::min(nearest, position.norm());
            low = low.cwiseMin(position);
            high = high.cwiseMax(position);
        }
        nearest = std::min(nearest, middle.norm());
    }
    const float size = (high - low).maxCoeff();
    const float metres = metres_in_unit(chart);
    const auto add = [&](const char* code, std::string message, std::string advice) {
        findings.push_back(
            {Severity::warning, code, prop.name + "@" + socket.name, std::move(message), std::move(advice)});
    };
    if (nearest > k_near * chart.height)
        add("prop.far-from-socket",
            fmt::format("its nearest part is {:.2f} m from the socket '{}'", metres * nearest, socket.name),
            "give it a grip where it is held (a node named `grip`), or check its unit");
    if (size > k_large * chart.height)
        add("prop.large",
            fmt::format("it is {:.1f} m large, the character {:.2f} m", metres * size, metres * chart.height),
            "check its unit; make it smaller: scale=0.01");
    return findings;
}

}  // namespace dendraxis
