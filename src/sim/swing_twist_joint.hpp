// The joint between two bodies, as rows for the physics engine's solver: three that hold the ends together,
// one for the swing's cone, one for the twist, from the same range that inverse kinematics uses.
#pragma once

#include "bullet_types.hpp"

#include <dendraxis/ragdoll/binding.hpp>

#include <BulletDynamics/ConstraintSolver/btTypedConstraint.h>
#include <BulletDynamics/Dynamics/btRigidBody.h>

#include <array>

namespace dendraxis::sim {

class SwingTwistJoint : public btTypedConstraint {
 public:
    SwingTwistJoint(btRigidBody& above, btRigidBody& body, const Range& range, const JointAnchor& anchor);

    /// New anchors. Where the joint is beyond its range now, the range is widened to that, and the widening
    /// is taken back over `k_settling` seconds.
    void place(const JointAnchor& anchor);
    /// Pulls toward a turn away from rest with at most so many N m; 0: not at all.
    void drive(const Quat& target, float pull);
    bool is_driven() const { return pull_ > 0.0f; }
    /// From the body's middle to the joint, in the world.
    Vec3 end_of_body() const { return from_bullet(m_rbB.getOrientation()) * anchor_.on_body; }
    /// So much time has passed: takes back a little of what the range was widened by.
    void age(float seconds) { age_ += seconds; }

    void getInfo1(btConstraintInfo1* info) override;
    void getInfo2(btConstraintInfo2* info) override;
    // Parameters of the engine's own joints; this one takes its own.
    void setParam(int, btScalar, int) override {}
    btScalar getParam(int, int) const override { return 0; }

 private:
    struct Row {
        Vec3 axis;           // in the world
        float speed = 0.0f;  // of `body` against `above` about it
        float low = 0.0f;
        float high = 0.0f;
    };

    void add_row(const Vec3& axis_in_above, float speed, float low, float high);
    void add_limits(float h);
    void add_hinge_rows(const TurnAngles& now, const Vec3& bone, float left, float h);
    void add_swing_row(const TurnAngles& now, const Vec3& normal, const Vec3& square, float angle,
                       float slack, float h);
    void add_drive(float h);

    Range range_;
    JointAnchor anchor_;
    bool hinge_ = false;
    float age_ = 0.0f;
    float swing_slack_ = 0.0f;
    float twist_slack_ = 0.0f;
    float side_slack_ = 0.0f;
    Quat target_ = Quat::Identity();
    float pull_ = 0.0f;
    float step_ = 1.0f / 480.0f;
    Eigen::Matrix3f above_axes_;
    Eigen::Matrix3f body_axes_;
    Eigen::Matrix3f axes_;  // of the above body, in the world, this step
    Quat turn_;
    std::array<Row, 6> rows_;
    int row_count_ = 0;

 public:
    EIGEN_MAKE_ALIGNED_OPERATOR_NEW
};

}  // namespace dendraxis::sim
