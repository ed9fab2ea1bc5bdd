// A ragdoll's shapes over the figure.
#pragma once

#include "scene.hpp"

namespace dendraxis::draw {

/// Nothing where the panel has no ragdoll.
void draw_bodies(const Panel& panel, const Stage& stage, const Camera& camera, Layer& layer);

}  // namespace dendraxis::draw
