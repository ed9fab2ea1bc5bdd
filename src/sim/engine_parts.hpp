// The physics engine's parts as we use them: its shapes, the solver's rounds and what a step leaves out.
#pragma once

#include <dendraxis/sim/world.hpp>

#include "bullet_types.hpp"

#include <BulletCollision/CollisionDispatch/btDefaultCollisionConfiguration.h>
#include <BulletCollision/CollisionShapes/btBoxShape.h>
#include <BulletCollision/CollisionShapes/btCapsuleShape.h>
#include <BulletCollision/CollisionShapes/btSphereShape.h>
#include <BulletDynamics/ConstraintSolver/btSequentialImpulseConstraintSolver.h>
#include <BulletDynamics/Dynamics/btDiscreteDynamicsWorld.h>

#include <algorithm>
#include <cmath>
#include <memory>

namespace dendraxis::sim {

inline constexpr int k_pooled_contacts = 256;
inline constexpr int k_last_passes = 3;
inline constexpr float k_at_odds = 1.5f;  // m/s or rad/s that a row still asks for

inline btTransform transform_of(const BodyState& state) {
    return btTransform(to_bullet(state.turn), to_bullet(state.position));
}

inline std::unique_ptr<btCollisionShape> make_shape(const Shape& shape) {
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

// The engine's own pools hold thousands of contacts and come to megabytes a world; more than this is
// allocated one by one.
inline btDefaultCollisionConstructionInfo pool_sizes() {
    btDefaultCollisionConstructionInfo sizes;
    sizes.m_defaultMaxPersistentManifoldPoolSize = k_pooled_contacts;
    sizes.m_defaultMaxCollisionAlgorithmPoolSize = k_pooled_contacts;
    return sizes;
}

// The engine solves joints, then contacts, in every round; what contacts push apart last stays apart. Here
// the joints are solved again after the contacts, from the tips to the root, until no row asks for much.
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
        for (int pass = 0; pass < k_last_passes; ++pass) {
            btScalar worst = 0.0f;
            for (int row = m_tmpSolverNonContactConstraintPool.size() - 1; row >= 0; --row) {
                btSolverConstraint& one = m_tmpSolverNonContactConstraintPool[row];
                const btScalar change = resolveSingleConstraintRowGeneric(
                    m_tmpSolverBodyPool[one.m_solverBodyIdA], m_tmpSolverBodyPool[one.m_solverBodyIdB], one);
                worst = std::max(worst, std::abs(change));
            }
            if (worst < k_at_odds) break;
        }
        return left;
    }
};

// The engine looks ahead along each body's way three times a step, for sweeps of fast bodies and for its own
// damping. Steps here are short, bodies are damped by `tame`, and nothing is swept: one look is left.
class UnsweptWorld : public btDiscreteDynamicsWorld {
 public:
    using btDiscreteDynamicsWorld::btDiscreteDynamicsWorld;

 protected:
    void predictUnconstraintMotion(btScalar) override {}
    void createPredictiveContacts(btScalar) override {}
};

}  // namespace dendraxis::sim
