// A puppet's parts file, read and checked.
#pragma once

#include <dendraxis/io/gltf/gltf.hpp>

#include <Eigen/Core>

#include <optional>
#include <string>
#include <vector>

namespace dendraxis::io {

/// All positions are pixels of the drawing: x to the right, y down.
struct PuppetJoint {
    std::string name;
    int parent = -1;  ///< index of a joint; -1: none
    Eigen::Vector2f position = Eigen::Vector2f::Zero();
    std::optional<Eigen::Vector2f> tip;
    std::optional<std::array<float, 2>> limits;  ///< degrees, counterclockwise as seen
};

struct PuppetPart {
    std::string name;
    int joint = 0;
    int order = 0;
    Eigen::Vector2f corner = Eigen::Vector2f::Zero();  ///< the upper left one, at rest
    Eigen::Vector2f size = Eigen::Vector2f::Zero();
    std::size_t picture = 0;
};

struct Puppet {
    float pixels_per_metre = 1.0f;
    std::string faces;  ///< empty: as its shape says
    std::vector<PuppetJoint> joints;
    std::vector<PuppetPart> parts;  ///< the farthest from the viewer first
    std::vector<Picture> pictures;
};

/// What of a puppet is wanted: all, or no parts and pictures.
enum class PuppetOf { all, joints };

/// Throws `Error` with line and pointer.
Puppet read_puppet(const std::filesystem::path& file, PuppetOf of);

}  // namespace dendraxis::io
