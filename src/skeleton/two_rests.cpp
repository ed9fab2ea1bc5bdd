#include "lay_on.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis::detail {
namespace {

std::vector<float> lengths_below(const Skeleton& skeleton, const std::vector<Transform>& rest) {
    std::vector<float> below(skeleton.size(), 0.0f);
    for (int bone = static_cast<int>(skeleton.size()) - 1; bone >= 0; --bone) {
        const int parent = skeleton.parent(bone);
        if (parent == k_no_bone) continue;
        const auto b = static_cast<std::size_t>(bone);
        const auto p = static_cast<std::size_t>(parent);
        below[p] += below[b] + (rest[b].translation - rest[p].translation).norm();
    }
    return below;
}

float size_of(const std::vector<Transform>& rest) {
    Eigen::AlignedBox3f box;
    for (const Transform& bone : rest) box.extend(bone.translation);
    return box.isEmpty() ? 0.0f : box.diagonal().norm();
}

}  // namespace

TwoRests::TwoRests(const Skeleton& from, const Skeleton& to, std::span<const BoneMark> from_marks,
                   std::span<const BoneMark> to_marks)
    : a(from),
      b(to),
      a_rest(rest_in_model_space(from)),
      b_rest(rest_in_model_space(to)),
      a_marks(from_marks),
      b_marks(to_marks),
      a_below(lengths_below(from, a_rest)),
      b_below(lengths_below(to, b_rest)),
      a_length(std::max(*std::max_element(a_below.begin(), a_below.end()), 1e-9f)),
      a_size(size_of(a_rest)),
      b_size(size_of(b_rest)) {}

}  // namespace dendraxis::detail
