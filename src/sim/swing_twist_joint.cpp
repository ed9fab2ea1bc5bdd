// Sources: swing and twist, P. Dobrowolski, arXiv:1506.05481; their rates from the left Jacobian of the
// rotation vector, J. Sola et al., "A micro Lie theory for state estimation in robotics", arXiv:1812.01537;
// rows that leave other rows alone, D. Baraff, "Linear-time dynamics using Lagrange multipliers" (1996).
#include "swing_twist_joint.hpp"

#include "bullet_types.hpp"

#include <dendraxis/base/rotation.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::sim {
namespace {

constexpr float k_correction = 0.8f;  // of an error a step
constexpr float k_fastest = 12.0f;    // rad/s: what a limit corrects at the most
constexpr float k_ahead = 0.2f;       // radians before a limit from which its row is there
constexpr float k_settling = 0.3f;    // seconds: how long a range stays widened
constexpr float k_pull_rate = 25.0f;  // 1/s: how fast a drive takes errors back, where it is strong enough
constexpr float k_endless = 1e30f;

float half(const AngleSpan& span) {
    return std::max(0.5f / k_degrees, 0.5f * (span.to - span.from));
}

float middle(const AngleSpan& span) {
    return 0.5f * (span.from + span.to);
}

// How far the bone's direction is out of the plane that it bends in, radians.
float out_of_plane(const Range& range, const Vec3& bone) {
    return std::asin(std::clamp(bone.dot(range.about), -1.0f, 1.0f)) - middle(range.side);
}

// The speed that brings a joint just up to its limit within the step, or back to it.
float speed_to(float room, float h) {
    return room >= 0.0f ? -room / h : std::min(-k_correction * room / h, k_fastest);
}

Eigen::Matrix3f basis_of(const btRigidBody& body) {
    return from_bullet(body.getWorldTransform().getBasis());
}

Eigen::Matrix3f cross_matrix(const Vec3& v) {
    Eigen::Matrix3f m;
    m << 0.0f, -v.z(), v.y(), v.z(), 0.0f, -v.x(), -v.y(), v.x(), 0.0f;
    return m;
}

}  // namespace

SwingTwistJoint::SwingTwistJoint(btRigidBody& above, btRigidBody& body, const Range& range,
                                 const JointAnchor& anchor)
    : btTypedConstraint(D6_CONSTRAINT_TYPE, above, body), range_(range), hinge_(is_hinge(range)) {
    place(anchor);
}

void SwingTwistJoint::place(const JointAnchor& anchor) {
    anchor_ = anchor;
    age_ = 0.0f;
    above_axes_ = anchor.above_axes.toRotationMatrix();
    body_axes_ = anchor.body_axes.toRotationMatrix();
    const Quat turn((basis_of(m_rbA) * above_axes_).transpose() * (basis_of(m_rbB) * body_axes_));
    const TurnAngles now = turn_angles(range_, turn);
    twist_slack_ = std::max({0.0f, range_.twist.from - now.twist, now.twist - range_.twist.to});
    if (hinge_) {
        side_slack_ = out_of_plane(range_, swing_twist(turn, range_.bone).swing * range_.bone);
        swing_slack_ = std::max({0.0f, range_.bend.from - now.bend, now.bend - range_.bend.to});
        return;
    }
    const float bend = now.bend - middle(range_.bend);
    const float side = now.side - middle(range_.side);
    const float out = std::hypot(bend / half(range_.bend), side / half(range_.side));
    swing_slack_ = out > 1.0f ? (1.0f - 1.0f / out) * std::hypot(bend, side) : 0.0f;
}

void SwingTwistJoint::drive(const Quat& target, float pull) {
    target_ = target;
    pull_ = pull;
}

void SwingTwistJoint::add_row(const Vec3& axis_in_above, float speed, float low, float high) {
    rows_[static_cast<std::size_t>(row_count_++)] = {axes_ * axis_in_above, speed, low, high};
}

