// The pictures that color surfaces, for looking up.
#pragma once

#include "raster.hpp"

#include <dendraxis/skeleton/character.hpp>

#include <cstdint>
#include <map>
#include <string>

namespace dendraxis::draw {

/// One picture; it repeats beyond its edges (glTF 2.0, section 3.8.4).
struct Texture {
    int width = 0;
    int height = 0;
    std::vector<std::uint32_t> pixels;  ///< premultiplied ARGB

    struct Texel {
        Color color;  ///< as shown
        float alpha;
    };
    Texel at(const Eigen::Vector2f& point) const;
};

/// The PNGs of characters' files, decoded once each. Other kinds of pictures, and what cannot be read, are
/// left out: their surfaces keep the plain color.
class Textures {
 public:
    void add(const Character& character);
    const Texture* of(const Character& character, const SkinnedMesh& mesh) const;

 private:
    std::map<std::string, std::map<int, Texture>> files_;
};

}  // namespace dendraxis::draw
