// Props from files, and mounted in a character's file.
#pragma once

#include <dendraxis/equip/prop.hpp>

#include <filesystem>
#include <span>

namespace dendraxis::io {

/// Any glTF as a prop, in the pose that its file stands in. Its grips are its nodes whose names begin with
/// `grip`; a side file `NAME.prop.json` beside it may name more, or others in their place. Throws `Error`
/// where it shows nothing or its side file is wrong.
Prop load_prop(const std::filesystem::path& file);

struct PropMount {
    const Prop* prop = nullptr;
    std::size_t socket = 0;  ///< of the binding
    PropFit fit;
};

/// The character's file with the props as plain nodes below their bones (`prop NAME`), so that any viewer
/// shows them and every clip carries them. Materials and pictures come along; a prop's own skin is posed as
/// at rest. Throws `Error`.
std::vector<std::uint8_t> glb_with_props(const Character& character, const SocketBinding& sockets,
                                         std::span<const PropMount> mounts);

/// A prop in a file that `glb_with_props` wrote.
struct MountedProp {
    std::string prop;
    std::string socket;
};

std::vector<MountedProp> mounted_props(const std::filesystem::path& file);

/// What `equip --json` tells.
std::string mounted_json(std::span<const MountedProp> mounted, const Findings& findings);

/// What is wrong with them: what `check_prop` finds, `socket.two-things` where one socket takes two or has
/// one already, and `prop.scaled-by-bone` where a clip scales what is mounted.
Findings check_mounts(const Character& character, const Chart& chart, const SocketBinding& sockets,
                      std::span<const PropMount> mounts);

/// The file without these props (all where none is named), as if they had never been there. Throws `Error`,
/// naming the nearest, where one is not mounted.
std::vector<std::uint8_t> glb_without_props(const std::filesystem::path& file,
                                            std::span<const std::string> props = {});

}  // namespace dendraxis::io
