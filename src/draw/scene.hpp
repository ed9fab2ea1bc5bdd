// What a panel shows, turned into triangles on the screen.
#pragma once

#include "raster.hpp"
#include "texture.hpp"

#include <dendraxis/draw/bone_groups.hpp>
#include <dendraxis/draw/picture.hpp>

namespace dendraxis::draw {

/// From a character's upright frame (its hips over the middle, floor at height 0) to pixels.
struct Camera {
    Quat turn;       ///< upright frame to view: x right, y up, z toward the eye
    float scale;     ///< pixels a metre
    float center_x;  ///< pixel of the middle
    float floor_y;   ///< pixel row of the floor's middle

    Vec3 to_screen(const Vec3& upright) const;
};

/// A panel's pose in its upright frame.
struct Stage {
    Quat to_upright;
    Vec3 origin;  ///< in model space: the floor below the hips
    std::vector<Affine> bones;

    explicit Stage(const Panel& panel);
    Vec3 upright(const Vec3& model) const { return to_upright * (model - origin); }
    Vec3 bone(int index) const { return upright(bones[static_cast<std::size_t>(index)].translation()); }
};

void draw_mesh(const Panel& panel, const Textures& textures, const Stage& stage, const Camera& camera,
               Layer& layer);
/// The terrain around the character, so many metres to all sides.
void draw_terrain(const Panel& panel, float reach, const Stage& stage, const Camera& camera, Layer& layer);
void draw_bones(const Panel& panel, const Stage& stage, const Camera& camera, Layer& layer);

}  // namespace dendraxis::draw