void SwingTwistJoint::getInfo1(btConstraintInfo1* info) {
    axes_ = basis_of(m_rbA) * above_axes_;
    turn_ = Quat(Eigen::Matrix3f(axes_.transpose() * (basis_of(m_rbB) * body_axes_)));
    row_count_ = 0;
    add_limits(step_);
    if (pull_ > 0.0f && row_count_ + 3 <= static_cast<int>(rows_.size())) add_drive(step_);
    info->m_numConstraintRows = 3 + row_count_;
    info->nub = 3;
}

void SwingTwistJoint::add_limits(float h) {
    const SwingTwist split = swing_twist(turn_, range_.bone);
    const Vec3 swing = rotation_vector(split.swing);
    const Vec3 side_axis = range_.bone.cross(range_.about);
    const TurnAngles now{rotation_vector(split.twist).dot(range_.bone), swing.dot(range_.about),
                         swing.dot(side_axis)};
    const float angle = std::min(swing.norm(), 3.05f);
    const Vec3 normal = angle > 1e-4f ? Vec3(swing.normalized()) : range_.about;
    const Vec3 square = range_.bone.cross(normal);
    const float left = std::max(0.0f, 1.0f - age_ / k_settling);

    if (hinge_)
        add_hinge_rows(now, split.swing * range_.bone, left, h);
    else
        add_swing_row(now, normal, square, angle, left * swing_slack_, h);

    // Where the bone turns in a plane, its twist is what it turns about itself.
    const Vec3 twist_axis =
        hinge_ ? Vec3(split.swing * range_.bone) : Vec3(range_.bone - std::tan(0.5f * angle) * square);
    const float slack = left * twist_slack_;
    const float to_low = now.twist - range_.twist.from + slack;
    const float to_high = range_.twist.to + slack - now.twist;
    if (to_low < k_ahead && to_low <= to_high)
        add_row(twist_axis, speed_to(to_low, h), 0.0f, k_endless);
    else if (to_high < k_ahead)
        add_row(twist_axis, -speed_to(to_high, h), -k_endless, 0.0f);
}

void SwingTwistJoint::add_hinge_rows(const TurnAngles& now, const Vec3& bone, float left, float h) {
    // The bone stays in the plane that it bends in. Told by its direction, which is steady however far it is
    // bent.
    const float off = out_of_plane(range_, bone) - left * side_slack_;
    add_row(bone.cross(range_.about), std::clamp(-k_correction * off / h, -k_fastest, k_fastest), -k_endless,
            k_endless);
    const float slack = left * swing_slack_;
    const float to_low = now.bend - range_.bend.from + slack;
    const float to_high = range_.bend.to + slack - now.bend;
    if (to_low < k_ahead && to_low <= to_high)
        add_row(range_.about, speed_to(to_low, h), 0.0f, k_endless);
    else if (to_high < k_ahead)
        add_row(range_.about, -speed_to(to_high, h), -k_endless, 0.0f);
}

void SwingTwistJoint::add_swing_row(const TurnAngles& now, const Vec3& normal, const Vec3& square,
                                    float angle, float slack, float h) {
    const float bend = now.bend - middle(range_.bend);
    const float side = now.side - middle(range_.side);
    const float away = std::hypot(bend, side);
    if (away < 1e-4f) return;
    const float out = std::hypot(bend / half(range_.bend), side / half(range_.side));
    const float edge = away / out;  // the cone's half angle in this direction
    const float room = edge + slack - away;
    if (room > k_ahead) return;
    // Outward, square to the cone's edge, as long as it takes for the way along the radius to count whole.
    const float per_bend = edge * bend / (half(range_.bend) * half(range_.bend) * out);
    const float per_side = edge * side / (half(range_.side) * half(range_.side) * out);
    const Vec3 outward = per_bend * range_.about + per_side * range_.bone.cross(range_.about);
    const float cot = angle > 1e-3f ? angle / std::tan(angle) : 1.0f;
    const Vec3 axis =
        outward.dot(normal) * normal + outward.dot(square) * (cot * square + angle * range_.bone);
    add_row(axis, -speed_to(room, h), -k_endless, 0.0f);
}

