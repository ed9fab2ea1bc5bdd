// Own method: arc length from joint to joint.
#include "chain_map.hpp"

#include <algorithm>

namespace dendraxis::detail {

std::vector<float> joint_shares(const Chain& chain, std::span<const Transform> model, const Vec3& tail) {
    const auto head = [&](std::size_t i) {
        return i < chain.bones.size() ? model[static_cast<std::size_t>(chain.bones[i])].translation : tail;
    };
    std::vector<float> along{0.0f};
    for (std::size_t i = 1; i <= chain.bones.size(); ++i)
        along.push_back(along.back() + (head(i) - head(i - 1)).norm());
    const bool limb = is_limb(chain.role());
    // A limb of three bones and more ends in a hand or foot, whose joint is the limb's end.
    const bool has_hand = limb && chain.bones.size() >= 3;
    const std::size_t end = has_hand ? chain.bones.size() - 1 : chain.bones.size();
    const std::size_t middle =
        limb && chain.bones.size() >= 2 ? std::clamp<std::size_t>(chain.lower, 1, end - 1) : 0;
    // From one joint that has an answer to the next; where nothing is long, evenly.
    const auto share = [&](std::size_t i, std::size_t from, std::size_t to) {
        const float length = along[to] - along[from];
        return length > 1e-6f
                   ? (along[i] - along[from]) / length
                   : static_cast<float>(i - from) / static_cast<float>(std::max<std::size_t>(to - from, 1));
    };
    std::vector<float> shares;
    for (std::size_t i = 0; i <= chain.bones.size(); ++i) {
        if (limb && i >= end) {
            shares.push_back(i == end ? 1.0f : 2.0f);  // hand and foot lie beyond
        } else if (middle == 0) {
            shares.push_back(share(i, 0, end));
        } else {
            shares.push_back(i <= middle ? 0.5f * share(i, 0, middle) : 0.5f + 0.5f * share(i, middle, end));
        }
    }
    return shares;
}

std::vector<SegmentOverlap> overlaps(std::span<const float> target_shares,
                                     std::span<const float> source_shares) {
    constexpr float k_least = 0.05f;  // of the target's bone; what is less is no overlap
    std::vector<SegmentOverlap> result;
    for (std::size_t i = 0; i + 1 < target_shares.size(); ++i) {
        const float from = target_shares[i];
        const float to = target_shares[i + 1];
        std::vector<std::pair<std::size_t, float>> over;
        for (std::size_t j = 0; j + 1 < source_shares.size(); ++j) {
            const float common = std::min(to, source_shares[j + 1]) - std::max(from, source_shares[j]);
            if (common > k_least * (to - from) && common > 0.0f) over.emplace_back(j, common);
        }
        SegmentOverlap overlap;
        if (over.empty()) {
            while (overlap.first + 2 < source_shares.size() && source_shares[overlap.first + 1] <= from)
                ++overlap.first;
            overlap.second = overlap.first;
        } else if (over.size() == 2) {
            overlap = {over[0].first, over[1].first, over[1].second / (over[0].second + over[1].second)};
        } else {
            overlap.first = overlap.second = over[over.size() / 2].first;
        }
        result.push_back(overlap);
    }
    return result;
}

bool is_left_out(const Pairing& pairing, const Chain& chain) {
    const ChainRole role = chain.role();
    const bool is_finger = role == ChainRole::thumb || role == ChainRole::index ||
                           role == ChainRole::middle || role == ChainRole::ring ||
                           role == ChainRole::little || role == ChainRole::grip;
    if (!is_finger && role != ChainRole::toes) return false;
    const std::string limb = (is_finger ? "arm" : "leg") + chain.name.substr(chain.name.find('.'));
    const Chain* own = pairing.target.find(limb);
    return own != nullptr && pairing.source.find(limb) != nullptr && pairing.source_of(*own) == nullptr;
}

}  // namespace dendraxis::detail
