#include <dendraxis/base/error.hpp>
#include <dendraxis/skeleton/mend.hpp>

#include <fmt/format.h>

#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_slowest = 0.1f;  // frames a second
constexpr float k_fastest = 10000.0f;

bool is_finite(const Transform& transform) {
    return transform.rotation.coeffs().allFinite() && transform.translation.allFinite() &&
           transform.scale.allFinite();
}

}  // namespace

Findings mend_clip(const Skeleton& skeleton, Clip& clip) {
    if (clip.bone_count != skeleton.size()) {
        throw Error(clip.name,
                    fmt::format("the clip has {} bones, the character {}", clip.bone_count, skeleton.size()),
                    "", "use a clip of this character");
    }
    if (clip.frame_count() == 0)
        throw Error(clip.name, "the clip has no frames", "", "export it again, or leave it out");
    Findings findings;
    if (!(clip.fps >= k_slowest && clip.fps <= k_fastest)) {
        findings.push_back({Severity::warning, "clip.odd-rate", clip.name,
                            fmt::format("its rate is {:g} frames a second; 30 are taken", clip.fps),
                            "give the rate with --fps"});
        clip.fps = 30.0f;
    }
    std::size_t held = 0;
    std::size_t lengthened = 0;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        for (std::size_t b = 0; b < clip.bone_count; ++b) {
            Transform& now = clip.frame(f)[b];
            if (!is_finite(now)) {
                now = f > 0 ? clip.frame(f - 1)[b] : skeleton.bones()[b].rest;
                ++held;
            }
            const float length = now.rotation.norm();
            if (length < 1e-6f) {
                now.rotation = skeleton.bones()[b].rest.rotation;
                ++held;
            } else if (std::abs(length - 1.0f) > 1e-5f) {
                now.rotation.normalize();
                lengthened += std::abs(length - 1.0f) > 1e-3f ? 1 : 0;
            }
        }
    }
    if (held > 0)
        findings.push_back(
            {Severity::warning, "clip.not-a-number", clip.name,
             fmt::format("{} of its transforms are no numbers; the frame before was held", held),
             "look at the source of this clip"});
    if (lengthened > 0)
        findings.push_back(
            {Severity::note, "clip.rotation-not-unit", clip.name,
             fmt::format("{} of its rotations were not of unit length; they were given it", lengthened), ""});
    return findings;
}

}  // namespace dendraxis
