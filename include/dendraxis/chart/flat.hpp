// Characters that are flat: puppets drawn from parts, which move in one plane.
#pragma once

#include <dendraxis/chart/joint_turn.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <span>
#include <vector>

namespace dendraxis {

/// The normal, model space, of the plane in which all joints and all skin of a character lie at rest, parts
/// drawn over each other within 3 % of its size; zero if it has depth or no skin.
Vec3 flat_across(const Character& character);

/// Keeps poses of a flat character (`BodyShape::flat_across`) in its plane: joints turn about its normal
/// alone and stay as far behind or before it as they rest. Immutable once made; shared by threads freely.
class PlaneKeeper {
 public:
    explicit PlaneKeeper(const Chart& chart);

    /// Any number of whole local poses. Never allocates or throws.
    void apply(std::span<Transform> poses) const noexcept;

 private:
    struct Joint {
        JointFrame frame;
        Vec3 normal = Vec3::Zero();  // in the parent's space
        Vec3 rest = Vec3::Zero();
    };
    Vec3 normal_ = Vec3::Zero();  // upright
    std::vector<Joint> joints_;
};

/// The normal along which a flat character counts as facing if it is paired with another flat one: the one on
/// its own facing's side if it looks out of the plane, else `facing x up`. So two puppets that face left and
/// right in one plane mirror each other.
Vec3 plane_facing(const Chart& chart);

}  // namespace dendraxis
