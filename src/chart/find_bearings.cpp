// Which way is up, which way it faces, how tall it is, where its floor is, how it stands.
#include "find_chains.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>
#include <optional>

namespace dendraxis {
namespace {

constexpr float k_snap = 25.0f / k_degrees;  // characters are built along the axes; a stance may lean

class Bearings {
 public:
    Bearings(Chart& chart, const Extents& extents)
        : chart_(chart), extents_(extents), model_(rest_in_model_space(chart.skeleton)) {}

    void find() {
        find_up();
        find_facing();
        find_size();
        find_stance();
        find_ground();
    }

 private:
    Vec3 place(int bone) const { return model_[static_cast<std::size_t>(bone)].translation; }

    std::optional<Vec3> end_of(const char* chain, bool tip) const {
        const Chain* found = chart_.find(chain);
        if (found == nullptr) return std::nullopt;
        return place(tip ? found->bones.back() : found->bones.front());
    }

    static Vec3 snapped(const Vec3& direction) {
        for (int axis = 0; axis < 3; ++axis) {
            const Vec3 unit = Vec3::Unit(axis) * (direction[axis] < 0.0f ? -1.0f : 1.0f);
            if (std::acos(std::clamp(unit.dot(direction), -1.0f, 1.0f)) < k_snap) return unit;
        }
        return direction;
    }

    void find_up() {
        Vec3 top = Vec3::Zero();
        Vec3 bottom = Vec3::Zero();
        const auto head = end_of("head", false);
        const auto spine = end_of("spine", true);
        const auto left = end_of("leg.left", true);
        const auto right = end_of("leg.right", true);
        if (left && right)
            bottom = 0.5f * (*left + *right);
        else if (chart_.hub != k_no_bone)
            bottom = place(chart_.hub);
        if (head)
            top = *head;
        else if (spine)
            top = *spine;
        else if (chart_.hub != k_no_bone)
            top = place(chart_.hub);
        const Vec3 along = top - bottom;
        if (along.norm() > 1e-6f) {
            chart_.up = snapped(along.normalized());
        } else {
            chart_.findings.push_back({Severity::warning, "chart.up-unknown", chart_.character,
                                       "neither head nor feet tell which way is up; +Y is taken", ""});
        }
    }

    void find_facing() {
        Vec3 leftward = Vec3::Zero();
        for (const char* part : {"leg", "arm", "shoulder"}) {
            const auto left = end_of((std::string(part) + ".left").c_str(), false);
            const auto right = end_of((std::string(part) + ".right").c_str(), false);
            if (left && right) leftward += *left - *right;
        }
        Vec3 facing = leftward.cross(chart_.up);
        if (facing.norm() < 1e-6f) {
            chart_.findings.push_back(
                {Severity::warning, "chart.facing-unknown", chart_.character,
                 "no left and right limbs tell which way it faces; a main axis is taken", ""});
            facing = std::abs(chart_.up.z()) > 0.5f ? Vec3(0, -chart_.up.z(), 0) : Vec3(Vec3::UnitZ());
        }
        facing = snapped(facing.normalized());
        facing -= chart_.up * chart_.up.dot(facing);
        chart_.facing = facing.normalized();
    }

    void find_size() {
        float low = 1e30f;
        float high = -1e30f;
        for (int corner = 0; corner < 8; ++corner) {
            const Vec3 point((corner & 1) ? extents_.high.x() : extents_.low.x(),
                             (corner & 2) ? extents_.high.y() : extents_.low.y(),
                             (corner & 4) ? extents_.high.z() : extents_.low.z());
            low = std::min(low, point.dot(chart_.up));
            high = std::max(high, point.dot(chart_.up));
        }
        chart_.height = high - low;
        // Soles stand a little below the lowest joint, and most characters are built standing on their
        // origin.
        const bool on_origin = low > -0.03f * chart_.height && low < 0.1f * chart_.height;
        chart_.floor = on_origin ? 0.0f : low;
    }

    void find_stance() {
        float sum = 0.0f;
        float sum_forward = 0.0f;
        int arms = 0;
        for (const char* name : {"arm.left", "arm.right"}) {
            const Chain* chain = chart_.find(name);
            if (chain == nullptr || chain->bones.size() < 2) continue;
            const Vec3 arm = (place(chain->bones.back()) - place(chain->bones.front())).normalized();
            sum += std::asin(std::clamp(-arm.dot(chart_.up), -1.0f, 1.0f));
            sum_forward += std::abs(std::asin(std::clamp(arm.dot(chart_.facing), -1.0f, 1.0f)));
            ++arms;
        }
        if (arms == 0) return;
        chart_.arm_angle = sum / static_cast<float>(arms);
        const float degrees = chart_.arm_angle * k_degrees;
        if (sum_forward / static_cast<float>(arms) * k_degrees > 40.0f || degrees < -20.0f) {
            chart_.stance = Stance::other;
        } else {
            chart_.stance = degrees < 20.0f ? Stance::t : degrees < 70.0f ? Stance::a : Stance::i;
        }
    }

    // A bone above the hub that stands on the floor; of several, one whose name says so, else the nearest to
    // the hub.
    void find_ground() {
        if (chart_.hub == k_no_bone) return;
        for (int bone = chart_.skeleton.parent(chart_.hub); bone != k_no_bone;
             bone = chart_.skeleton.parent(bone)) {
            const bool on_floor = std::abs(place(bone).dot(chart_.up) - chart_.floor) < 0.05f * chart_.height;
            const bool named = read_bone_name(chart_.skeleton.bone(bone).name).part == Part::ground;
            if (on_floor && (chart_.ground == k_no_bone || named)) chart_.ground = bone;
        }
    }

    Chart& chart_;
    const Extents& extents_;
    std::vector<Transform> model_;
};

}  // namespace

void find_bearings(Chart& chart, const Extents& extents) {
    Bearings(chart, extents).find();
}

}  // namespace dendraxis
