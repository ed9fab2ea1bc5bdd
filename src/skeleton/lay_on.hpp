// One skeleton laid on another, from a first pair of bones out.
#pragma once

#include <dendraxis/skeleton/correspondence.hpp>

#include <span>
#include <vector>

namespace dendraxis::detail {

/// Two skeletons as they stand at rest.
struct TwoRests {
    TwoRests(const Skeleton& a, const Skeleton& b, std::span<const BoneMark> a_marks,
             std::span<const BoneMark> b_marks);

    const Vec3& at_a(int bone) const { return a_rest[static_cast<std::size_t>(bone)].translation; }
    const Vec3& at_b(int bone) const { return b_rest[static_cast<std::size_t>(bone)].translation; }

    const Skeleton& a;
    const Skeleton& b;
    std::vector<Transform> a_rest;  // model space
    std::vector<Transform> b_rest;
    std::span<const BoneMark> a_marks;
    std::span<const BoneMark> b_marks;
    std::vector<float> a_below;  // length of all bones below each
    std::vector<float> b_below;
    float a_length = 0.0f;  // of all bones below the one that most hangs on
    float a_size = 0.0f;
    float b_size = 0.0f;
};

/// A bone of `a` taken for one of `b`, and how `a` is turned there.
struct Seed {
    int a = k_no_bone;
    int b = k_no_bone;
    Quat turn = Quat::Identity();
    float scale = 1.0f;
    float score = 0.0f;
};

/// Grows the match from `seed` over both trees, down and up.
Correspondence lay_on(const TwoRests& rests, const Seed& seed);

}  // namespace dendraxis::detail
