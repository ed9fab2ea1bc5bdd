// The words on the command line of `equip`.
#pragma once

#include "../support/command_line.hpp"

#include <dendraxis/equip/carry.hpp>
#include <dendraxis/equip/fit_piece.hpp>

#include <optional>
#include <string>
#include <vector>

namespace dendraxis::tool {

/// `mallet.glb@hand.right+belt.right,scale=1.1`, `mallet.glb@hand.right,second=hand.left,in=chop+lift`
struct Put {
    fs::path file;
    std::vector<std::string> sockets;  ///< more than one: carried in several places
    std::string second;                ///< the socket of the other hand; empty for none
    std::vector<std::string> clips;    ///< in which that hand comes to it; all where empty
    std::optional<float> closed;       ///< how far fingers close around it, 0 to 1
    std::optional<float> scale;        ///< `usual_scale` where nothing is said
    PropFit fit;
};

Put read_put(const std::string& words);

/// `guards.glb#shin.left@shin.right,mirrored`
struct Fit {
    fs::path file;
    std::string node;
    std::string part;         ///< empty: all nodes that are named like parts
    bool both_sides = false;  ///< on the other side too, mirrored
    PieceOptions options;
};

Fit read_fit(const std::string& words);

/// `swing-mallet:50=mallet@belt.right,over=8`
struct Switch {
    std::string clip;
    std::string prop;
    std::string socket;
    CarrySwitch change;  ///< its place still to be found
};

Switch read_switch(const std::string& words);

/// `stroll:20=oilskin-hat`
struct LetGo {
    std::string clip;
    std::string prop;
    std::size_t frame = 0;
};

LetGo read_let_go(const std::string& words);

}  // namespace dendraxis::tool
