// Own method. The target's arms may be as deep in its body as the source's are in its own, in proportion.
#include "arm_depths.hpp"

namespace dendraxis::detail {
namespace {

constexpr float k_tolerance = 0.0003f;  // of the height

}  // namespace

ArmDepths::ArmDepths(const PassRun& run) : plan_(run.plan), shape_(run.plan.pairing.target.shape) {
    const BodyShape& source = plan_.pairing.source.shape;
    const float tolerance = k_tolerance * plan_.pairing.target.height;
    allowed_.resize(plan_.arms.size());
    Solids solids;
    for (std::size_t f = 0; f < run.frames(); ++f) {
        const std::span<const Transform> model = run.source_pose(f);
        place_solids(source, model, solids);
        for (std::size_t i = 0; i < allowed_.size(); ++i) {
            Depths depths{};
            // What answers to an arm may be a leg, which is in no body.
            const ArmShape* own = plan_.source_arm(plan_.arms[i]);
            for (std::size_t k = 0; own != nullptr && k < k_arm_probes; ++k) {
                const Vec3 position = position_of(own->probes[k], model);
                const float radius = own->probes[k].radius;
                for (const PlacedSolid& solid : solids) {
                    if (solid.may_touch(position, radius))
                        depths[k] = std::max(depths[k], radius - nearest_on(solid.capsule, position).gap);
                }
            }
            for (float& depth : depths) depth = plan_.leg_ratio * depth + tolerance;
            allowed_[i].push_back(depths);
        }
    }
}

std::array<Vec3, k_arm_probes> ArmDepths::balls(std::size_t arm, std::span<const Transform> model) const {
    const ArmShape& shape = plan_.target_arm(plan_.arms[arm]);
    std::array<Vec3, k_arm_probes> positions;
    for (std::size_t k = 0; k < k_arm_probes; ++k) positions[k] = position_of(shape.probes[k], model);
    return positions;
}

ArmDepths::Deepest ArmDepths::deepest(std::size_t arm, std::size_t frame,
                                      const std::array<Vec3, k_arm_probes>& balls) const {
    const ArmShape& shape = plan_.target_arm(plan_.arms[arm]);
    Deepest deepest;
    for (std::size_t k = 0; k < k_arm_probes; ++k) {
        const float radius = shape.probes[k].radius;
        for (const PlacedSolid& solid : solids_) {
            if (!solid.may_touch(balls[k], radius)) continue;
            const NearestOnCapsule nearest = nearest_on(solid.capsule, balls[k]);
            const float depth = radius - nearest.gap - allowed_[arm][frame][k];
            if (depth > deepest.depth) deepest = {depth, k, nearest.normal};
        }
    }
    return deepest;
}

void ArmDepths::place_solids(const BodyShape& shape, std::span<const Transform> model, Solids& solids) {
    solids.clear();
    for (const Solid& solid : shape.solids) {
        const Capsule& own = solid.capsule;
        const float bound = std::sqrt(own.along.squaredNorm() + own.across.squaredNorm()) + own.radius;
        solids.push_back({placed(own, model[static_cast<std::size_t>(solid.bone)]), bound});
    }
}

}  // namespace dendraxis::detail
