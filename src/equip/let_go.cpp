#include <dendraxis/equip/let_go.hpp>

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <Eigen/Eigenvalues>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_wood = 600.0f;      // kg/m3
constexpr float k_filled = 0.5f;      // of a box around a thing
constexpr float k_thinnest = 0.005f;  // metres
constexpr float k_lightest = 0.01f;   // kg

Quat main_axes(const std::vector<Vec3>& positions) {
    Vec3 middle = Vec3::Zero();
    for (const Vec3& position : positions) middle += position / static_cast<float>(positions.size());
    Eigen::Matrix3f spread = Eigen::Matrix3f::Zero();
    for (const Vec3& position : positions) spread += (position - middle) * (position - middle).transpose();
    Eigen::Matrix3f axes = Eigen::SelfAdjointEigenSolver<Eigen::Matrix3f>(spread).eigenvectors();
    axes.col(1).swap(axes.col(2));  // the long way along Y, as of other bodies
    if (axes.determinant() < 0.0f) axes.col(0) *= -1.0f;
    return Quat(axes).normalized();
}

}  // namespace

PropBody prop_body(const Prop& prop, std::optional<float> mass, const PropFit& fit) {
    Surface surface = surface_of(prop.model);
    if (fit.mirrored || fit.stretch != Vec3::Ones()) {
        const Affine mirror = mirror_of(prop, fit);
        for (Vec3& position : surface.positions) position = fit.stretch.cwiseProduct(mirror * position);
    }
    PropBody body;
    float least = 1e30f;
    for (const Quat& turn : {Quat(Quat::Identity()), main_axes(surface.positions)}) {
        Vec3 low = Vec3::Constant(1e30f);
        Vec3 high = -low;
        for (const Vec3& position : surface.positions) {
            const Vec3 own = turn.conjugate() * position;
            low = low.cwiseMin(own);
            high = high.cwiseMax(own);
        }
        const Vec3 half = (0.5f * (high - low)).cwiseMax(k_thinnest);
        if (half.prod() >= 0.95f * least) continue;  // its own axes, where others gain nothing
        least = half.prod();
        body.shape = {ShapeKind::box, half};
        body.turn = turn;
        body.at = turn * (0.5f * (low + high));
    }
    if (!mass) mass = prop.mass;
    body.mass = std::max(k_lightest, mass.value_or(k_wood * k_filled * volume_of(body.shape)));
    body.inertia = inertia_of(body.shape, body.mass);
    return body;
}

BodyState state_of(const PropBody& body, const Transform& now, const Transform& before,
                   float seconds) noexcept {
    BodyState state;
    state.position = apply(now, body.at);
    state.turn = now.rotation * body.turn;
    if (!(seconds > 0.0f)) return state;
    state.angular_velocity = rotation_vector(now.rotation * before.rotation.conjugate()) / seconds;
    state.velocity = (state.position - apply(before, body.at)) / seconds;
    return state;
}

ReleasedProp let_go(const PropBody& body, const Transform& now, const Transform& before, float seconds,
                    const Vec3& impulse, const Vec3& point) noexcept {
    ReleasedProp thing{body, state_of(body, now, before, seconds), now.scale.cwiseAbs().maxCoeff()};
    thing.body.shape.half *= thing.scale;
    thing.body.inertia = inertia_of(thing.body.shape, thing.body.mass);
    if (impulse.allFinite() && point.allFinite()) {
        thing.state.velocity += impulse / body.mass;
        const Vec3 torque = thing.state.turn.conjugate() * (point - thing.state.position).cross(impulse);
        thing.state.angular_velocity +=
            thing.state.turn * torque.cwiseQuotient(thing.body.inertia.cwiseMax(1e-9f));
    }
    return thing;
}

Transform frame_of(const ReleasedProp& thing, const BodyState& state) noexcept {
    const Quat turn = state.turn * thing.body.turn.conjugate();
    return {turn, state.position - turn * (thing.scale * thing.body.at), Vec3::Constant(thing.scale)};
}

Transform offset_on_bone(const Transform& thing, const Transform& bone) noexcept {
    return inverse(bone) * thing;
}

}  // namespace dendraxis
