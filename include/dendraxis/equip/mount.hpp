// Props at sockets, and what is wrong with how they are mounted.
#pragma once

#include <dendraxis/equip/carry.hpp>
#include <dendraxis/equip/prop.hpp>

#include <map>
#include <span>
#include <string>
#include <vector>

namespace dendraxis {

/// A prop at one socket.
struct PropMount {
    const Prop* prop = nullptr;
    std::size_t socket = 0;  ///< of the binding
    PropFit fit;
};

/// A prop with several places, the first of which it is in where no clip says otherwise.
struct CarriedProp {
    const Prop* prop = nullptr;
    std::vector<std::size_t> sockets;  ///< of the binding
    PropFit fit;
    std::map<std::string, std::vector<CarrySwitch>> switches;  ///< by clip
};

/// Reports what `check_prop` and `check_sockets` find, `socket.two-things` if a socket takes two things or is
/// one of `taken` (sockets that hold something already), and `prop.scaled-by-bone` if a clip scales what is
/// mounted.
Findings check_mounts(const Character& character, const Chart& chart, const SocketBinding& sockets,
                      std::span<const PropMount> mounts, std::span<const CarriedProp> carried = {},
                      std::span<const std::string> taken = {});

}  // namespace dendraxis
