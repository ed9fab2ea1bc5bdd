// What a world is made of: the physics engine, its bodies and joints, and how they take a step.
#pragma once

#include <dendraxis/sim/world.hpp>

#include "bullet_types.hpp"
#include "engine_parts.hpp"
#include "near_bodies.hpp"
#include "swing_twist_joint.hpp"

#include <dendraxis/base/error.hpp>

#include <BulletCollision/BroadphaseCollision/btDbvtBroadphase.h>
#include <BulletCollision/CollisionDispatch/btCollisionDispatcher.h>
#include <BulletCollision/CollisionShapes/btBvhTriangleMeshShape.h>
#include <BulletCollision/CollisionShapes/btConvexHullShape.h>
#include <BulletCollision/CollisionShapes/btStaticPlaneShape.h>
#include <BulletCollision/CollisionShapes/btTriangleMesh.h>

#include <algorithm>
#include <cmath>

namespace dendraxis::sim {

inline constexpr float k_longest = 0.25f;                 // seconds at once
inline constexpr float k_still_speed = 0.04f;             // m/s: below it for two seconds, a body sleeps
inline constexpr float k_still_angular_velocity = 0.12f;  // rad/s
inline constexpr float k_slow_angular_velocity = 0.8f;    // rad/s: below it, rolling friction
inline constexpr float k_rolling = 2.5f;                  // rad/s2
inline constexpr float k_calm_speed = 0.15f;         // m/s: limp and slower than this, a figure calms down
inline constexpr float k_calm_after = 1.0f;          // seconds
inline constexpr float k_calming = 10.0f;            // 1/s more damping after a second, then with its square
inline constexpr float k_most_calming = 400.0f;      // 1/s
inline constexpr float k_root_damping = 1.0f;        // 1/s
inline constexpr float k_contact_ahead = 0.02f;      // metres
inline constexpr float k_contact_correction = 0.3f;  // of the depth of a contact, a step

inline bool is_finite(const BodyState& state) {
    return state.position.allFinite() && state.turn.coeffs().allFinite() && state.velocity.allFinite() &&
           state.angular_velocity.allFinite();
}

struct Figure {
    const RagdollBinding* binding = nullptr;
    std::vector<std::unique_ptr<btCollisionShape>> shapes;
    std::vector<std::unique_ptr<btConvexHullShape>> skins;
    std::vector<std::unique_ptr<btRigidBody>> bodies;
    std::vector<std::unique_ptr<SwingTwistJoint>> joints;
    std::unique_ptr<std::vector<char>> may_touch;             // by pairs of bodies
    std::unique_ptr<std::vector<char>> not_yet;               // the same
    std::vector<std::pair<std::size_t, std::size_t>> within;  // pairs of `not_yet`
    std::vector<std::unique_ptr<BodyTag>> tags;
    std::vector<float> kept_angular_velocity;  // by damping, a step
    float calm_for = 0.0f;                     // seconds
    std::vector<BodyMotion> motions;
    std::vector<char> linked;     // joints that are in the world
    std::vector<BodyState> from;  // kinematic bodies: where they come from
    std::vector<BodyState> to;    // and where they are to be
};

// A thing that was let go.
struct Loose {
    Shape shape;
    std::unique_ptr<btCollisionShape> hull;
    std::unique_ptr<btRigidBody> body;       // null once it was removed
    std::vector<const btRigidBody*> within;  // bodies that it has not parted from yet
};

struct World::Inner {
    explicit Inner(const WorldSettings& chosen)
        : settings(chosen),
          configuration(pool_sizes()),
          dispatcher(&configuration),
          world(&dispatcher, &broadphase, &solver, &configuration) {
        dispatcher.setDispatcherFlags(dispatcher.getDispatcherFlags() &
                                      ~btCollisionDispatcher::CD_USE_RELATIVE_CONTACT_BREAKING_THRESHOLD);
        dispatcher.setNearCallback(look_if_near);
        world.getDispatchInfo().m_useContinuous = false;
        world.setForceUpdateAllAabbs(false);  // what sleeps or never moves keeps its box
        world.getPairCache()->setOverlapFilterCallback(&filter);
        world.setGravity(to_bullet(settings.gravity));
        world.getSolverInfo().m_numIterations = settings.iterations;
        world.getSolverInfo().m_erp2 = k_contact_correction;
        gravity = settings.gravity;
        if (settings.note_contacts) contacts.reserve(k_most_contacts);
    }

