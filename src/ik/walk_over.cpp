#include <dendraxis/ik/ground_adaptation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_body_seconds = 0.25f;  // to either side: over which the ground below the body is averaged

constexpr float k_any_speed = 1e6f;  // leg lengths a second

// How high the ground is below the body in every frame, over the clip's floor.
std::vector<float> heights_below(const Chart& chart, const Clip& clip, const Ground& ground) {
    std::vector<float> heights;
    std::vector<Transform> model(clip.bone_count);
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(chart.skeleton, clip.frame(f), model);
        Vec3 body = head_of(chart.hips, model);
        body += (chart.floor - body.dot(chart.up)) * chart.up;
        if (!heights.empty()) body += heights.back() * chart.up;  // what lies above is not below
        const auto found = ground(body);
        const bool sound = found && std::isfinite(found->height);
        heights.push_back(sound ? found->height - chart.floor : heights.empty() ? 0.0f : heights.back());
    }
    return heights;
}

std::vector<float> averaged(const std::vector<float>& values, std::ptrdiff_t reach) {
    std::vector<float> result;
    const auto count = static_cast<std::ptrdiff_t>(values.size());
    for (std::ptrdiff_t f = 0; f < count; ++f) {
        float sum = 0.0f;
        float weights = 0.0f;
        for (std::ptrdiff_t k = -reach; k <= reach; ++k) {
            const float x = static_cast<float>(k) / static_cast<float>(reach + 1);
            const float weight = (1.0f - x * x) * (1.0f - x * x);
            sum += weight * values[static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(f + k, 0, count - 1))];
            weights += weight;
        }
        result.push_back(sum / weights);
    }
    return result;
}

}  // namespace

Clip walk_over(const Chart& chart, const Clip& clip, const Ground& ground, GroundOptions options) {
    const GroundAdaptation adaptation(chart);
    options.full_below = k_any_speed;
    options.none_above = 2.0f * k_any_speed;
    Clip result = clip;
    const float seconds = 1.0f / std::max(1e-3f, clip.fps);
    const auto reach = static_cast<std::ptrdiff_t>(std::lround(k_body_seconds * clip.fps));
    const std::vector<float> heights = averaged(heights_below(chart, clip, ground), reach);
    // What stands lowest carries the body up: the root, else the hips.
    const int carrier = chart.root != k_no_bone ? chart.root : chart.hips;
    const int parent = chart.skeleton.parent(carrier);
    GroundState state;
    GroundAdaptation::Workspace workspace;
    std::vector<Transform> model(clip.bone_count);
    for (std::size_t f = 0; f < result.frame_count(); ++f) {
        const std::span<Transform> pose = result.frame(f);
        Transform placement;
        placement.translation = heights[f] * chart.up;
        adaptation.apply(pose, placement, ground, seconds, state, workspace, options);
        to_model_space(chart.skeleton, pose, model);
        const Transform above =
            parent == k_no_bone ? chart.skeleton.above() : model[static_cast<std::size_t>(parent)];
        const Vec3 raised = head_of(carrier, model) + placement.translation;
        pose[static_cast<std::size_t>(carrier)].translation = apply(inverse(above), raised);
    }
    return result;
}

}  // namespace dendraxis