void SwingTwistJoint::add_drive(float h) {
    const Vec3 error = rotation_vector(target_ * turn_.conjugate());
    const auto add = [&](const Vec3& axis) {
        add_row(axis, k_pull_rate * error.dot(axis), -pull_ * h, pull_ * h);
    };
    if (hinge_) {
        // The third way is the hinge's own; a row against it would only fight it.
        add(range_.about);
        add(swing_twist(turn_, range_.bone).swing * range_.bone);
        return;
    }
    for (int i = 0; i < 3; ++i) add(Vec3::Unit(i));
}

void SwingTwistJoint::getInfo2(btConstraintInfo2* info) {
    step_ = 1.0f / static_cast<float>(info->fps);
    const Vec3 ra = basis_of(m_rbA) * anchor_.on_above;
    const Vec3 rb = basis_of(m_rbB) * anchor_.on_body;
    const Vec3 apart =
        from_bullet(m_rbA.getCenterOfMassPosition()) + ra - from_bullet(m_rbB.getCenterOfMassPosition()) - rb;
    const Eigen::Matrix3f inverse_a = from_bullet(m_rbA.getInvInertiaTensorWorld());
    const Eigen::Matrix3f inverse_b = from_bullet(m_rbB.getInvInertiaTensorWorld());
    const Eigen::Matrix3f cross_a = cross_matrix(ra);
    const Eigen::Matrix3f cross_b = cross_matrix(rb);
    const Eigen::Matrix3f turned_a = cross_a * inverse_a;
    const Eigen::Matrix3f turned_b = cross_b * inverse_b;

    const auto skip = static_cast<std::ptrdiff_t>(info->rowskip);
    const auto put = [&](btScalar* rows, int row, const Vec3& values) {
        for (int i = 0; i < 3; ++i) rows[row * skip + i] = values[i];
    };
    const Eigen::Matrix3f held = (m_rbA.getInvMass() + m_rbB.getInvMass()) * Eigen::Matrix3f::Identity() -
                                 turned_a * cross_a - turned_b * cross_b;
    // Three directions that do not disturb each other (the rows of the inverse of L in held = L D L'): one
    // pass of the solver then puts the ends together exactly.
    std::array<Vec3, 3> directions{Vec3::UnitX(), Vec3::UnitY(), Vec3::UnitZ()};
    directions[1] -= held(1, 0) / held(0, 0) * directions[0];
    const float left = held(1, 1) - held(1, 0) * held(1, 0) / held(0, 0);
    const float across = (held(2, 1) - held(2, 0) * held(1, 0) / held(0, 0)) / left;
    directions[2] -= held(2, 0) / held(0, 0) * directions[0] + across * directions[1];
    for (int i = 0; i < 3; ++i) {
        const Vec3& direction = directions[static_cast<std::size_t>(i)];
        put(info->m_J1linearAxis, i, direction);
        put(info->m_J1angularAxis, i, ra.cross(direction));
        put(info->m_J2linearAxis, i, -direction);
        put(info->m_J2angularAxis, i, -rb.cross(direction));
        info->m_constraintError[i * skip] = -k_correction / step_ * apart.dot(direction);
        info->m_lowerLimit[i * skip] = -k_endless;
        info->m_upperLimit[i * skip] = k_endless;
    }
    if (row_count_ == 0) return;
    // Turning happens about the joint: each row takes along the impulse that keeps the ends together.
    const Eigen::Matrix3f give = held.inverse();
    const Eigen::Matrix3f turned = turned_a + turned_b;
    for (int r = 0; r < row_count_; ++r) {
        const Row& row = rows_[static_cast<std::size_t>(r)];
        const Vec3 along = give * (turned * row.axis);
        const int at = 3 + r;
        put(info->m_J1linearAxis, at, -along);
        put(info->m_J1angularAxis, at, -row.axis + along.cross(ra));
        put(info->m_J2linearAxis, at, along);
        put(info->m_J2angularAxis, at, row.axis + rb.cross(along));
        info->m_constraintError[at * skip] = row.speed;
        info->m_lowerLimit[at * skip] = row.low;
        info->m_upperLimit[at * skip] = row.high;
    }
}

}  // namespace dendraxis::sim