    ~Inner() {
        for (Figure& figure : figures) clear(figure);
        for (Loose& thing : loose) {
            if (thing.body != nullptr) world.removeRigidBody(thing.body.get());
        }
        for (auto& body : grounds) world.removeRigidBody(body.get());
    }

    // ---------------------------------------------------------------- making

    Figure& figure(RagdollHandle ragdoll) {
        const int number = static_cast<int>(ragdoll);
        if (number < 0 || static_cast<std::size_t>(number) >= figures.size() ||
            figures[static_cast<std::size_t>(number)].binding == nullptr)
            throw Error("world", "has no ragdoll " + std::to_string(number));
        return figures[static_cast<std::size_t>(number)];
    }

    void make(Figure& made, const RagdollBinding& binding, int number) {
        const RagdollPlan& plan = binding.plan();
        made.binding = &binding;
        for (std::size_t i = 0; i < plan.bodies.size(); ++i) {
            const RagdollBody& body = plan.bodies[i];
            made.shapes.push_back(make_shape(body.shape));
            btRigidBody::btRigidBodyConstructionInfo info(body.mass, nullptr, made.shapes.back().get(),
                                                          to_bullet(body.inertia));
            info.m_friction = settings.friction;
            info.m_linearSleepingThreshold = k_still_speed;
            info.m_angularSleepingThreshold = k_still_angular_velocity;
            const int joint = plan.joint_of(static_cast<int>(i));
            const float damping =
                joint < 0 ? k_root_damping : plan.joints[static_cast<std::size_t>(joint)].damping;
            made.kept_angular_velocity.push_back(std::exp(-std::max(0.0f, damping) * settings.step));
            made.bodies.push_back(std::make_unique<btRigidBody>(info));
            made.bodies.back()->setFlags(
                0);  // no gyroscopic torque: limbs are slow and it costs a solve a body
            made.bodies.back()->setContactProcessingThreshold(k_contact_ahead);
            made.bodies.back()->setUserIndex(number);
            made.bodies.back()->setUserIndex2(static_cast<int>(i));
        }
        const std::size_t count = plan.bodies.size();
        made.may_touch = std::make_unique<std::vector<char>>(count * count);
        made.not_yet = std::make_unique<std::vector<char>>(count * count);
        for (std::size_t a = 0; a < count; ++a) {
            for (std::size_t b = 0; b < count; ++b)
                (*made.may_touch)[a * count + b] =
                    plan.may_touch(static_cast<int>(a), static_cast<int>(b)) ? 1 : 0;
            made.tags.push_back(std::make_unique<BodyTag>(tag_of(plan.bodies[a].shape)));
            BodyTag& tag = *made.tags.back();
            tag.figure = made.may_touch.get();
            tag.index = a;
            tag.may_touch = made.may_touch.get();
            tag.not_yet = made.not_yet.get();
            tag.body_count = count;
            made.bodies[a]->setUserPointer(&tag);
        }
        made.motions.assign(plan.bodies.size(), BodyMotion::absent);
        made.from.resize(plan.bodies.size());
        made.to.resize(plan.bodies.size());
        made.joints.resize(plan.joints.size());
        made.linked.assign(plan.joints.size(), 0);
    }

    // What touches the ground in place of the bodies' shapes.
    static void dress(Figure& made, std::span<const std::vector<Vec3>> skin) {
        for (std::size_t b = 0; b < std::min(skin.size(), made.bodies.size()); ++b) {
            if (skin[b].size() < 4) continue;
            auto hull = std::make_unique<btConvexHullShape>();
            hull->setMargin(0.0f);
            for (const Vec3& point : skin[b]) hull->addPoint(to_bullet(point), false);
            hull->recalcLocalAabb();
            btVector3 least;
            btVector3 most;
            hull->getAabb(btTransform::getIdentity(), least, most);
            made.tags[b]->skin_middle = from_bullet(0.5f * (least + most));
            made.tags[b]->skin_half = from_bullet(0.5f * (most - least));
            made.tags[b]->skin = hull.get();
            made.skins.push_back(std::move(hull));
        }
    }

