#include "layout.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::draw {

Quat view_turn(const Panel& panel) {
    float heading = 0.0f;
    if (panel.view == View::quarter) heading = -38.0f / k_degrees;
    if (panel.view == View::side) heading = -90.0f / k_degrees;
    if (panel.view == View::back) heading = 180.0f / k_degrees;
    if (const Vec3& across = panel.chart->shape.flat_across; !across.isZero()) {
        const Vec3 normal = panel.chart->to_upright() * across;
        heading =
            -std::atan2(normal.x(), normal.z()) + (panel.view == View::back ? 180.0f / k_degrees : 0.0f);
    }
    return Quat(Eigen::AngleAxisf(k_tilt, Vec3::UnitX()) * Eigen::AngleAxisf(heading, Vec3::UnitY()));
}

float size_of(const Panel& panel) {
    return std::max(panel.chart->height + std::max(0.0f, panel.headroom), 1e-6f);
}

Spread spread_of(const Panel& panel) {
    const Quat turn = view_turn(panel);
    Panel at_rest{panel.character, panel.chart, rest_pose(panel.character->skeleton), "", ""};
    at_rest.view = panel.view;
    Spread spread;
    for (const bool posed : {false, true}) {
        const Stage stage(posed ? panel : at_rest);
        float low = 1e30f;
        float high = -1e30f;
        for (int bone = 0; bone < static_cast<int>(stage.bones.size()); ++bone) {
            if (bone == panel.chart->root) continue;
            const float x = (turn * stage.bone(bone)).x();
            low = std::min(low, x);
            high = std::max(high, x);
        }
        if (!posed) spread.middle = std::abs(low + high) > 0.3f * (high - low) ? 0.5f * (low + high) : 0.0f;
        if (posed) spread.half_width = std::max(high - spread.middle, spread.middle - low);
    }
    return spread;
}

Grid::Grid(std::size_t panels, int wanted_columns, const PictureOptions& options) : columns(wanted_columns) {
    const int rows = (static_cast<int>(panels) + columns - 1) / columns;
    width = static_cast<double>(options.width) / columns;
    height = (options.height - (options.plain ? 0.0 : k_legend_height)) / rows;
    if (options.plain) title = margin = 4.0;
}

double Grid::fit(const Panel& panel, const Spread& spread) const {
    const double size = static_cast<double>(size_of(panel));
    const double reach = 2.0 * static_cast<double>(spread.half_width) + 0.20 * size;
    const double labels = panel.chart_labels ? 230.0 : 0.0;
    return std::max(1e-6, std::min((height - title) / (1.28 * size), (width - margin - labels) / reach));
}

double Grid::fit_all(std::span<const Panel> panels, const std::vector<Spread>& spreads) const {
    double least = fit(panels[0], spreads[0]);
    for (std::size_t i = 1; i < panels.size(); ++i) least = std::min(least, fit(panels[i], spreads[i]));
    return least;
}

Grid choose_grid(std::span<const Panel> panels, const std::vector<Spread>& spreads,
                 const PictureOptions& options) {
    if (options.columns > 0) return {panels.size(), options.columns, options};
    const Grid row(panels.size(), static_cast<int>(panels.size()), options);
    const Grid column(panels.size(), 1, options);
    return 1.25 * column.fit_all(panels, spreads) > row.fit_all(panels, spreads) ? column : row;
}

}  // namespace dendraxis::draw
