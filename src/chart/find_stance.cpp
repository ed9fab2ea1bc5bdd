// How tall it is, where its floor is, how it stands, and which bone stands on the floor.
#include "find_stance.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

class Bearings {
 public:
    Bearings(Chart& chart, const Extents& extents)
        : chart_(chart), extents_(extents), model_(rest_in_model_space(chart.skeleton)) {}

    void find() {
        find_size();
        find_arms();
        find_root();
    }

 private:
    Vec3 position(int bone) const { return model_[static_cast<std::size_t>(bone)].translation; }

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
        chart_.rest_floor = on_origin ? 0.0f : low;
        chart_.floor = chart_.rest_floor;
    }

    void find_arms() {
        float sum = 0.0f;
        float sum_forward = 0.0f;
        int arms = 0;
        for (const char* name : {"arm.left", "arm.right"}) {
            const Chain* chain = chart_.find(name);
            if (chain == nullptr || chain->bones.size() < 2) continue;
            const Vec3 arm = (position(chain->bones.back()) - position(chain->bones.front())).normalized();
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

    // A bone above the hips that stands on the floor; of several, one whose name says so, else the nearest to
    // the hips.
    void find_root() {
        if (chart_.hips == k_no_bone) return;
        for (int bone = chart_.skeleton.parent(chart_.hips); bone != k_no_bone;
             bone = chart_.skeleton.parent(bone)) {
            const bool on_floor =
                std::abs(position(bone).dot(chart_.up) - chart_.rest_floor) < 0.05f * chart_.height;
            const bool named = read_bone_name(chart_.skeleton.bone(bone).name).part == Part::root;
            if (on_floor && (chart_.root == k_no_bone || named)) chart_.root = bone;
        }
    }

    Chart& chart_;
    const Extents& extents_;
    std::vector<Transform> model_;
};

}  // namespace

void find_stance(Chart& chart, const Extents& extents) {
    Bearings(chart, extents).find();
}

}  // namespace dendraxis::detail
