// Props: things that are held, worn or hung, and how they are laid into a socket.
#pragma once

#include <dendraxis/base/finding.hpp>
#include <dendraxis/equip/socket.hpp>
#include <dendraxis/equip/volume.hpp>
#include <dendraxis/skeleton/character.hpp>

#include <optional>
#include <string>
#include <vector>

namespace dendraxis {

/// The frame of a prop that comes to lie in a socket: axes as the socket's (of a handle, +Y along it to the
/// thumb, +X to the fingertips).
struct PropGrip {
    std::string name;  ///< `grip`, and of a second hand `grip.second`
    Vec3 at = Vec3::Zero();
    Quat turn = Quat::Identity();
};

/// A prop at rest in its own space: metres, what its file says is its origin.
struct Prop {
    std::string name;
    Character model;
    std::vector<PropGrip> grips;
    std::vector<SweepVolume> volumes;  ///< that can strike
    std::optional<float> mass;         ///< kg, where its side file says
    bool has_parts = false;            ///< it bends or has clips: it is mounted with its own nodes and skin
    Findings findings;

    /// The grip of that name; the prop's origin where it has none at all. Throws `Error`, naming the nearest,
    /// where it has others.
    PropGrip grip(const std::string& grip_name = "grip") const;
};

/// How a prop is laid into a socket.
struct PropFit {
    std::string grip = "grip";
    float scale = 1.0f;
    bool mirrored = false;  ///< left and right exchanged, across the grip's XY plane: for the other hand
    Vec3 stretch = Vec3::Ones();  ///< more, along the prop's own axes: of fitted pieces
};

/// By what a prop is scaled where nobody says: 1; if the character's unit is not the metre
/// (`metres_in_unit`), what makes metres of the prop's units, if that brings it nearer to a third of the
/// character's height.
float usual_scale(const Prop& prop, const Chart& chart);

/// Where the prop's own space is, given in the socket's frame. Throws `Error` where the grip does not exist
/// or the scale is not above 0.
Transform placement_of(const Prop& prop, const PropFit& fit);

/// What a prop's points are replaced by where it is mirrored.
Affine mirror_of(const Prop& prop, const PropFit& fit);

/// Whether the prop looks at home there: `prop.far-from-socket` where all of it is more than a hand's breadth
/// (a tenth of the character's height) from the socket, `prop.large` where it is more than three times as
/// large as the character: most often a file in centimetres.
Findings check_prop(const Prop& prop, const PropFit& fit, const Socket& socket, const Chart& chart);

}  // namespace dendraxis
