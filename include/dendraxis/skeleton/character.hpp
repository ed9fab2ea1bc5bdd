// A character as its file gives it: bones, surface, clips.
#pragma once

#include <dendraxis/base/finding.hpp>
#include <dendraxis/skeleton/clip.hpp>
#include <dendraxis/skeleton/skeleton.hpp>
#include <dendraxis/skeleton/skin.hpp>

#include <string>
#include <string_view>
#include <vector>

namespace dendraxis {

/// What a file itself says a bone is, in words (`leftUpperArm`).
struct DeclaredRole {
    int bone = k_no_bone;
    std::string role;
};

struct Character {
    std::string name;  ///< the file's name without its ending
    std::string file;  ///< where it was read from; empty where it was made in code
    Skeleton skeleton;
    std::vector<SkinnedMesh> meshes;
    std::vector<SkinnedMesh> props;  ///< mounted things: they show and follow, but are no part of the body
    std::vector<int> prop_nodes;     ///< of each of `props` its node in the file
    std::vector<Clip> prop_motions;  ///< of clips that move or switch props: one "bone" a mesh of `props`,
                                     ///< relative to the bone that carries it; as many frames as the clip
    std::vector<Clip> clips;
    std::vector<int> nodes;              ///< each bone's node in the file; empty where it was made in code
    std::vector<DeclaredRole> declared;  ///< humanoid tables of VRM 1.0 and 0.x, where the file has one
    Findings findings;                   ///< what was seen while reading

    /// The clip of that name, or nothing.
    const Clip* find_clip(std::string_view clip_name) const noexcept;

    /// The clip of that name. Throws `Error`, naming the nearest, if there is none.
    const Clip& clip(std::string_view clip_name) const;
};

/// The mounted things as they are in a frame of a clip: bound anew where the clip moves them.
std::vector<SkinnedMesh> props_at(const Character& character, std::string_view clip, std::size_t frame);

/// The local pose in which the surface was bound to the bones; bones that move no surface keep their rest.
std::vector<Transform> bind_pose(const Character& character);

/// The lowest and highest corner of all that shows, in model space at rest: the meshes, or the joints where
/// there is no mesh.
struct Extents {
    Vec3 low = Vec3::Zero();
    Vec3 high = Vec3::Zero();
};

Extents rest_extents(const Skeleton& skeleton, std::span<const SkinnedMesh> meshes);

}  // namespace dendraxis
