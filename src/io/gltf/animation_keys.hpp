// Keys for nodes that are added to a file's animation.
#pragma once

#include "glb_builder.hpp"

#include <string>
#include <utility>

namespace dendraxis::io {

/// One animation of the file; frames count from its first key.
class AnimationKeys {
 public:
    /// Throws `Error` where the file has no such animation.
    AnimationKeys(Glb& glb, const Clip& clip, const std::string& file);

    float last_frame() const noexcept { return static_cast<float>(clip_.frame_count()) - 1.0f; }
    float time_of(float frame) const noexcept { return start_ + frame / clip_.fps; }
    /// So many moments before a frame: early enough that the frame itself is after it however its time is
    /// rounded.
    float time_before(float frame, float moments = 1.0f) const noexcept;

    /// The node has `scale` while it shows and no size while it does not: `first` at the start, and from each
    /// frame on what stands beside it.
    void show(int node, const Vec3& scale, bool first, std::span<const std::pair<float, bool>> changes);

    /// The node goes evenly from place to place; `times` rise.
    void move(int node, const std::vector<float>& times, std::span<const Transform> places);

 private:
    void add(int node, const char* path, const char* curve, const std::vector<float>& times, int values);
    Json& animation() const { return glb_.json["animations"][index_]; }

    Glb& glb_;
    const Clip& clip_;
    std::size_t index_ = 0;
    float start_ = 1e30f;
};

}  // namespace dendraxis::io
