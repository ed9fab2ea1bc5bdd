// Props from files, and mounted in a character's file.
#pragma once

#include <dendraxis/equip/mount.hpp>

#include <filesystem>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace dendraxis::io {

/// Any glTF as a prop, in the pose that its file stands in. Its grips are its nodes whose names begin with
/// `grip`; a side file `NAME.prop.json` beside it may name more, or others in their place, and volumes.
/// Throws `Error` where it shows nothing or its side file is wrong.
Prop load_prop(const std::filesystem::path& file);

/// One piece of clothing: a node of the file with what hangs below it, its origin where the node is; the
/// whole file where no node is named. Throws `Error`, naming the nearest, where there is no such node or it
/// shows nothing.
Prop load_piece(const std::filesystem::path& file, const std::string& node = {});

/// The names of a file's nodes.
std::vector<std::string> names_in_prop(const std::filesystem::path& file);

/// A mounted prop that is let go in a clip: it no longer follows, and is in the world where `frames` say.
struct PropFlight {
    std::size_t mount = 0;  ///< which of the mounts
    std::string clip;
    std::size_t frame = 0;
    std::vector<Transform> frames;  ///< its own space in model space, from `frame` on, a frame each
};

/// The character's file with the props as plain nodes below their bones (`prop NAME`), so that any viewer
/// shows them and every clip carries them. Materials and pictures come along. A prop that bends or has
/// clips of its own keeps its nodes and skin below that node; its clips go into the character's of the same
/// names, else beside them. Any other is one mesh as it lies at rest. A carried prop has a node a place, one
/// that is let go a second one in the scene; the clips switch them by their sizes. `clips` take the place of
/// the file's of the same names. Throws `Error`.
std::vector<std::uint8_t> glb_with_props(const Character& character, const SocketBinding& sockets,
                                         std::span<const PropMount> mounts,
                                         std::span<const CarriedProp> carried = {},
                                         std::span<const Clip> clips = {},
                                         std::span<const PropFlight> flights = {});

/// A prop in a file that `glb_with_props` wrote.
struct MountedProp {
    std::string prop;
    std::string socket;                ///< empty: where it goes once it is let go
    int node_above = -1;               ///< the node that carries it; -1: the scene
    Transform at;                      ///< relative to that node
    std::vector<SweepVolume> volumes;  ///< in the prop's own space
};

std::vector<MountedProp> mounted_props(const std::filesystem::path& file);

/// The file without these props (all where none is named), as if they had never been there. Throws `Error`,
/// naming the nearest, where one is not mounted.
std::vector<std::uint8_t> glb_without_props(const std::filesystem::path& file,
                                            std::span<const std::string> props = {});

}  // namespace dendraxis::io
