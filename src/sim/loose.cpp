// Things that were let go, as bodies of the world.
#include <dendraxis/sim/world.hpp>

#include "world_inner.hpp"

namespace dendraxis::sim {
namespace {

Loose& find(std::vector<Loose>& loose, LooseHandle thing) {
    const int number = static_cast<int>(thing);
    if (number < 0 || static_cast<std::size_t>(number) >= loose.size() ||
        loose[static_cast<std::size_t>(number)].body == nullptr)
        throw Error("world", "has no loose thing " + std::to_string(number));
    return loose[static_cast<std::size_t>(number)];
}

}  // namespace

LooseHandle World::add_loose(const ReleasedProp& thing) {
    const PropBody& plan = thing.body;
    if (!is_finite(thing.state) || !(plan.mass > 0.0f) || !(plan.inertia.minCoeff() > 0.0f) ||
        !(plan.shape.half.minCoeff() > 0.0f))
        throw Error("loose thing", "needs a finite state, a mass and a size");
    Loose made;
    made.shape = plan.shape;
    made.hull = make_shape(made.shape);
    btRigidBody::btRigidBodyConstructionInfo info(plan.mass, nullptr, made.hull.get(),
                                                  to_bullet(plan.inertia));
    info.m_friction = inner_->settings.friction;
    info.m_linearSleepingThreshold = k_still_speed;
    info.m_angularSleepingThreshold = k_still_angular_velocity;
    made.body = std::make_unique<btRigidBody>(info);
    made.body->setUserIndex3(static_cast<int>(inner_->loose.size()));
    inner_->put(*made.body, thing.state);
    for (const btRigidBody* body : inner_->bodies_within(made)) {
        made.body->setIgnoreCollisionCheck(body, true);
        made.within.push_back(body);
    }
    inner_->world.addRigidBody(made.body.get(), static_cast<int>(k_layer_ragdoll),
                               static_cast<int>(k_ragdoll_touches));
    made.body->setGravity(to_bullet(inner_->gravity));
    inner_->loose.push_back(std::move(made));
    return LooseHandle{static_cast<int>(inner_->loose.size()) - 1};
}

BodyState World::loose_state(LooseHandle thing) const {
    return inner_->state_of(*find(inner_->loose, thing).body);
}

void World::push_loose(LooseHandle thing, const Vec3& impulse, const Vec3& point) {
    btRigidBody& pushed = *find(inner_->loose, thing).body;
    if (!impulse.allFinite() || !point.allFinite()) return;
    pushed.activate(true);
    pushed.applyImpulse(to_bullet(impulse), to_bullet(point) - pushed.getCenterOfMassPosition());
}

void World::remove_loose(LooseHandle thing) {
    Loose& gone = find(inner_->loose, thing);
    inner_->world.removeRigidBody(gone.body.get());
    gone.body.reset();
    gone.hull.reset();
}

}  // namespace dendraxis::sim
