#include <dendraxis/skeleton/clip.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {

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

void sample(const Clip& clip, float seconds, std::span<Transform> pose) noexcept {
    const std::size_t frames = clip.frame_count();
    if (frames == 0) return;
    const float last = static_cast<float>(frames - 1);
    const float position = std::isfinite(seconds) ? std::clamp(seconds * clip.fps, 0.0f, last) : 0.0f;
    const auto before = static_cast<std::size_t>(position);
    const std::size_t after = std::min(before + 1, frames - 1);
    const float share = position - static_cast<float>(before);
    const auto a = clip.frame(before);
    const auto b = clip.frame(after);
    for (std::size_t i = 0; i < clip.bone_count && i < pose.size(); ++i) {
        pose[i].rotation = a[i].rotation.slerp(share, b[i].rotation);
        pose[i].translation = a[i].translation + share * (b[i].translation - a[i].translation);
        pose[i].scale = a[i].scale + share * (b[i].scale - a[i].scale);
    }
}

Clip resampled(const Clip& clip, float fps) {
    Clip result;
    result.name = clip.name;
    result.fps = fps;
    result.start = clip.start;
    result.bone_count = clip.bone_count;
    const auto frames =
        clip.frame_count() == 0 ? 0 : static_cast<std::size_t>(std::lround(clip.seconds() * fps)) + 1;
    result.transforms.resize(frames * clip.bone_count);
    for (std::size_t f = 0; f < frames; ++f) sample(clip, static_cast<float>(f) / fps, result.frame(f));
    return result;
}

}  // namespace dendraxis