    void clear(Figure& gone) {
        for (std::size_t j = 0; j < gone.joints.size(); ++j) unlink(gone, j);
        for (std::size_t b = 0; b < gone.bodies.size(); ++b) move(gone, b, BodyMotion::absent);
        gone = {};
    }

    // ---------------------------------------------------------------- bodies

    void put(btRigidBody& body, const BodyState& state) const {
        body.setWorldTransform(transform_of(state));
        body.setInterpolationWorldTransform(transform_of(state));
        body.setLinearVelocity(to_bullet(state.velocity));
        body.setAngularVelocity(to_bullet(state.angular_velocity));
        body.setInterpolationLinearVelocity(to_bullet(state.velocity));
        body.setInterpolationAngularVelocity(to_bullet(state.angular_velocity));
        body.updateInertiaTensor();
        body.clearForces();
        body.activate(true);
    }

    void move(Figure& one, std::size_t index, BodyMotion motion) {
        if (one.motions[index] == motion) return;
        btRigidBody& body = *one.bodies[index];
        if (one.motions[index] == BodyMotion::absent) {
            const int touches = static_cast<int>(settings.bodies_touch ? k_ragdoll_touches : k_layer_ground);
            world.addRigidBody(&body, static_cast<int>(k_layer_ragdoll), touches);
        } else if (motion == BodyMotion::absent) {
            world.removeRigidBody(&body);
        }
        if (motion == BodyMotion::kinematic) {
            // The solver takes a kinematic body with a mass for one that gives way, and what hangs on it
            // sags.
            body.setMassProps(0.0f, btVector3(0.0f, 0.0f, 0.0f));
            body.updateInertiaTensor();
            body.setCollisionFlags(btCollisionObject::CF_KINEMATIC_OBJECT);
            body.setActivationState(DISABLE_DEACTIVATION);
        } else {
            const RagdollBody& plan = one.binding->plan().bodies[index];
            body.setCollisionFlags(0);
            body.setMassProps(plan.mass, to_bullet(plan.inertia));
            body.updateInertiaTensor();
            body.forceActivationState(ACTIVE_TAG);
            body.setGravity(to_bullet(gravity));
        }
        one.motions[index] = motion;
    }

    void link(Figure& one, std::size_t joint, const JointAnchor& anchor) {
        const RagdollJoint& plan = one.binding->plan().joints[joint];
        if (one.joints[joint] == nullptr) {
            one.joints[joint] = std::make_unique<SwingTwistJoint>(
                *one.bodies[static_cast<std::size_t>(plan.above)],
                *one.bodies[static_cast<std::size_t>(plan.body)], plan.range, anchor);
        } else {
            one.joints[joint]->place(anchor);
        }
        if (one.linked[joint] == 0) world.addConstraint(one.joints[joint].get(), false);
        one.linked[joint] = 1;
    }

    void unlink(Figure& one, std::size_t joint) {
        if (one.linked[joint] != 0) world.removeConstraint(one.joints[joint].get());
        one.linked[joint] = 0;
    }

    BodyState state_of(const btRigidBody& body) const {
        return {from_bullet(body.getCenterOfMassPosition()), from_bullet(body.getOrientation()),
                from_bullet(body.getLinearVelocity()), from_bullet(body.getAngularVelocity())};
    }

    // ---------------------------------------------------------------- bodies in each other

    PlacedShape placed(const btRigidBody& body, const Shape& shape) const {
        const BodyState state = state_of(body);
        return {shape, {state.turn, state.position, Vec3::Ones()}};
    }

    bool overlap_now(const Figure& one, std::size_t a, std::size_t b) const {
        const std::vector<RagdollBody>& bodies = one.binding->plan().bodies;
        return overlap(placed(*one.bodies[a], bodies[a].shape), placed(*one.bodies[b], bodies[b].shape)) >
               0.0f;
    }

