#include "poser.hpp"

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace harbour {

Quat turn_x(float degrees) {
    return Quat(Eigen::AngleAxisf(degrees / 57.2957795f, Vec3::UnitX()));
}
Quat turn_y(float degrees) {
    return Quat(Eigen::AngleAxisf(degrees / 57.2957795f, Vec3::UnitY()));
}
Quat turn_z(float degrees) {
    return Quat(Eigen::AngleAxisf(degrees / 57.2957795f, Vec3::UnitZ()));
}

Poser::Poser(const dendraxis::Skeleton& skeleton)
    : skeleton_(skeleton), rest_(dendraxis::rest_in_model_space(skeleton)) {
    reset();
}

void Poser::reset() {
    turns_.assign(skeleton_.size(), Quat::Identity());
    moves_.assign(skeleton_.size(), Vec3::Zero());
}

std::size_t Poser::index(const std::string& bone) const {
    const int found = skeleton_.find(bone);
    if (found == dendraxis::k_no_bone) throw std::runtime_error("no bone " + bone);
    return static_cast<std::size_t>(found);
}

void Poser::turn(const std::string& bone, const Quat& by) {
    Quat& now = turns_[index(bone)];
    now = by * now;
}

void Poser::move(const std::string& bone, const Vec3& by) {
    moves_[index(bone)] += by;
}

Quat Poser::whole_turn(int bone) const {
    Quat whole = Quat::Identity();
    for (; bone != dendraxis::k_no_bone; bone = skeleton_.parent(bone))
        whole = turns_[static_cast<std::size_t>(bone)] * whole;
    return whole;
}

Vec3 Poser::place(int bone) const {
    const auto i = static_cast<std::size_t>(bone);
    const int parent = skeleton_.parent(bone);
    if (parent == dendraxis::k_no_bone) return rest_[i].translation + moves_[i];
    const Vec3 offset =
        rest_[i].translation - rest_[static_cast<std::size_t>(parent)].translation + moves_[i];
    return place(parent) + whole_turn(parent) * offset;
}

Transform Poser::model(const std::string& bone) const {
    const std::size_t i = index(bone);
    Transform result;
    result.rotation = whole_turn(static_cast<int>(i)) * rest_[i].rotation;
    result.translation = place(static_cast<int>(i));
    return result;
}

void Poser::place_leg(const std::string& side, const Vec3& ankle, float pitch, float toe_pitch,
                      float knee_out) {
    const std::size_t thigh = index("thigh_" + side);
    const std::size_t shin = index("shin_" + side);
    const std::size_t foot = index("foot_" + side);
    const std::size_t toes = index("toes_" + side);
    const Vec3 upper = rest_[shin].translation - rest_[thigh].translation;
    const Vec3 lower = rest_[foot].translation - rest_[shin].translation;
    const Vec3 hip = model("thigh_" + side).translation;
    const Quat above = whole_turn(skeleton_.parent(static_cast<int>(thigh)));

    const Vec3 to = ankle - hip;
    const float a = upper.norm();
    const float b = lower.norm();
    const float distance = std::clamp(to.norm(), std::abs(a - b) + 1e-3f, 0.9995f * (a + b));
    const Vec3 along = to.normalized();
    Vec3 forward = turn_y(knee_out) * Vec3::UnitZ();
    forward = (forward - along * along.dot(forward)).normalized();
    const float cosine = (a * a + distance * distance - b * b) / (2.0f * a * distance);
    const Vec3 thigh_way = along * cosine + forward * std::sqrt(std::max(0.0f, 1.0f - cosine * cosine));
    const Vec3 shin_way = (along * distance - thigh_way * a).normalized();

    // A frame of the bone's way and the hinge's axis at rest, brought onto the same frame in the pose.
    const auto frame = [](const Vec3& way, const Vec3& ahead) {
        const Vec3 y = way.normalized();
        const Vec3 x = y.cross(ahead).normalized();
        Eigen::Matrix3f axes;
        axes << x, y, x.cross(y);
        return Quat(axes);
    };
    const Quat thigh_whole = frame(thigh_way, forward) * frame(upper, Vec3::UnitZ()).conjugate();
    const Quat shin_whole = frame(shin_way, forward) * frame(lower, Vec3::UnitZ()).conjugate();
    const Quat foot_whole = turn_y(knee_out) * turn_x(-pitch);
    const Quat toes_whole = turn_y(knee_out) * turn_x(-toe_pitch);
    turns_[thigh] = above.conjugate() * thigh_whole;
    turns_[shin] = thigh_whole.conjugate() * shin_whole;
    turns_[foot] = shin_whole.conjugate() * foot_whole;
    turns_[toes] = foot_whole.conjugate() * toes_whole;
}

void Poser::write(std::span<Transform> local) const {
    std::vector<Transform> model(skeleton_.size());
    for (std::size_t i = 0; i < model.size(); ++i) {
        model[i].rotation = (whole_turn(static_cast<int>(i)) * rest_[i].rotation).normalized();
        model[i].translation = place(static_cast<int>(i));
    }
    dendraxis::to_local_space(skeleton_, model, local);
    // What only turns keeps its rest place to the last bit.
    for (std::size_t i = 0; i < model.size(); ++i) {
        local[i].scale = Vec3::Ones();
        if (moves_[i].isZero()) local[i].translation = skeleton_.bones()[i].rest.translation;
    }
}

}  // namespace harbour
