// Joints against their ranges: what the page draws of the chosen one, and which go beyond when.
#include "parts.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/joint_ranges.hpp>

#include <algorithm>

namespace dendraxis::page::detail {
namespace {

constexpr float k_beyond = 0.5f;  // degrees past a limit from which a joint is listed

// The chart with the ranges that are shown, in the order of bones.
Chart limited_chart(const Actor& actor) {
    Chart limited = *actor.chart;
    limited.ranges.clear();
    if (actor.ragdoll != nullptr) {
        for (const RagdollJoint& joint : actor.ragdoll->joints)
            limited.ranges.push_back(
                {actor.ragdoll->bodies[static_cast<std::size_t>(joint.body)].bone, joint.range});
    } else {
        limited.ranges = ranges_in_force(*actor.chart);
    }
    std::sort(limited.ranges.begin(), limited.ranges.end(),
              [](const JointRange& a, const JointRange& b) { return a.bone < b.bone; });
    return limited;
}

// A clip's joints, each frame against its range.
class Limits {
 public:
    explicit Limits(const Actor& actor)
        : is_ragdoll_(actor.ragdoll != nullptr),
          chart_(limited_chart(actor)),
          frames_(joint_frames(chart_)) {}

    std::size_t size() const { return frames_.size(); }
    int bone(std::size_t joint) const { return chart_.ranges[joint].bone; }
    const Range& range(std::size_t joint) const { return chart_.ranges[joint].range; }
    const JointFrame& frame(std::size_t joint) const { return frames_[joint]; }

    float beyond(std::size_t joint, std::span<const Transform> pose) const {
        const Quat turn = frames_[joint].turn(pose[static_cast<std::size_t>(bone(joint))].rotation);
        return k_degrees *
               (is_ragdoll_ ? joint_overshoot(range(joint), turn) : overshoot(range(joint), turn));
    }

 private:
    bool is_ragdoll_;
    Chart chart_;
    std::vector<JointFrame> frames_;
};

Json vector_json(const Vec3& v) {
    return {v.x(), v.y(), v.z()};
}

Json degrees_json(const AngleSpan& span) {
    return {io::rounded(k_degrees * span.from), io::rounded(k_degrees * span.to)};
}

}  // namespace

Json joints_part(const Actor& actor) {
    const Limits limits(actor);
    Json joints = Json::array();
    for (std::size_t i = 0; i < limits.size(); ++i) {
        if (actor.chart->skeleton.parent(limits.bone(i)) < 0) continue;
        const Range& range = limits.range(i);
        joints.push_back({{"bone", limits.bone(i)},
                          {"to_upright", quat_json(limits.frame(i).to_upright)},
                          {"rest", quat_json(limits.frame(i).rest)},
                          {"along", vector_json(range.bone)},
                          {"about", vector_json(range.about)},
                          {"bend", degrees_json(range.bend)},
                          {"side", degrees_json(range.side)},
                          {"twist", degrees_json(range.twist)}});
    }
    return joints;
}

std::vector<float> beyond_ranges(const Actor& actor, const Clip& clip) {
    const Limits limits(actor);
    std::vector<float> values(limits.size() == 0 ? 0 : clip.frame_count(), 0.0f);
    for (std::size_t f = 0; f < values.size(); ++f) {
        for (std::size_t i = 0; i < limits.size(); ++i)
            values[f] = std::max(values[f], limits.beyond(i, clip.frame(f)));
    }
    return values;
}

Json beyond_part(const Actor& actor, const Clip& clip) {
    const Limits limits(actor);
    Json joints = Json::array();
    for (std::size_t i = 0; i < limits.size(); ++i) {
        Json spans = Json::array();
        float worst = 0.0f;
        std::size_t frame = 0;
        std::size_t first = 0;
        bool is_beyond = false;
        for (std::size_t f = 0; f <= clip.frame_count(); ++f) {
            const float now = f < clip.frame_count() ? limits.beyond(i, clip.frame(f)) : 0.0f;
            if (now > worst) {
                worst = now;
                frame = f;
            }
            if ((now > k_beyond) == is_beyond) continue;
            if (is_beyond)
                spans.push_back({first, f - 1});
            else
                first = f;
            is_beyond = !is_beyond;
        }
        if (!spans.empty())
            joints.push_back({{"bone", limits.bone(i)},
                              {"degrees", io::rounded(worst)},
                              {"frame", frame},
                              {"spans", std::move(spans)}});
    }
    return joints;
}

}  // namespace dendraxis::page::detail