    void set_within(Figure& one, std::size_t a, std::size_t b, char value) const {
        const std::size_t count = one.bodies.size();
        (*one.not_yet)[a * count + b] = (*one.not_yet)[b * count + a] = value;
    }

    // An arm that the animation has in the coat would be shot out of it: such pairs touch once they have
    // parted.
    void note_overlaps(Figure& one) const {
        one.within.clear();
        const std::size_t count = one.bodies.size();
        for (std::size_t a = 0; a < count; ++a) {
            for (std::size_t b = a + 1; b < count; ++b) {
                const bool within = (*one.may_touch)[a * count + b] != 0 && overlap_now(one, a, b);
                set_within(one, a, b, within ? 1 : 0);
                if (within) one.within.emplace_back(a, b);
            }
        }
    }

    // All bodies of ragdolls that a thing is in.
    std::vector<btRigidBody*> bodies_within(const Loose& thing) const {
        std::vector<btRigidBody*> within;
        const PlacedShape shape = placed(*thing.body, thing.shape);
        for (const Figure& one : figures) {
            for (std::size_t b = 0; b < one.bodies.size(); ++b) {
                if (one.motions[b] != BodyMotion::absent &&
                    overlap(shape, placed(*one.bodies[b], one.binding->plan().bodies[b].shape)) > 0.0f)
                    within.push_back(one.bodies[b].get());
            }
        }
        return within;
    }

    void forget_parted_things() {
        for (Loose& thing : loose) {
            if (thing.body == nullptr || thing.within.empty()) continue;
            const std::vector<btRigidBody*> now = bodies_within(thing);
            std::erase_if(thing.within, [&](const btRigidBody* body) {
                if (std::find(now.begin(), now.end(), body) != now.end()) return false;
                thing.body->setIgnoreCollisionCheck(body, false);
                return true;
            });
        }
    }

    void forget_parted() {
        for (Figure& one : figures) {
            std::erase_if(one.within, [&](const auto& pair) {
                if (overlap_now(one, pair.first, pair.second)) return false;
                set_within(one, pair.first, pair.second, 0);
                return true;
            });
        }
    }

    // ---------------------------------------------------------------- stepping

    // Carried bodies move evenly through the steps of a frame, not all at once in the first.
    void carry(float share, float h) {
        for (Figure& one : figures) {
            for (std::size_t b = 0; b < one.motions.size(); ++b) {
                if (one.motions[b] != BodyMotion::kinematic) continue;
                btRigidBody& body = *one.bodies[b];
                BodyState state;
                state.position = one.from[b].position + share * (one.to[b].position - one.from[b].position);
                state.turn = one.from[b].turn.slerp(share, one.to[b].turn);
                const Vec3 speed = (state.position - from_bullet(body.getCenterOfMassPosition())) / h;
                const Quat by = state.turn * from_bullet(body.getOrientation()).conjugate();
                const Eigen::AngleAxisf turn(by.w() < 0.0f ? Quat(-by.coeffs()) : by);
                body.setLinearVelocity(to_bullet(speed));
                body.setAngularVelocity(to_bullet(turn.angle() / h * turn.axis()));
                body.setWorldTransform(transform_of(state));
                body.updateInertiaTensor();
            }
        }
    }

    // Damped, and no faster than the joints can follow; what turns slowly is slowed, as skin and cloth on a
    // floor would.
    void tame(btRigidBody& body, float kept) const {
        const btVector3 angular_velocity = body.getAngularVelocity();
        const float fast = std::max(angular_velocity.length(), 1e-6f);
        const float by = fast < k_slow_angular_velocity
                             ? std::max(0.0f, 1.0f - k_rolling * settings.step / fast)
                             : std::min(1.0f, settings.fastest_angular_velocity / fast);
        body.setAngularVelocity(angular_velocity * (kept * by));
    }

