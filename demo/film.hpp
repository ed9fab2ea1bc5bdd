// What all made-up motions share: filming a pose that is a function of time, and a body's usual postures.
#pragma once

#include "poser.hpp"

#include <string>

namespace harbour {

/// The rate of all demo clips.
inline constexpr float k_fps = 30.0f;

/// 1 at whole phases, -1 between them.
float wave(float phase);

/// `from` before `start`, `to` after `end`, smooth between; seconds.
float ease(float from, float to, float start, float end, float seconds);

/// A clip of `frames` poses; `pose_at(poser, seconds)` starts from the rest each time.
template <class PoseAt>
dendraxis::Clip film(const dendraxis::Skeleton& skeleton, const std::string& name, int frames,
                     const PoseAt& pose_at) {
    dendraxis::Clip clip;
    clip.name = name;
    clip.fps = k_fps;
    clip.bone_count = skeleton.size();
    clip.transforms.resize(static_cast<std::size_t>(frames) * skeleton.size());
    Poser poser(skeleton);
    for (int f = 0; f < frames; ++f) {
        poser.reset();
        pose_at(poser, static_cast<float>(f) / k_fps);
        poser.write(clip.frame(static_cast<std::size_t>(f)));
    }
    return clip;
}

/// Closes the fingers of a hand of the diver's; degrees a joint.
void curl_fingers(Poser& poser, const std::string& side, float curl);

/// A hanging arm of the diver's: lowered from the T stance, swung forward, bent at the elbow; degrees.
void hang_arm(Poser& poser, const std::string& side, float lowered, float forward, float elbow, float curl);

/// Both of the diver's feet flat on the floor where they are at rest.
void plant_feet(Poser& poser, float turned_out);

}  // namespace harbour
