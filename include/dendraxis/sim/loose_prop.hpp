// A mounted thing that is let go within a clip: where it falls while the clip goes on.
#pragma once

#include <dendraxis/sim/drop.hpp>

#include <vector>

namespace dendraxis::sim {

/// What is let go, where and when.
struct LooseProp {
    const Prop* prop = nullptr;
    PropFit fit;
    std::size_t socket = 0;    ///< of the binding
    std::size_t frame = 0;     ///< of the clip
    Vec3 push = Vec3::Zero();  ///< N s on its middle, upright frame: left, up, forward
};

struct LooseFall {
    /// The thing's own space in model space, from the frame in which it is let go to the clip's last.
    std::vector<Transform> frames;
    float speed = 0.0f;        ///< m/s of its middle as it is let go, after the push
    Vec3 ends = Vec3::Zero();  ///< of its middle at the clip's last frame, metres: left, up, forward
    bool lies = false;         ///< it is still then
};

/// Lets a thing go as fast as its bone moves it. It meets the ground and the wearer's bodies as the clip
/// moves them; `ground` is in model space, weights and speeds go by `metres_in_unit`. Same input, same bits.
/// Throws `Error` where the clip has no such frame.
LooseFall fall_in_clip(const LooseProp& loose, const SocketBinding& sockets, const RagdollBinding& wearer,
                       const Chart& chart, const Clip& clip, const DropGround& ground = {});

}  // namespace dendraxis::sim
