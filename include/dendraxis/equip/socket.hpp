// Sockets: named places on bones where things are mounted.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace dendraxis {

/// What a socket is for: in a fist, to put things away, to sit on, to wear.
enum class SocketKind { grip, holster, seat, worn };

std::string_view to_string(SocketKind kind) noexcept;
std::optional<SocketKind> socket_kind(std::string_view word) noexcept;

/// A frame that a bone carries. Told in the upright frame (left, up, forward) at rest and in metres, so that
/// it means the same whatever the bone's own axes, scale and unit are.
///
/// In a `grip`, +Y runs along the handle and leaves the fist at the thumb, +X points to the fingertips. In
/// all others +Y is up and +Z looks away from the body (of a `seat`, the way one faces).
struct Socket {
    std::string name;
    int bone = k_no_bone;
    SocketKind kind = SocketKind::grip;
    Vec3 at = Vec3::Zero();  ///< from the bone's head
    Quat turn = Quat::Identity();
};

/// The socket of that name, or null.
const Socket* find_socket(std::span<const Socket> sockets, std::string_view name) noexcept;

/// A socket's, chain's or part's name with left and right exchanged; the same where it tells neither.
std::string other_side(std::string name);

/// The same socket on the other side: its bone's counterpart in the other side's chain (the bone itself in
/// the middle), its place and turn mirrored, `left` and `right` changed in its name. Throws `Error` where the
/// bone has no counterpart.
Socket mirrored_socket(const Socket& socket, const Chart& chart);

/// What is wrong with them: two of one name, a bone that does not exist, a place more than the character's
/// height from its bone, a bone that is scaled unevenly (things mounted there would be sheared) or mirrored.
Findings check_sockets(std::span<const Socket> sockets, const Chart& chart);

/// Throws `Error` on what would make a socket meaningless: no name, no such bone, numbers that are not
/// finite.
void require_sound(std::span<const Socket> sockets, const Chart& chart);

/// Sockets bound to a skeleton. Immutable; shared by threads.
class SocketBinding {
 public:
    /// Throws `Error` as `require_sound` does.
    SocketBinding(std::vector<Socket> sockets, const Chart& chart);

    std::span<const Socket> sockets() const noexcept { return sockets_; }

    /// Where a socket is while the bones stand at `model` (model space, one a bone). Its scale is 1 unless
    /// the pose scales the bone. Never allocates or throws.
    Transform frame(std::size_t socket, std::span<const Transform> model) const noexcept;

 private:
    std::vector<Socket> sockets_;
    std::vector<Transform> in_bone_;  // along the bone's own axes; scale: what undoes the bone's at rest
};

}  // namespace dendraxis
