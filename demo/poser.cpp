#include "poser.hpp"

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace harbour {

Quat turn_x(float degrees) {
    return Quat(Eigen::AngleAxisf(degrees / k_degrees, Vec3::UnitX()));
}
Quat turn_y(float degrees) {
    return Quat(Eigen::AngleAxisf(degrees / k_degrees, Vec3::UnitY()));
}
Quat turn_z(float degrees) {
    return Quat(Eigen::AngleAxisf(degrees / k_degrees, Vec3::UnitZ()));
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

void Poser::place_limb(const std::array<std::string, 3>& bones, const Vec3& end, const Vec3& ahead,
                       const Vec3& rest_ahead, const std::optional<Quat>& end_turn) {
    const std::size_t first = index(bones[0]);
    const std::size_t second = index(bones[1]);
    const std::size_t third = index(bones[2]);
    const Vec3 upper = rest_[second].translation - rest_[first].translation;
    const Vec3 lower = rest_[third].translation - rest_[second].translation;
    const Vec3 root = model(bones[0]).translation;
    const Quat above = whole_turn(skeleton_.parent(static_cast<int>(first)));

    const Vec3 to = end - root;
    const float a = upper.norm();
    const float b = lower.norm();
    const float distance = std::clamp(to.norm(), std::abs(a - b) + 1e-3f, 0.9995f * (a + b));
    const Vec3 along = to.normalized();
    const Vec3 bend = (ahead - along * along.dot(ahead)).normalized();
    const float cosine = (a * a + distance * distance - b * b) / (2.0f * a * distance);
    const Vec3 upper_direction = along * cosine + bend * std::sqrt(std::max(0.0f, 1.0f - cosine * cosine));
    const Vec3 lower_direction = (along * distance - upper_direction * a).normalized();

    // A frame of the bone's way and the hinge's axis at rest, brought onto the same frame in the pose.
    const auto frame = [](const Vec3& direction, const Vec3& toward) {
        const Vec3 y = direction.normalized();
        const Vec3 x = y.cross(toward).normalized();
        Eigen::Matrix3f axes;
        axes << x, y, x.cross(y);
        return Quat(axes);
    };
    const Quat upper_whole = frame(upper_direction, bend) * frame(upper, rest_ahead).conjugate();
    const Quat lower_whole = frame(lower_direction, bend) * frame(lower, rest_ahead).conjugate();
    turns_[first] = above.conjugate() * upper_whole;
    turns_[second] = upper_whole.conjugate() * lower_whole;
    turns_[third] = end_turn ? Quat(lower_whole.conjugate() * *end_turn) : Quat::Identity();
}

void Poser::place_leg(const std::string& side, const Vec3& ankle, float pitch, float toe_pitch,
                      float knee_out) {
    const Quat foot_whole = turn_y(knee_out) * turn_x(-pitch);
    const Quat toes_whole = turn_y(knee_out) * turn_x(-toe_pitch);
    place_limb({"thigh_" + side, "shin_" + side, "foot_" + side}, ankle, turn_y(knee_out) * Vec3::UnitZ(),
               Vec3::UnitZ(), foot_whole);
    turns_[index("toes_" + side)] = foot_whole.conjugate() * toes_whole;
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
