#include <dendraxis/skeleton/clip.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_moment = 2e-3f;  // frames: a time this near to a frame is that frame's, but for rounding

}  // namespace

float Clip::seconds() const noexcept {
    const std::size_t frames = frame_count();
    return frames < 2 ? 0.0f : static_cast<float>(frames - 1) / fps;
}

std::span<const Transform> Clip::frame(std::size_t index) const {
    return std::span(transforms).subspan(index * bone_count, bone_count);
}

std::span<Transform> Clip::frame(std::size_t index) {
    return std::span(transforms).subspan(index * bone_count, bone_count);
}

void sample(const Clip& clip, float seconds, std::span<Transform> pose, Playback playback) noexcept {
    const std::size_t frames = clip.frame_count();
    if (frames == 0) return;
    const float last = static_cast<float>(frames - 1);
    float position = std::isfinite(seconds) ? seconds * clip.fps : 0.0f;
    if (playback == Playback::loop && last > 0.0f) position -= last * std::floor(position / last);
    position = std::clamp(position, 0.0f, last);
    const auto before = static_cast<std::size_t>(position);
    const std::size_t after = std::min(before + 1, frames - 1);
    const float share = position - static_cast<float>(before);
    const auto a = clip.frame(before);
    const auto b = clip.frame(after);
    for (std::size_t i = 0; i < clip.bone_count && i < pose.size(); ++i) {
        const auto share_of = [&](StepBits property) {
            return clip.holds(i, property) && share < 1.0f - k_moment ? 0.0f : share;
        };
        const float along = share_of(k_translation_steps);
        const float grown = share_of(k_scale_steps);
        pose[i].rotation = a[i].rotation.slerp(share_of(k_rotation_steps), b[i].rotation);
        pose[i].translation = a[i].translation + along * (b[i].translation - a[i].translation);
        pose[i].scale = a[i].scale + grown * (b[i].scale - a[i].scale);
    }
}

Clip resampled(const Clip& clip, float fps) {
    Clip result;
    result.name = clip.name;
    result.fps = fps;
    result.start = clip.start;
    result.steps = clip.steps;
    result.bone_count = clip.bone_count;
    const auto frames =
        clip.frame_count() == 0 ? 0 : static_cast<std::size_t>(std::lround(clip.seconds() * fps)) + 1;
    result.transforms.resize(frames * clip.bone_count);
    for (std::size_t f = 0; f < frames; ++f) sample(clip, static_cast<float>(f) / fps, result.frame(f));
    return result;
}

}  // namespace dendraxis
