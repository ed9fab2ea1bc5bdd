#include <dendraxis/equip/window.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

float frame_of(float value, const ClipWindow& window, const Clip& clip) {
    return window.in_seconds ? value * clip.fps : value;
}

std::string group_of(const std::string& body) {
    std::string word = body.substr(0, body.find('.'));
    for (const auto& [group, words] : std::initializer_list<std::pair<const char*, std::vector<std::string>>>{
             {"trunk", {"hips", "spine", "chest"}},
             {"head", {"neck", "head", "ear"}},
             {"arm", {"upper-arm", "forearm", "hand", "arm"}},
             {"leg", {"thigh", "shin", "foot", "leg"}}}) {
        if (std::find(words.begin(), words.end(), word) != words.end()) return group;
    }
    return word;
}

}  // namespace

Findings check_windows(std::span<const ClipWindow> windows, std::span<const Clip> clips) {
    Findings findings;
    for (const ClipWindow& window : windows) {
        const std::string where = window.volume + " in " + window.clip;
        const auto clip =
            std::find_if(clips.begin(), clips.end(), [&](const Clip& c) { return c.name == window.clip; });
        if (clip == clips.end()) {
            std::vector<std::string> names;
            for (const Clip& one : clips) names.push_back(one.name);
            findings.push_back({Severity::warning, "window.no-clip", where,
                                "the character has no clip '" + window.clip + "'",
                                did_you_mean(window.clip, names, "name one of its clips")});
            continue;
        }
        const float last = static_cast<float>(clip->frame_count()) - 1.0f;
        const float from = frame_of(window.from, window, *clip);
        const float to = frame_of(window.to, window, *clip);
        if (from < 0.0f || to > last + 1e-3f)
            findings.push_back(
                {Severity::warning, "window.outside-clip", where,
                 fmt::format("it runs from frame {:g} to {:g}, the clip from 0 to {:g}", from, to, last),
                 "keep it within the clip; what lies outside never comes to pass"});
    }
    return findings;
}

std::vector<SweepTarget> targets_of(const RagdollPlan& plan) {
    std::vector<SweepTarget> targets;
    for (const RagdollBody& body : plan.bodies)
        targets.push_back({body.name, group_of(body.name), body.bone, body.shape});
    return targets;
}

LiveWindow live_window(const ClipWindow& window, const Clip& clip) {
    return LiveWindow(frame_of(window.from, window, clip), frame_of(window.to, window, clip), window.groups);
}

void sweep_clip(LiveWindow& window, const Skeleton& skeleton, const Clip& clip, const SweptVolume& swept,
                std::span<const SweepTarget> targets, const TargetsAt& targets_at,
                const Transform& placement) {
    std::vector<Transform> model(skeleton.size());
    std::vector<Transform> before(targets.size());
    std::vector<Transform> now(targets.size());
    std::vector<Motion> motions(targets.size());
    Transform frame_before;
    // Scaled nodes make a larger volume; its own frame is taken without scale.
    SweepVolume volume = swept.volume;
    const auto frame_at = [&](std::size_t f) {
        to_model_space(skeleton, clip.frame(f), model);
        Transform frame = placement * model[static_cast<std::size_t>(swept.bone)] * swept.on_bone;
        const float scale = std::cbrt(std::abs(frame.scale.prod()));
        volume.shape.half = scale * swept.volume.shape.half;
        volume.at = frame.scale.cwiseProduct(swept.volume.at);
        frame.scale = Vec3::Ones();
        return frame;
    };
    const auto first = static_cast<std::size_t>(std::max(0.0f, std::floor(window.first())));
    for (std::size_t f = first; f < clip.frame_count() && static_cast<float>(f) < window.last() + 1.0f; ++f) {
        const Transform frame = frame_at(f);
        targets_at(f, now);
        for (std::size_t t = 0; t < targets.size(); ++t) motions[t] = {before[t], now[t]};
        if (f > first)
            window.step(static_cast<float>(f - 1), clip.fps, volume, {frame_before, frame}, targets, motions);
        frame_before = frame;
        before = now;
    }
}

}  // namespace dendraxis
