#include <dendraxis/sim/world.hpp>

#include "bullet_types.hpp"
#include "near_bodies.hpp"
#include "swing_twist_joint.hpp"

#include <dendraxis/base/error.hpp>

#include <BulletCollision/BroadphaseCollision/btDbvtBroadphase.h>
#include <BulletCollision/CollisionDispatch/btCollisionDispatcher.h>
#include <BulletCollision/CollisionDispatch/btDefaultCollisionConfiguration.h>
#include <BulletCollision/CollisionShapes/btBoxShape.h>
#include <BulletCollision/CollisionShapes/btBvhTriangleMeshShape.h>
#include <BulletCollision/CollisionShapes/btCapsuleShape.h>
#include <BulletCollision/CollisionShapes/btSphereShape.h>
#include <BulletCollision/CollisionShapes/btStaticPlaneShape.h>
#include <BulletCollision/CollisionShapes/btTriangleMesh.h>
#include <BulletDynamics/ConstraintSolver/btSequentialImpulseConstraintSolver.h>
#include <BulletDynamics/Dynamics/btDiscreteDynamicsWorld.h>

#include <algorithm>
#include <cmath>

namespace dendraxis::sim {
namespace {

constexpr float k_longest = 0.25f;            // seconds at once
constexpr float k_still_speed = 0.04f;        // m/s: below it for two seconds, a body sleeps
constexpr float k_still_spin = 0.12f;         // rad/s
constexpr float k_slow_spin = 0.8f;           // rad/s: below it, rolling friction
constexpr float k_rolling = 2.5f;             // rad/s2
constexpr float k_root_damping = 1.0f;        // 1/s
constexpr float k_contact_ahead = 0.02f;      // metres
constexpr float k_contact_correction = 0.3f;  // of the depth of a contact, a step

btTransform transform_of(const BodyState& state) {
    return btTransform(to_bullet(state.turn), to_bullet(state.place));
}

std::unique_ptr<btCollisionShape> make_shape(const Shape& shape) {
    switch (shape.kind) {
        case ShapeKind::box:
            return std::make_unique<btBoxShape>(to_bullet(shape.half));
        case ShapeKind::sphere:
            return std::make_unique<btSphereShape>(shape.half.x());
        case ShapeKind::capsule:
            break;
    }
    return std::make_unique<btCapsuleShape>(shape.half.x(),
                                            2.0f * std::max(0.0f, shape.half.y() - shape.half.x()));
}

bool is_finite(const BodyState& state) {
    return state.place.allFinite() && state.turn.coeffs().allFinite() && state.velocity.allFinite() &&
           state.spin.allFinite();
}

// The engine solves joints, then contacts, in every round; what contacts push apart last stays apart. Here
// the joints are solved once more, from the tips to the root, after the contacts.
class JointsLastSolver : public btSequentialImpulseConstraintSolver {
 protected:
    btScalar solveSingleIteration(int iteration, btCollisionObject** bodies, int body_count,
                                  btPersistentManifold** manifolds, int manifold_count,
                                  btTypedConstraint** constraints, int constraint_count,
                                  const btContactSolverInfo& info, btIDebugDraw* drawer) override {
        const btScalar left = btSequentialImpulseConstraintSolver::solveSingleIteration(
            iteration, bodies, body_count, manifolds, manifold_count, constraints, constraint_count, info,
            drawer);

        if (iteration + 1 < info.m_numIterations) return left;
        for (int row = m_tmpSolverNonContactConstraintPool.size() - 1; row >= 0; --row) {
            btSolverConstraint& one = m_tmpSolverNonContactConstraintPool[row];
            resolveSingleConstraintRowGeneric(m_tmpSolverBodyPool[one.m_solverBodyIdA],
                                              m_tmpSolverBodyPool[one.m_solverBodyIdB], one);
        }
        return left;
    }
};

struct Figure {
    const RagdollBinding* binding = nullptr;
    std::vector<std::unique_ptr<btCollisionShape>> shapes;
    std::vector<std::unique_ptr<btRigidBody>> bodies;
    std::vector<std::unique_ptr<SwingTwistJoint>> joints;
    std::unique_ptr<std::vector<char>> may_touch;             // by pairs of bodies
    std::unique_ptr<std::vector<char>> not_yet;               // the same
    std::vector<std::pair<std::size_t, std::size_t>> within;  // pairs of `not_yet`
    std::vector<std::unique_ptr<BodyTag>> tags;
    std::vector<float> kept_spin;  // by damping, a step
    std::vector<BodyMotion> motions;
    std::vector<char> linked;     // joints that are in the world
    std::vector<BodyState> from;  // carried bodies: where they come from
    std::vector<BodyState> to;    // and where they are to be
};

}  // namespace

struct World::Inner {
    explicit Inner(const WorldSettings& chosen)
        : settings(chosen),
          dispatcher(&configuration),
          world(&dispatcher, &broadphase, &solver, &configuration) {
        dispatcher.setDispatcherFlags(dispatcher.getDispatcherFlags() &
                                      ~btCollisionDispatcher::CD_USE_RELATIVE_CONTACT_BREAKING_THRESHOLD);
        dispatcher.setNearCallback(look_if_near);
        world.setForceUpdateAllAabbs(false);  // what sleeps or never moves keeps its box
        world.getPairCache()->setOverlapFilterCallback(&filter);
        world.setGravity(to_bullet(settings.gravity));
        world.getSolverInfo().m_numIterations = settings.iterations;
        world.getSolverInfo().m_erp2 = k_contact_correction;
        gravity = settings.gravity;
    }

