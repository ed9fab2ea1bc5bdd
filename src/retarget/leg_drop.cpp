// Own method: along each leg, segment by segment.
#include "leg_drop.hpp"

#include <dendraxis/chart/body_shape.hpp>
#include <dendraxis/retarget/matched_stance.hpp>

#include <algorithm>

namespace dendraxis::detail {
namespace {

class LegDrop {
 public:
    LegDrop(const Chart& chart, const BodyTree& body, const std::vector<Transform>& rest,
            std::span<const Transform> posed, std::span<const Quat> turns)
        : chart_(chart), body_(body), rest_(rest), posed_(posed), turns_(turns) {}

    // How far the end of a leg has come up: its ankle, or its sole, if it has no foot of its own.
    float rise_of(const Chain& leg) const {
        const auto root = static_cast<std::size_t>(leg.bones.front());
        Vec3 moved = posed_[root].translation - rest_[root].translation;
        for (std::size_t i = 0; i + 1 < leg.bones.size(); ++i) {
            // Along the chain: its bones need not hang on each other.
            const Vec3 along = head(leg.bones[i + 1]) - head(leg.bones[i]);
            moved += turns_[static_cast<std::size_t>(leg.bones[i])] * along - along;
        }
        const float rise = moved.dot(chart_.up);
        return leg.bones.size() < 3 ? rise + rise_of_sole(leg) : rise;
    }

 private:
    const Vec3& head(int bone) const { return rest_[static_cast<std::size_t>(bone)].translation; }

    // The same of the lowest place of what hangs on a leg's last bone, seen from its head.
    float rise_of_sole(const Chain& leg) const {
        const int bone = leg.bones.back();
        const Quat& turn = turns_[static_cast<std::size_t>(bone)];
        const Sole* sole = chart_.shape.sole_of(leg.name);
        if (sole == nullptr) {
            const Vec3 along = chain_tail(body_, leg, rest_) - head(bone);
            return (turn * along - along).dot(chart_.up);
        }
        float lowest = 1e30f;
        float lowest_turned = 1e30f;
        for (const SolePoint& part : sole->parts) {
            const Vec3 along = position_of(*sole, part, rest_) - head(bone);
            lowest = std::min(lowest, along.dot(chart_.up));
            lowest_turned = std::min(lowest_turned, (turn * along).dot(chart_.up));
        }
        return lowest_turned - lowest;
    }

    const Chart& chart_;
    const BodyTree& body_;
    const std::vector<Transform>& rest_;
    std::span<const Transform> posed_;
    std::span<const Quat> turns_;
};

}  // namespace

float drop_by_legs(const Pairing& pairing, const BodyTree& body, const std::vector<Transform>& rest,
                   std::span<const Transform> posed, std::span<const Quat> turns, std::string_view which) {
    const LegDrop drop(pairing.target, body, rest, posed, turns);
    float rise = 0.0f;
    int legs = 0;
    for (const Chain& leg : pairing.target.chains) {
        const Chain* answer = pairing.source_of(leg);
        // Only what stands in both counts: a foreleg that answers to an arm hangs as that does.
        const bool stands =
            leg.role() == ChainRole::leg && answer != nullptr && answer->role() == ChainRole::leg;
        if (!stands || !leg.name.starts_with(which)) continue;
        rise += drop.rise_of(leg);
        ++legs;
    }
    return legs == 0 ? 0.0f : rise / static_cast<float>(legs);
}

}  // namespace dendraxis::detail
