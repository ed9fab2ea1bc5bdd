// Which frames of a clip must be kept as keys so that what lies between can be made again.
#pragma once

#include <dendraxis/skeleton/clip.hpp>

#include <vector>

namespace dendraxis {

/// How far the reduced clip may be from the full one, at any joint, in model space.
struct KeyTolerance {
    float metres = 0.05e-3f;
    float radians = 0.01f * 0.017453293f;
};

/// The frames of one bone that are kept, ascending, for each property. Empty: the property never leaves its
/// rest and needs no key. One frame: it is constant.
struct BoneKeys {
    std::vector<int> rotation;
    std::vector<int> translation;
    std::vector<int> scale;
};

/// Finds keys for every bone, such that straight lines (translation, scale) and great arcs (rotation) between
/// them stay within the tolerance; of what steps, every frame that differs from the key before. Each bone
/// gets a share of it that counts how many bones and how much length hang below. No line spans more than
/// `k_longest_line` frames, which keeps long clips quick. Source: D. H. Douglas and T. K. Peucker,
/// "Algorithms for the reduction of the number of points required to represent a digitized line",
/// Cartographica 10 (1973).
class KeyReducer {
 public:
    static constexpr int k_longest_line = 128;

    /// `skeleton` and `clip` must outlive it.
    KeyReducer(const Skeleton& skeleton, const Clip& clip, const KeyTolerance& tolerance = {});

    /// Safe to call from several threads.
    BoneKeys keys_of(std::size_t bone) const;

 private:
    struct Share {
        float metres;   // in model space, of the bone's own position
        float radians;  // of its rotation
    };

    const Skeleton& skeleton_;
    const Clip& clip_;
    std::vector<Transform> rest_;  // in model space
    std::vector<Share> shares_;
};

/// The keys of all bones.
std::vector<BoneKeys> reduce_keys(const Skeleton& skeleton, const Clip& clip,
                                  const KeyTolerance& tolerance = {});

}  // namespace dendraxis
