// Sockets from the chart alone, and from one character to another.
#pragma once

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/equip/socket.hpp>

namespace dendraxis {

/// Sockets that people would place first: `hand.left` and `.right` in the palms, `belt.left` and `.right`,
/// `back` and `chest` on the trunk's surface, `head` on top of it; on four legs `saddle` and `collar`. What
/// the chart does not show has none.
std::vector<Socket> suggested_sockets(const Character& character, const Chart& chart);

enum class SocketPlacing {
    in_proportion,  ///< to the segment's direction, length and thickness: where a person would put it
    as_it_was,      ///< same metres and turn along the bone's own axes
};

struct BroughtSockets {
    std::vector<Socket> sockets;
    Findings findings;  ///< `socket.no-place` for each that found none
};

/// Sockets of one character for another. A socket goes to the bone of the same name, else to the bone that
/// answers to its own by the charts. In proportion, what lies along the segment grows with its length and
/// what lies across with its thickness, whatever the bones' axes and the stances are.
BroughtSockets bring_sockets(std::span<const Socket> sockets, const Character& source,
                             const Chart& source_chart, const Character& target, const Chart& target_chart,
                             SocketPlacing placing = SocketPlacing::in_proportion);

}  // namespace dendraxis