    // Whether it is limp, has weight, and hardly moves (the root mean square of its speed, by mass).
    bool is_calm(const Figure& one) const {
        if (gravity.squaredNorm() < 1.0f) return false;
        float energy = 0.0f;
        float mass = 0.0f;
        for (std::size_t b = 0; b < one.bodies.size(); ++b) {
            if (one.motions[b] != BodyMotion::free) return false;
            mass += one.binding->plan().bodies[b].mass;
            energy += one.binding->plan().bodies[b].mass * one.bodies[b]->getLinearVelocity().length2();
        }
        if (energy > mass * k_calm_speed * k_calm_speed) return false;
        return std::none_of(one.joints.begin(), one.joints.end(),
                            [](const auto& joint) { return joint != nullptr && joint->is_driven(); });
    }

    // Slowed about its middle, a body at the end of a chain would leave its joint: its middle goes along.
    void hold_end(const Figure& one, std::size_t b, const btVector3& before) const {
        const RagdollPlan& plan = one.binding->plan();
        const int joint = plan.joint_of(static_cast<int>(b));
        const bool is_tip =
            std::none_of(plan.joints.begin(), plan.joints.end(),
                         [&](const RagdollJoint& below) { return below.above == static_cast<int>(b); });
        if (joint < 0 || !is_tip || one.linked[static_cast<std::size_t>(joint)] == 0) return;
        btRigidBody& body = *one.bodies[b];
        const btVector3 end = to_bullet(one.joints[static_cast<std::size_t>(joint)]->end_of_body());
        body.setLinearVelocity(body.getLinearVelocity() + (before - body.getAngularVelocity()).cross(end));
    }

    // Damps a limp figure that only creeps, more with each second, until it lies still.
    void tame(Figure& one) const {
        one.calm_for = is_calm(one) ? one.calm_for + settings.step : 0.0f;
        const float seconds = std::max(0.0f, one.calm_for - k_calm_after);
        const float more = std::min(k_calming * seconds * seconds, k_most_calming);
        const float kept = std::max(0.0f, 1.0f - more * settings.step);
        for (std::size_t b = 0; b < one.bodies.size(); ++b) {
            if (one.motions[b] != BodyMotion::free) continue;
            const btVector3 before = one.bodies[b]->getAngularVelocity();
            tame(*one.bodies[b], kept * one.kept_angular_velocity[b]);
            if (before.length2() > settings.fastest_angular_velocity * settings.fastest_angular_velocity)
                hold_end(one, b, before);
            if (more > 0.0f) one.bodies[b]->setLinearVelocity(kept * one.bodies[b]->getLinearVelocity());
        }
    }

    void step_once(float share) {
        carry(share, settings.step);
        for (Figure& one : figures) {
            for (std::size_t j = 0; j < one.joints.size(); ++j) {
                if (one.linked[j] != 0) one.joints[j]->age(settings.step);
            }
        }
        world.stepSimulation(settings.step, 0);
        for (Figure& one : figures) tame(one);
        for (Loose& thing : loose) {
            if (thing.body != nullptr) tame(*thing.body, 1.0f);
        }
    }

    WorldSettings settings;
    std::vector<Contact> contacts;  // of the last step
    Vec3 gravity;
    btDefaultCollisionConfiguration configuration;
    btCollisionDispatcher dispatcher;
    PairFilter filter;
    btDbvtBroadphase broadphase;
    JointsLastSolver solver;
    UnsweptWorld world;
    std::vector<std::unique_ptr<btTriangleMesh>> meshes;
    std::vector<std::unique_ptr<btCollisionShape>> ground_shapes;
    std::vector<std::unique_ptr<btRigidBody>> grounds;
    std::vector<Figure> figures;
    std::vector<Loose> loose;
    float left_over = 0.0f;

    void add_ground(std::unique_ptr<btCollisionShape> shape) {
        btRigidBody::btRigidBodyConstructionInfo info(0.0f, nullptr, shape.get());
        info.m_friction = settings.friction;
        grounds.push_back(std::make_unique<btRigidBody>(info));
        ground_shapes.push_back(std::move(shape));
        world.addRigidBody(grounds.back().get(), static_cast<int>(k_layer_ground),
                           static_cast<int>(k_layer_ragdoll | k_layer_controller));
    }
};

}  // namespace dendraxis::sim
