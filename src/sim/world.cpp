#include <dendraxis/sim/world.hpp>

#include "contacts.hpp"
#include "world_inner.hpp"

#include <dendraxis/base/error.hpp>

#include <BulletCollision/CollisionShapes/btBvhTriangleMeshShape.h>
#include <BulletCollision/CollisionShapes/btStaticPlaneShape.h>
#include <BulletCollision/CollisionShapes/btTriangleMesh.h>

#include <algorithm>
#include <cmath>

namespace dendraxis::sim {

World::World(const WorldSettings& settings) {
    const bool sound = settings.gravity.allFinite() && settings.gravity.norm() < 1e3f &&
                       settings.step >= 1e-4f && settings.step <= 1.0f / 30.0f && settings.iterations >= 1 &&
                       settings.iterations <= 200 && settings.friction >= 0.0f &&
                       settings.fastest_angular_velocity > 0.0f;
    if (!sound)
        throw Error("world", "a setting is out of range", "",
                    "steps of 0.0001 to 0.033 s, 1 to 200 iterations, gravity below 1000 m/s2");
    inner_ = std::make_unique<Inner>(settings);
}

World::~World() = default;
World::World(World&&) noexcept = default;
World& World::operator=(World&&) noexcept = default;

void World::add_floor(const Vec3& point, const Vec3& up) {
    inner_->add_ground(
        std::make_unique<btStaticPlaneShape>(to_bullet(up.normalized()), point.dot(up.normalized())));
}

void World::add_ground(std::span<const Vec3> positions, std::span<const std::array<unsigned, 3>> triangles) {
    auto mesh = std::make_unique<btTriangleMesh>();
    for (const auto& corners : triangles) {
        for (const unsigned corner : corners) {
            if (corner >= positions.size() || !positions[corner].allFinite())
                throw Error("ground", "a triangle has a corner that is not there", "",
                            "check the file's indices");
        }
        mesh->addTriangle(to_bullet(positions[corners[0]]), to_bullet(positions[corners[1]]),
                          to_bullet(positions[corners[2]]));
    }
    if (triangles.empty()) throw Error("ground", "has no triangles");
    inner_->add_ground(std::make_unique<btBvhTriangleMeshShape>(mesh.get(), true));
    inner_->meshes.push_back(std::move(mesh));
}

RagdollHandle World::add(const RagdollBinding& binding) {
    inner_->figures.emplace_back();
    const int number = static_cast<int>(inner_->figures.size()) - 1;
    inner_->make(inner_->figures.back(), binding, number);
    return RagdollHandle{number};
}

RagdollHandle World::add(const RagdollBinding& binding, std::span<const BodyState> states,
                         std::span<const JointAnchor> anchors, std::span<const std::vector<Vec3>> skin) {
    if (states.size() != binding.plan().bodies.size() || anchors.size() != binding.plan().joints.size() ||
        !std::all_of(states.begin(), states.end(), is_finite))
        throw Error("ragdoll", "needs a finite state of each body and an anchor of each joint");
    const RagdollHandle ragdoll = add(binding);
    Figure& figure = inner_->figure(ragdoll);
    Inner::dress(figure, skin);
    for (std::size_t b = 0; b < states.size(); ++b) {
        inner_->put(*figure.bodies[b], states[b]);
        figure.from[b] = figure.to[b] = states[b];
        inner_->move(figure, b,
                     binding.plan().bodies[b].kinematic ? BodyMotion::kinematic : BodyMotion::free);
    }
    inner_->note_overlaps(figure);
    for (std::size_t j = 0; j < anchors.size(); ++j) inner_->link(figure, j, anchors[j]);
    return ragdoll;
}

void World::remove(RagdollHandle ragdoll) {
    inner_->clear(inner_->figure(ragdoll));
}

void World::apply(RagdollHandle ragdoll, const Ragdoll& orders) {
    Figure& figure = inner_->figure(ragdoll);
    const std::span<const BodyOrder> bodies = orders.bodies();
    const std::span<const JointOrder> joints = orders.joints();
    // Joints first where they go, last where they come: none is ever in the world without its bodies.
    for (std::size_t j = 0; j < joints.size(); ++j) {
        if (!joints[j].active) inner_->unlink(figure, j);
    }
    bool came = false;
    for (std::size_t b = 0; b < bodies.size(); ++b) {
        const BodyOrder& order = bodies[b];
        const bool comes = figure.motions[b] == BodyMotion::absent;
        if (order.placed || (comes && order.motion != BodyMotion::absent)) {
            inner_->put(*figure.bodies[b], order.state);
            figure.from[b] = order.state;
        } else if (order.motion == BodyMotion::kinematic) {
            figure.from[b] = inner_->state_of(*figure.bodies[b]);
        }
        figure.to[b] = order.state;
        came = came || (comes && order.motion != BodyMotion::absent);
        inner_->move(figure, b, order.motion);
    }
    if (came) inner_->note_overlaps(figure);
    for (std::size_t j = 0; j < joints.size(); ++j) {
        if (!joints[j].active) continue;
        if (joints[j].placed || figure.linked[j] == 0) inner_->link(figure, j, joints[j].anchor);
        figure.joints[j]->drive(joints[j].target, joints[j].pull);
    }
}

void World::carry(RagdollHandle ragdoll, std::span<const BodyState> states) {
    Figure& figure = inner_->figure(ragdoll);
    if (states.size() != figure.bodies.size() || !std::all_of(states.begin(), states.end(), is_finite))
        throw Error("ragdoll", "needs a finite state of each body");
    for (std::size_t j = 0; j < figure.joints.size(); ++j) inner_->unlink(figure, j);
    for (std::size_t b = 0; b < states.size(); ++b) {
        if (figure.motions[b] == BodyMotion::absent) inner_->put(*figure.bodies[b], states[b]);
        figure.from[b] = inner_->state_of(*figure.bodies[b]);
        figure.to[b] = states[b];
        inner_->move(figure, b, BodyMotion::kinematic);
    }
}

void World::drive(RagdollHandle ragdoll, int joint, const Quat& target, float pull) {
    inner_->figure(ragdoll).joints.at(static_cast<std::size_t>(joint))->drive(target, pull);
}

void World::push(RagdollHandle ragdoll, int body, const Vec3& impulse, const Vec3& point) {
    btRigidBody& pushed = *inner_->figure(ragdoll).bodies.at(static_cast<std::size_t>(body));
    if (!impulse.allFinite() || !point.allFinite()) return;
    pushed.activate(true);
    pushed.applyImpulse(to_bullet(impulse), to_bullet(point) - pushed.getCenterOfMassPosition());
}

void World::hold(RagdollHandle ragdoll, int body, bool held) {
    Figure& figure = inner_->figure(ragdoll);
    const auto index = static_cast<std::size_t>(body);
    figure.from.at(index) = figure.to[index] = inner_->state_of(*figure.bodies[index]);
    inner_->move(figure, index, held ? BodyMotion::kinematic : BodyMotion::free);
}

float World::step(float seconds) {
    if (!(seconds > 0.0f) || !std::isfinite(seconds)) return 0.0f;
    const float h = inner_->settings.step;
    inner_->left_over += std::min(seconds, k_longest);
    const int steps = static_cast<int>(inner_->left_over / h + 1e-3f);
    inner_->contacts.clear();
    for (int i = 0; i < steps; ++i) {
        inner_->step_once(static_cast<float>(i + 1) / static_cast<float>(steps));
        if (inner_->settings.note_contacts) note_contacts(inner_->dispatcher, inner_->contacts);
    }
    inner_->forget_parted();
    inner_->forget_parted_things();
    const float done = static_cast<float>(steps) * h;
    inner_->left_over = std::max(0.0f, inner_->left_over - done);
    return done;
}

std::span<const Contact> World::contacts() const noexcept {
    return inner_->contacts;
}

void World::states(RagdollHandle ragdoll, std::span<BodyState> states) const {
    const Figure& figure = inner_->figure(ragdoll);
    for (std::size_t b = 0; b < figure.bodies.size(); ++b) states[b] = inner_->state_of(*figure.bodies[b]);
}

void World::find_contacts() {
    inner_->world.performDiscreteCollisionDetection();
}

Penetration World::penetration(RagdollHandle ragdoll) const {
    const Figure& figure = inner_->figure(ragdoll);
    const auto is_own = [&](const btCollisionObject* object) {
        return std::any_of(figure.bodies.begin(), figure.bodies.end(),
                           [&](const auto& b) { return b.get() == object; });
    };
    Penetration deepest;
    for (int m = 0; m < inner_->dispatcher.getNumManifolds(); ++m) {
        const btPersistentManifold& manifold = *inner_->dispatcher.getManifoldByIndexInternal(m);
        if (!is_own(manifold.getBody0()) && !is_own(manifold.getBody1())) continue;
        const bool ground = manifold.getBody0()->isStaticObject() || manifold.getBody1()->isStaticObject();
        float& depth = ground ? deepest.ground : deepest.bodies;
        for (int c = 0; c < manifold.getNumContacts(); ++c)
            depth = std::max(depth, -manifold.getContactPoint(c).getDistance());
    }
    return deepest;
}

bool World::asleep(RagdollHandle ragdoll) const {
    const Figure& figure = inner_->figure(ragdoll);
    for (std::size_t b = 0; b < figure.bodies.size(); ++b) {
        if (figure.motions[b] == BodyMotion::free && figure.bodies[b]->isActive()) return false;
    }
    return true;
}

}  // namespace dendraxis::sim