    ~Inner() {
        for (Figure& figure : figures) clear(figure);
        for (auto& body : grounds) world.removeRigidBody(body.get());
    }

    // ---------------------------------------------------------------- making

    Figure& figure(int number) {
        if (number < 0 || static_cast<std::size_t>(number) >= figures.size() ||
            figures[static_cast<std::size_t>(number)].binding == nullptr)
            throw Error("world", "has no ragdoll " + std::to_string(number));
        return figures[static_cast<std::size_t>(number)];
    }

    void make(Figure& made, const RagdollBinding& binding) {
        const RagdollPlan& plan = binding.plan();
        made.binding = &binding;
        for (std::size_t i = 0; i < plan.bodies.size(); ++i) {
            const RagdollBody& body = plan.bodies[i];
            made.shapes.push_back(make_shape(body.shape));
            btRigidBody::btRigidBodyConstructionInfo info(body.mass, nullptr, made.shapes.back().get(),
                                                          to_bullet(body.inertia));
            info.m_friction = settings.friction;
            info.m_linearSleepingThreshold = k_still_speed;
            info.m_angularSleepingThreshold = k_still_spin;
            const int joint = plan.joint_of(static_cast<int>(i));
            const float damping =
                joint < 0 ? k_root_damping : plan.joints[static_cast<std::size_t>(joint)].damping;
            made.kept_spin.push_back(std::exp(-std::max(0.0f, damping) * settings.step));
            made.bodies.push_back(std::make_unique<btRigidBody>(info));
            made.bodies.back()->setFlags(
                0);  // no gyroscopic torque: limbs are slow and it costs a solve a body
            made.bodies.back()->setContactProcessingThreshold(k_contact_ahead);
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
        body.setAngularVelocity(to_bullet(state.spin));
        body.setInterpolationLinearVelocity(to_bullet(state.velocity));
        body.setInterpolationAngularVelocity(to_bullet(state.spin));
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
        const int flags = body.getCollisionFlags();
        if (motion == BodyMotion::carried) {
            // A body keeps its mass while it is carried: made static, it would never move again.
            body.setCollisionFlags(flags | btCollisionObject::CF_KINEMATIC_OBJECT);
            body.setActivationState(DISABLE_DEACTIVATION);
        } else {
            body.setCollisionFlags(flags & ~btCollisionObject::CF_KINEMATIC_OBJECT);
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

    bool overlap_now(const Figure& one, std::size_t a, std::size_t b) const {
        const auto placed = [&](std::size_t index) {
            const BodyState state = state_of(*one.bodies[index]);
            return PlacedShape{one.binding->plan().bodies[index].shape,
                               {state.turn, state.place, Vec3::Ones()}};
        };
        return overlap(placed(a), placed(b)) > 0.0f;
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
                if (one.motions[b] != BodyMotion::carried) continue;
                btRigidBody& body = *one.bodies[b];
                BodyState state;
                state.place = one.from[b].place + share * (one.to[b].place - one.from[b].place);
                state.turn = one.from[b].turn.slerp(share, one.to[b].turn);
                const Vec3 speed = (state.place - from_bullet(body.getCenterOfMassPosition())) / h;
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
        const btVector3 spin = body.getAngularVelocity();
        const float fast = std::max(spin.length(), 1e-6f);
        const float by = fast < k_slow_spin ? std::max(0.0f, 1.0f - k_rolling * settings.step / fast)
                                            : std::min(1.0f, settings.fastest_spin / fast);
        body.setAngularVelocity(spin * (kept * by));
    }

    void step_once(float share) {
        carry(share, settings.step);
        for (Figure& one : figures) {
            for (std::size_t j = 0; j < one.joints.size(); ++j) {
                if (one.linked[j] != 0) one.joints[j]->age(settings.step);
            }
        }
        world.stepSimulation(settings.step, 0);
        for (Figure& one : figures) {
            for (std::size_t b = 0; b < one.bodies.size(); ++b) {
                if (one.motions[b] == BodyMotion::free) tame(*one.bodies[b], one.kept_spin[b]);
            }
        }
    }

    WorldSettings settings;
    Vec3 gravity;
    btDefaultCollisionConfiguration configuration;
    btCollisionDispatcher dispatcher;
    PairFilter filter;
    btDbvtBroadphase broadphase;
    JointsLastSolver solver;
    btDiscreteDynamicsWorld world;
    std::vector<std::unique_ptr<btTriangleMesh>> meshes;
    std::vector<std::unique_ptr<btCollisionShape>> ground_shapes;
    std::vector<std::unique_ptr<btRigidBody>> grounds;
    std::vector<Figure> figures;
    float left_over = 0.0f;

    void add_ground(std::unique_ptr<btCollisionShape> shape) {
        btRigidBody::btRigidBodyConstructionInfo info(0.0f, nullptr, shape.get());
        info.m_friction = settings.friction;
        grounds.push_back(std::make_unique<btRigidBody>(info));
        ground_shapes.push_back(std::move(shape));
        world.addRigidBody(grounds.back().get(), static_cast<int>(k_layer_ground),
                           static_cast<int>(k_layer_ragdoll | k_layer_mover));
    }
};

World::World(const WorldSettings& settings) {
    const bool sound = settings.gravity.allFinite() && settings.gravity.norm() < 1e3f &&
                       settings.step >= 1e-4f && settings.step <= 1.0f / 30.0f && settings.iterations >= 1 &&
                       settings.iterations <= 200 && settings.friction >= 0.0f &&
                       settings.fastest_spin > 0.0f;
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

void World::add_ground(std::span<const Vec3> places, std::span<const std::array<unsigned, 3>> triangles) {
    auto mesh = std::make_unique<btTriangleMesh>();
    for (const auto& corners : triangles) {
        for (const unsigned corner : corners) {
            if (corner >= places.size() || !places[corner].allFinite())
                throw Error("ground", "a triangle has a corner that is not there", "",
                            "check the file's indices");
        }
        mesh->addTriangle(to_bullet(places[corners[0]]), to_bullet(places[corners[1]]),
                          to_bullet(places[corners[2]]));
    }
    if (triangles.empty()) throw Error("ground", "has no triangles");
    inner_->add_ground(std::make_unique<btBvhTriangleMeshShape>(mesh.get(), true));
    inner_->meshes.push_back(std::move(mesh));
}

int World::add(const RagdollBinding& binding) {
    inner_->figures.emplace_back();
    inner_->make(inner_->figures.back(), binding);
    return static_cast<int>(inner_->figures.size()) - 1;
}

int World::add(const RagdollBinding& binding, std::span<const BodyState> states,
               std::span<const JointAnchor> anchors) {
    if (states.size() != binding.plan().bodies.size() || anchors.size() != binding.plan().joints.size() ||
        !std::all_of(states.begin(), states.end(), is_finite))
        throw Error("ragdoll", "needs a finite state of each body and an anchor of each joint");
    const int number = add(binding);
    Figure& figure = inner_->figure(number);
    for (std::size_t b = 0; b < states.size(); ++b) {
        inner_->put(*figure.bodies[b], states[b]);
        figure.from[b] = figure.to[b] = states[b];
        inner_->move(figure, b, binding.plan().bodies[b].locked ? BodyMotion::carried : BodyMotion::free);
    }
    inner_->note_overlaps(figure);
    for (std::size_t j = 0; j < anchors.size(); ++j) inner_->link(figure, j, anchors[j]);
    return number;
}

void World::remove(int number) {
    inner_->clear(inner_->figure(number));
}

void World::obey(int number, const Ragdoll& ragdoll) {
    Figure& figure = inner_->figure(number);
    const std::span<const BodyOrder> bodies = ragdoll.bodies();
    const std::span<const JointOrder> joints = ragdoll.joints();
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
        } else if (order.motion == BodyMotion::carried) {
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

void World::drive(int number, int joint, const Quat& target, float pull) {
    inner_->figure(number).joints.at(static_cast<std::size_t>(joint))->drive(target, pull);
}

void World::push(int number, int body, const Vec3& impulse, const Vec3& point) {
    btRigidBody& pushed = *inner_->figure(number).bodies.at(static_cast<std::size_t>(body));
    if (!impulse.allFinite() || !point.allFinite()) return;
    pushed.activate(true);
    pushed.applyImpulse(to_bullet(impulse), to_bullet(point) - pushed.getCenterOfMassPosition());
}

void World::pin(int number, int body, bool pinned) {
    Figure& figure = inner_->figure(number);
    const auto index = static_cast<std::size_t>(body);
    figure.from.at(index) = figure.to[index] = inner_->state_of(*figure.bodies[index]);
    inner_->move(figure, index, pinned ? BodyMotion::carried : BodyMotion::free);
}

float World::step(float seconds) {
    if (!(seconds > 0.0f) || !std::isfinite(seconds)) return 0.0f;
    const float h = inner_->settings.step;
    inner_->left_over += std::min(seconds, k_longest);
    const int steps = static_cast<int>(inner_->left_over / h + 1e-3f);
    for (int i = 0; i < steps; ++i) inner_->step_once(static_cast<float>(i + 1) / static_cast<float>(steps));
    inner_->forget_parted();
    const float done = static_cast<float>(steps) * h;
    inner_->left_over = std::max(0.0f, inner_->left_over - done);
    return done;
}

void World::states(int number, std::span<BodyState> states) const {
    const Figure& figure = inner_->figure(number);
    for (std::size_t b = 0; b < figure.bodies.size(); ++b) states[b] = inner_->state_of(*figure.bodies[b]);
}

void World::find_contacts() {
    inner_->world.performDiscreteCollisionDetection();
}

Penetration World::penetration(int number) const {
    const Figure& figure = inner_->figure(number);
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

bool World::asleep(int number) const {
    const Figure& figure = inner_->figure(number);
    for (std::size_t b = 0; b < figure.bodies.size(); ++b) {
        if (figure.motions[b] == BodyMotion::free && figure.bodies[b]->isActive()) return false;
    }
    return true;
}

}  // namespace dendraxis::sim
