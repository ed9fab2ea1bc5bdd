// A hand that holds: fingers closed around what is mounted in it.
#pragma once

#include <dendraxis/equip/mount.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <span>
#include <string>
#include <vector>

namespace dendraxis {

/// How the fingers of a hand lie around a thing. It moves with the hand, so one such pose serves all clips.
struct ClosedHand {
    /// A bone of a finger and how it is turned, relative to its parent.
    struct Turned {
        int bone = k_no_bone;
        Quat local = Quat::Identity();
    };
    struct Finger {
        std::string chain;     ///< `index.left`
        bool stuck = false;    ///< it rests within the thing, finds no way out, and is left as it is
        bool touches = false;  ///< any of it touches the thing
        float closed = 0.0f;   ///< how far it closed, 0 (as it rests) to 1 (as far as it goes)
        float nearest = 0.0f;  ///< model units between its skin and the thing; below 0 within it
    };
    std::vector<Turned> bones;
    std::vector<Finger> fingers;
};

/// Closes the fingers of the hand that the socket is on around the prop. Each joint bends toward the palm,
/// the thumb's toward the thing, until its own or a further bone touches; joints nearer to the palm stop
/// first. A finger that rests where the thing is goes out of its way first. Fingers are as thick as the skin
/// about them. `strength`: 1 until they touch; less leaves them as much more open. Finds no finger where the
/// chart has none. Throws `Error` where the socket is on no arm.
ClosedHand close_hand(const Character& character, const Chart& chart, const SocketBinding& sockets,
                      const PropMount& mount, float strength = 1.0f);

/// Turns the fingers of a pose or of a whole clip so.
void apply(const ClosedHand& hand, std::span<Transform> pose) noexcept;
Clip with_closed_hand(Clip clip, const ClosedHand& hand);

/// `prop.no-fingers` where the hand has none, `prop.finger-open` for those that close and touch nothing,
/// `prop.finger-stuck` for those that were left within the thing.
Findings check_closed_hand(const ClosedHand& hand, const Prop& prop, const Socket& socket);

}  // namespace dendraxis
