// Lines over the figure: targets and what is brought to them, and how far joints may swing.
#pragma once

#include "scene.hpp"

#include <cairo.h>

namespace dendraxis::draw {

void draw_marks(cairo_t* cairo, const Panel& panel, const Stage& stage, const Camera& camera);
void draw_ranges(cairo_t* cairo, const Panel& panel, const Stage& stage, const Camera& camera);

/// The axes of the panel's sockets, with their names.
void draw_sockets(cairo_t* cairo, const Panel& panel, const Stage& stage, const Camera& camera);

}  // namespace dendraxis::draw
