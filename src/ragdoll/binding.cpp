#include <dendraxis/ragdoll/binding.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/ragdoll/check.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis {

RagdollBinding::RagdollBinding(RagdollPlan plan, const Chart& chart)
    : plan_(std::move(plan)),
      skeleton_(chart.skeleton),
      up_(chart.up),
      facing_(chart.facing),
      floor_(chart.floor),
      body_of_bone_(chart.skeleton.size(), -1) {
    require_sound(plan_, chart);
    const std::vector<Transform> rest = rest_in_model_space(skeleton_);
    const Quat to_model = chart.to_upright().conjugate();
    for (std::size_t i = 0; i < plan_.bodies.size(); ++i) {
        const RagdollBody& body = plan_.bodies[i];
        const Quat to_bone = rest[static_cast<std::size_t>(body.bone)].rotation.conjugate();
        in_bone_.push_back({to_bone * to_model * body.turn, to_bone * (to_model * body.at), Vec3::Ones()});
        body_of_bone_[static_cast<std::size_t>(body.bone)] = static_cast<int>(i);
    }
    const std::vector<int> owners = bodies_of_bones(skeleton_, plan_);
    const auto owner_above = [&](int bone) {
        const int parent = skeleton_.parent(bone);
        return parent == k_no_bone ? -1 : owners[static_cast<std::size_t>(parent)];
    };
    is_free_.push_back(1);
    for (std::size_t i = 1; i < plan_.bodies.size(); ++i) {
        const int joint = plan_.joint_of(static_cast<int>(i));
        const int above = joint < 0 ? -1 : plan_.joints[static_cast<std::size_t>(joint)].above;
        is_free_.push_back(owner_above(plan_.bodies[i].bone) == above ? 0 : 1);
    }
    for (std::size_t i = 0; i < plan_.bodies.size(); ++i) {
        const Transform& frame = rest[static_cast<std::size_t>(plan_.bodies[i].bone)];
        for (const int bone : plan_.bodies[i].also) {
            if (owner_above(bone) == static_cast<int>(i)) continue;
            carried_.push_back({bone, static_cast<int>(i),
                                inverse(Transform{frame.rotation, frame.translation, Vec3::Ones()}) *
                                    rest[static_cast<std::size_t>(bone)]});
        }
    }
    std::sort(carried_.begin(), carried_.end(),
              [](const Carried& a, const Carried& b) { return a.bone < b.bone; });
    for (const RagdollJoint& joint : plan_.joints)
        frames_.push_back(joint_frame(chart, plan_.bodies[static_cast<std::size_t>(joint.body)].bone));
}

void RagdollBinding::bodies_of(std::span<const Transform> model, const Transform& placement,
                               std::span<BodyState> bodies) const noexcept {
    for (std::size_t i = 0; i < plan_.bodies.size(); ++i) {
        const Transform& bone = model[static_cast<std::size_t>(plan_.bodies[i].bone)];
        const Quat turn = placement.rotation * bone.rotation;
        const Vec3 head = placement.translation + placement.rotation * bone.translation;
        bodies[i] = {head + turn * in_bone_[i].translation, (turn * in_bone_[i].rotation).normalized(),
                     Vec3::Zero(), Vec3::Zero()};
    }
}

void RagdollBinding::pose_of(std::span<const BodyState> bodies, const Transform& placement,
                             std::span<Transform> local, std::span<Transform> model) const noexcept {
    const Quat to_model = placement.rotation.conjugate();
    // Where a body's bone is, in model space.
    const auto frame_of = [&](std::size_t body) {
        const Quat turn = to_model * bodies[body].turn * in_bone_[body].rotation.conjugate();
        const Vec3 head =
            to_model * (bodies[body].position - placement.translation) - turn * in_bone_[body].translation;
        return Transform{turn, head, Vec3::Ones()};
    };
    std::size_t next = 0;
    for (std::size_t bone = 0; bone < local.size(); ++bone) {
        const int parent = skeleton_.parent(static_cast<int>(bone));
        const Transform& above =
            parent == k_no_bone ? skeleton_.above() : model[static_cast<std::size_t>(parent)];
        if (const int own = body_of_bone_[bone]; own >= 0) {
            const Transform frame = frame_of(static_cast<std::size_t>(own));
            local[bone].rotation = (above.rotation.conjugate() * frame.rotation).normalized();
            // What hangs from the body above it does so at its bone's length: what joints give way by does
            // not show.
            if (is_free_[static_cast<std::size_t>(own)] != 0)
                local[bone].translation = apply(inverse(above), frame.translation);
        }
        if (next < carried_.size() && carried_[next].bone == static_cast<int>(bone)) {
            const Carried& carried = carried_[next++];
            local[bone] =
                inverse(above) * (frame_of(static_cast<std::size_t>(carried.body)) * carried.on_body);
        }
        model[bone] = above * local[bone];
    }
}

void RagdollBinding::anchors_of(std::span<const Transform> model,
                                std::span<JointAnchor> anchors) const noexcept {
    for (std::size_t j = 0; j < plan_.joints.size(); ++j) {
        const RagdollJoint& joint = plan_.joints[j];
        const auto body = static_cast<std::size_t>(joint.body);
        const auto above = static_cast<std::size_t>(joint.above);
        const int bone = plan_.bodies[body].bone;
        const Transform& own = model[static_cast<std::size_t>(bone)];
        const Transform& other = model[static_cast<std::size_t>(plan_.bodies[above].bone)];
        const int parent_bone = skeleton_.parent(bone);
        const Quat parent = parent_bone == k_no_bone ? skeleton_.above().rotation
                                                     : model[static_cast<std::size_t>(parent_bone)].rotation;
        const Quat to_body = in_bone_[body].rotation.conjugate();
        const Quat to_above = in_bone_[above].rotation.conjugate();
        // `at` is told upright at rest; the bone carries it.
        const JointFrame& frame = frames_[j];
        const Quat upright_on_bone = frame.rest.conjugate() * frame.to_upright.conjugate();
        const Vec3 pivot = own.translation + own.rotation * (upright_on_bone * joint.at);
        JointAnchor& anchor = anchors[j];
        anchor.on_body =
            to_body * (own.rotation.conjugate() * (pivot - own.translation) - in_bone_[body].translation);
        anchor.on_above = to_above * (other.rotation.conjugate() * (pivot - other.translation) -
                                      in_bone_[above].translation);
        anchor.body_axes = to_body * upright_on_bone;
        anchor.above_axes = to_above * other.rotation.conjugate() * parent * frame.to_upright.conjugate();
    }
}

Quat RagdollBinding::turn_in(std::span<const Transform> local, std::size_t joint) const noexcept {
    const int bone = plan_.bodies[static_cast<std::size_t>(plan_.joints[joint].body)].bone;
    return frames_[joint].turn(local[static_cast<std::size_t>(bone)].rotation);
}

}  // namespace dendraxis
