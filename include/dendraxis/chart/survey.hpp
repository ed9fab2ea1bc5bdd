// The survey: what a character file holds, and what in it will trip its user up.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <string>
#include <vector>

namespace dendraxis {

struct ClipSummary {
    std::string name;
    float fps = 0.0f;
    std::size_t frames = 0;
    float seconds = 0.0f;
    float root_motion = 0.0f;  ///< metres over the floor, first frame to last, of the root or else the hips
    std::size_t moving = 0;    ///< bones that move
};

struct Survey {
    Chart chart;
    std::size_t meshes = 0;
    std::size_t vertices = 0;
    std::size_t triangles = 0;
    std::string unit;  ///< what one unit of the file seems to be, with the reason
    std::string axes;  ///< up and facing in words
    std::vector<ClipSummary> clips;
    Findings findings;  ///< the character's, the chart's and the survey's own
};

Survey survey(const Character& character);

/// The same with the chart that it has, which may hold what a person said.
Survey survey(const Character& character, Chart chart);

/// `+Y`, `-X`, or three numbers where it is along no axis.
std::string axis_name(const Vec3& direction);

}  // namespace dendraxis
