// What is measured of each pair of branches, and what that says for legs and for arms.
#pragma once

#include "search.hpp"

#include <algorithm>

namespace dendraxis::detail {

// What is measured of a pair of branches for one direction of up.
struct PairFacts {
    int first = -1;   // branches
    int second = -1;  // -1: alone
    Vec3 start = Vec3::Zero();
    float start_height = 0.0f;
    float lowest = 0.0f;  // height of its lowest end
    float down = 0.0f;    // how much it leads down, -1 to 1
    float length = 0.0f;  // of the body's height
    float mass = 0.0f;    // of the whole
    std::size_t digits = 1;
    bool radial = false;
    float contact = 0.0f;  // how often it is what comes down to the floor in the clips, 0 to 1
    float leg = 0.0f;      // scores
    float arm = 0.0f;
    float fore = 0.0f;  // more as a foreleg, by words for arms, if it stands
};

/// All pairs, and branches that nothing mirrors, with their scores; the body stands up already.
std::vector<PairFacts> measure_pairs(const Body& body, const Weights& weights, float name_trust);

/// The terms that a pair's scores are the sums of.
std::vector<RoleTerm> terms_of(const Body& body, const Weights& weights, float name_trust,
                               const PairFacts& pair);

/// -1 to 1: how much a measure speaks for or against.
inline float clamped(float value) {
    return std::clamp(value, -1.0f, 1.0f);
}

/// So little that no sum of terms outweighs it.
inline constexpr float k_never = 1e8f;

}  // namespace dendraxis::detail
