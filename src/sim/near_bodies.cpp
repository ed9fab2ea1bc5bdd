#include "near_bodies.hpp"

#include "bullet_types.hpp"

#include <BulletCollision/CollisionShapes/btStaticPlaneShape.h>

#include <algorithm>
#include <cmath>

namespace dendraxis::sim {
namespace {

constexpr float k_margin = 0.025f;  // metres: a little more than contacts look ahead

const BodyTag* tag_on(const btBroadphaseProxy* proxy) {
    return static_cast<const BodyTag*>(
        static_cast<const btCollisionObject*>(proxy->m_clientObject)->getUserPointer());
}

// The square of the distance between two lines, given by the way from middle to middle and by half of each.
float squared_distance(const Vec3& to, const Vec3& half_a, const Vec3& half_b) {
    const Vec3 apart = -to;
    const float aa = half_a.squaredNorm();
    const float bb = half_b.squaredNorm();
    const float ab = half_a.dot(half_b);
    const float along_a = half_a.dot(apart);
    const float along_b = half_b.dot(apart);
    const float square = aa * bb - ab * ab;
    float s = square > 1e-9f ? std::clamp((ab * along_b - along_a * bb) / square, -1.0f, 1.0f) : 0.0f;
    float t = bb > 1e-12f ? std::clamp((ab * s + along_b) / bb, -1.0f, 1.0f) : 0.0f;
    if (aa > 1e-12f) s = std::clamp((ab * t - along_a) / aa, -1.0f, 1.0f);
    return (apart + s * half_a - t * half_b).squaredNorm();
}

// Whether a face of the box separates it from a capsule: `to` goes from the box's middle to the capsule's,
// `half_line` is half of the capsule's line.
bool is_separated(const btTransform& at_box, const Vec3& half, const Vec3& to, const Vec3& half_line,
                  float reach) {
    if (half.x() <= 0.0f) return false;
    const Eigen::Matrix3f axes = from_bullet(at_box.getBasis());
    const Vec3 room = (axes.transpose() * to).cwiseAbs() - (axes.transpose() * half_line).cwiseAbs() - half;
    return room.maxCoeff() > reach;
}

bool is_near(const btBroadphasePair& pair, const BodyTag& a, const BodyTag& b) {
    const auto frame = [](const btBroadphaseProxy* proxy) -> const btTransform& {
        return static_cast<const btCollisionObject*>(proxy->m_clientObject)->getWorldTransform();
    };
    const btTransform& at_a = frame(pair.m_pProxy0);
    const btTransform& at_b = frame(pair.m_pProxy1);
    const Vec3 line_a = a.half_line * from_bullet(at_a.getBasis().getColumn(1));
    const Vec3 line_b = b.half_line * from_bullet(at_b.getBasis().getColumn(1));
    const Vec3 to = from_bullet(at_b.getOrigin() - at_a.getOrigin());
    const float reach = a.radius + b.radius + k_margin;
    return squared_distance(to, line_a, line_b) < reach * reach &&
           !is_separated(at_a, a.box_half, to, line_b, b.radius + k_margin) &&
           !is_separated(at_b, b.box_half, to, line_a, a.radius + k_margin);
}

// Whether a body is near a level floor, which is in the way of everything by its box.
bool is_near_floor(const btCollisionObject& ground, const btBroadphaseProxy* proxy, const BodyTag& tag) {
    if (ground.getCollisionShape()->getShapeType() != STATIC_PLANE_PROXYTYPE) return true;
    const auto& plane = static_cast<const btStaticPlaneShape&>(*ground.getCollisionShape());
    const btTransform& at = static_cast<const btCollisionObject*>(proxy->m_clientObject)->getWorldTransform();
    const btVector3& normal = plane.getPlaneNormal();
    const float height = normal.dot(at.getOrigin()) - plane.getPlaneConstant();
    const Vec3 slope = from_bullet(normal * at.getBasis());  // of the body's axes
    if (tag.skin != nullptr)
        return height + slope.dot(tag.skin_middle) < slope.cwiseAbs().dot(tag.skin_half) + k_margin;
    return height < tag.half_line * std::abs(slope.y()) + tag.radius + k_margin;
}

const btCollisionObject& object_of(const btBroadphaseProxy* proxy) {
    return *static_cast<const btCollisionObject*>(proxy->m_clientObject);
}

// Looks at a body and the ground, for which the body's skin may stand for its shape.
void look_at_ground(btBroadphasePair& pair, const btBroadphaseProxy* body, const BodyTag& tag,
                    btCollisionDispatcher& dispatcher, const btDispatcherInfo& info) {
    auto& object = *static_cast<btCollisionObject*>(body->m_clientObject);
    btCollisionShape* const own = object.getCollisionShape();
    if (tag.skin != nullptr) object.setCollisionShape(tag.skin);
    btCollisionDispatcher::defaultNearCallback(pair, dispatcher, info);
    object.setCollisionShape(own);
}

bool may_meet(const BodyTag& a, const BodyTag& b) {
    return a.figure != b.figure || (*a.not_yet)[a.index * a.body_count + b.index] == 0;
}

}  // namespace

BodyTag tag_of(const Shape& shape) {
    BodyTag tag;
    if (shape.kind == ShapeKind::box) {
        tag.box_half = shape.half;
        tag.radius = std::hypot(shape.half.x(), shape.half.z());
        tag.half_line = shape.half.y();
    } else {
        tag.radius = shape.half.x();
        tag.half_line = std::max(0.0f, shape.half.y() - shape.half.x());
    }
    return tag;
}

bool PairFilter::needBroadphaseCollision(btBroadphaseProxy* a, btBroadphaseProxy* b) const {
    if ((a->m_collisionFilterGroup & b->m_collisionFilterMask) == 0 ||
        (b->m_collisionFilterGroup & a->m_collisionFilterMask) == 0)
        return false;
    const BodyTag* tag_a = tag_on(a);
    const BodyTag* tag_b = tag_on(b);
    if (tag_a == nullptr || tag_b == nullptr || tag_a->figure != tag_b->figure) return true;
    return (*tag_a->may_touch)[tag_a->index * tag_a->body_count + tag_b->index] != 0;
}

void look_if_near(btBroadphasePair& pair, btCollisionDispatcher& dispatcher, const btDispatcherInfo& info) {
    const BodyTag* a = tag_on(pair.m_pProxy0);
    const BodyTag* b = tag_on(pair.m_pProxy1);
    bool look = true;
    if (a != nullptr && b != nullptr)
        look = may_meet(*a, *b) && is_near(pair, *a, *b);
    else if (a != nullptr)
        look = is_near_floor(object_of(pair.m_pProxy1), pair.m_pProxy0, *a);
    else if (b != nullptr)
        look = is_near_floor(object_of(pair.m_pProxy0), pair.m_pProxy1, *b);
    if (look && a != nullptr && b == nullptr) {
        look_at_ground(pair, pair.m_pProxy0, *a, dispatcher, info);
    } else if (look && b != nullptr && a == nullptr) {
        look_at_ground(pair, pair.m_pProxy1, *b, dispatcher, info);
    } else if (look) {
        btCollisionDispatcher::defaultNearCallback(pair, dispatcher, info);
    } else if (pair.m_algorithm != nullptr) {
        // They have parted: their old contacts go with the algorithm.
        pair.m_algorithm->~btCollisionAlgorithm();
        dispatcher.freeCollisionAlgorithm(pair.m_algorithm);
        pair.m_algorithm = nullptr;
    }
}

}  // namespace dendraxis::sim
