// Which bodies are looked at for contact: the engine is spared pairs that never touch and pairs that are not
// near.
#pragma once

#include <dendraxis/ragdoll/plan.hpp>

#include <BulletCollision/BroadphaseCollision/btCollisionAlgorithm.h>
#include <BulletCollision/BroadphaseCollision/btOverlappingPairCache.h>
#include <BulletCollision/CollisionDispatch/btCollisionDispatcher.h>

#include <BulletCollision/CollisionShapes/btCollisionShape.h>

#include <cstddef>
#include <vector>

namespace dendraxis::sim {

/// What the engine's bodies carry of ours. Ground carries none.
struct BodyTag {
    const void* figure = nullptr;  ///< bodies of one ragdoll share it
    std::size_t index = 0;
    const std::vector<char>* may_touch = nullptr;  ///< by pairs of bodies of the figure
    const std::vector<char>* not_yet = nullptr;    ///< the same: pairs that were in each other when let go
    std::size_t body_count = 0;
    btCollisionShape* skin = nullptr;  ///< what touches the ground in place of the shape; may be null
    Vec3 skin_middle = Vec3::Zero();   ///< of the box around it, along the body's axes
    Vec3 skin_half = Vec3::Zero();
    Vec3 box_half = Vec3::Zero();  ///< of a box; zero of other shapes
    float half_line = 0.0f;        ///< of a capsule along its own y that holds the shape
    float radius = 0.0f;
};

BodyTag tag_of(const Shape& shape);

/// Keeps pairs out whose layers do not meet, and linked bodies of one ragdoll.
struct PairFilter : public btOverlapFilterCallback {
    bool needBroadphaseCollision(btBroadphaseProxy* a, btBroadphaseProxy* b) const override;
};

/// For `btCollisionDispatcher::setNearCallback`: two bodies are looked at only if the capsules around them
/// are near and no face of a box separates them. Source: C. Ericson, "Real-Time Collision Detection"
/// (2005), 5.1.9 and 5.2.1.
void look_if_near(btBroadphasePair& pair, btCollisionDispatcher& dispatcher, const btDispatcherInfo& info);

}  // namespace dendraxis::sim
