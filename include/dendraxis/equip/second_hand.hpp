// The other hand on a thing that takes two.
#pragma once

#include <dendraxis/equip/prop.hpp>

namespace dendraxis {

/// Which hand holds the thing, and which is to come to it.
struct TwoHanded {
    std::size_t socket = 0;  ///< of the binding: where it is mounted
    Transform placement;     ///< how it lies there (`placement_of`)
    std::size_t second = 0;  ///< of the binding: a socket on the other hand
    PropGrip grip;           ///< where that one is to be, in the thing's own space
};

struct TwoHandedClip {
    Clip clip;
    float worst = 0.0f;  ///< metres, the most that the second socket is from its grip
    std::size_t worst_frame = 0;
    std::size_t out_of_reach = 0;  ///< frames in which it is over 1 cm off
};

/// The clip with the second hand brought to its grip in every frame: shoulder and elbow by the two-bone
/// solution of `ik`, the hand turned along the handle and around it so that its wrist is on the shoulder's
/// side. Throws `Error` where the second socket is on no arm or leg.
TwoHandedClip bring_second_hand(const Chart& chart, const SocketBinding& sockets, const TwoHanded& held,
                                const Clip& clip);

/// `prop.second-grip-far` where the second hand does not get there.
Findings check_second_hand(const TwoHandedClip& done, const Prop& prop, const Socket& second);

}  // namespace dendraxis
