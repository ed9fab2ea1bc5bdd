// Rounded shapes that make up the demo bodies: tubes of elliptic rings, skinned as they are made.
#pragma once

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/character.hpp>

#include <functional>
#include <map>
#include <string>
#include <utility>
#include <vector>

namespace harbour {

using dendraxis::k_degrees;
using dendraxis::k_pi;
using dendraxis::Vec3;

/// Bones (by name) and how much each moves a vertex; made to sum to one.
using Weights = std::vector<std::pair<std::string, float>>;

/// One cross-section: an ellipse, or squarer where `squareness` is over 2 (a superellipse).
struct Ring {
    Vec3 center;
    Vec3 across;  ///< half axis
    Vec3 along;   ///< the other half axis
    float squareness = 2.0f;
};

/// A point on a limb: how far along its path (metres from the start) and how thick it is there.
struct Girth {
    float at;
    float across;
    float along;
};

using WeightsAt = std::function<Weights(const Vec3& position)>;

/// Collects triangles by material and turns them into skinned meshes. All positions in model space at rest.
class Sculptor {
 public:
    explicit Sculptor(const std::vector<std::pair<std::string, Vec3>>& joints);

    void material(const std::string& name, std::array<float, 3> color) {
        current_ = name, colors_[name] = color;
    }

    /// Rings joined by a smooth surface, closed by rounded caps at both ends.
    void tube(const std::vector<Ring>& rings, const WeightsAt& weights, int segments = 16);

    /// Rings joined by a smooth surface, the last with the first again: a cuff whose rings run up its outside
    /// and down its inside.
    void cuff(const std::vector<Ring>& rings, const WeightsAt& weights, int segments = 20);

    /// A tube along joints, its thickness given at points of the path. `across` of a ring lies square to the
    /// path and to `up`. Weights pass from bone to bone around the joints.
    void limb(const std::vector<std::string>& bones, const Vec3& end, const std::vector<Girth>& girths,
              const Vec3& up, int segments = 14);

    void ellipsoid(const Vec3& center, const Vec3& radii, const std::string& bone, int segments = 12);

    /// The meshes, bound to `skeleton`, for data in the space of `above` (a scaled or turned node).
    std::vector<dendraxis::SkinnedMesh> finish(const dendraxis::Skeleton& skeleton) const;

    Vec3 joint(const std::string& name) const;

 private:
    std::uint32_t put_rings(const std::vector<Ring>& rings, const WeightsAt& weights, int segments);

    struct Part {
        std::vector<Vec3> positions;
        std::vector<Weights> weights;
        std::vector<std::array<std::uint32_t, 3>> triangles;
    };

    std::vector<std::pair<std::string, Vec3>> joints_;
    std::map<std::string, Part> parts_;
    std::map<std::string, std::array<float, 3>> colors_;
    std::string current_;
};

/// 0 below `from`, 1 above `to`, smooth between.
float smooth_step(float from, float to, float value);

}  // namespace harbour
