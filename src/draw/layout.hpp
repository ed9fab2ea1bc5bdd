// Where the panels of a picture lie, how large their figures are, and from where each is seen.
#pragma once

#include "scene.hpp"

#include <dendraxis/base/rotation.hpp>

#include <span>
#include <vector>

namespace dendraxis::draw {

inline constexpr double k_legend_height = 34.0;
inline constexpr double k_title_height = 46.0;
inline constexpr float k_tilt = 9.0f / k_degrees;  ///< the eye looks down a little, so that the floor shows

/// The turn from the upright frame to the view. What is flat is seen as it is drawn, from before its plane or
/// from behind it.
Quat view_turn(const Panel& panel);

/// A figure's height, for what panels share: scale and grid.
float size_of(const Panel& panel);

/// How far a figure reaches to either side of the panel's middle, and where its middle lies at rest beside
/// the hips (a four-legged one's lies well before it), in metres as seen.
struct Spread {
    float middle = 0.0f;
    float half_width = 0.0f;
};

Spread spread_of(const Panel& panel);

/// The panels' rows and columns, in pixels.
struct Grid {
    int columns = 1;
    double width = 0.0;  ///< of a panel
    double height = 0.0;
    double title = k_title_height;
    double margin = 16.0;

    Grid(std::size_t panels, int wanted_columns, const PictureOptions& options);

    /// Pixels a metre at which one figure, or every figure, fits its panel.
    double fit(const Panel& panel, const Spread& spread) const;
    double fit_all(std::span<const Panel> panels, const std::vector<Spread>& spreads) const;
};

/// As asked; else one row, or one column where figures are long: it leaves more room beside them.
Grid choose_grid(std::span<const Panel> panels, const std::vector<Spread>& spreads,
                 const PictureOptions& options);

}  // namespace dendraxis::draw
