// Own method around the two-bone solution of ik/limb.hpp.
#include <dendraxis/equip/second_hand.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ik/limb.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_off = 0.01f;
constexpr int k_passes = 3;  // turning the hand moves what hangs between it and the socket

Limb limb_above(const Chart& chart, const Socket& socket) {
    for (const Limb& limb : limbs_of(chart)) {
        if (limb.bones[2] == socket.bone || chart.skeleton.is_above(limb.bones[2], socket.bone)) return limb;
    }
    throw Error(chart.character, "the socket '" + socket.name + "' is on no arm or leg", "",
                "name a socket on the other hand");
}

// Turns the hand so that it lies along the handle, its wrist on the shoulder's side: around the handle it is
// free, and so the forearm goes on in line with the hand.
Quat onto_handle(std::span<const Transform> model, const Limb& limb, const Transform& socket,
                 const Transform& grip) {
    const Vec3 handle = (grip.rotation * Vec3::UnitY()).normalized();
    const Quat along = shortest_arc(socket.rotation * Vec3::UnitY(), handle);
    const auto across = [&](const Vec3& v) { return Vec3(v - handle * handle.dot(v)); };
    const Vec3 to_shoulder = head_of(limb.bones[0], model) - grip.translation;
    const Vec3 wanted = across(to_shoulder);
    const Vec3 wrist = across(along * (head_of(limb.bones[2], model) - socket.translation));
    const float angle = std::atan2(handle.dot(wrist.cross(wanted)), wrist.dot(wanted));
    // Where the shoulder lies along the handle, no side is the shoulder's.
    const float plain =
        std::clamp((wanted.norm() / std::max(1e-6f, to_shoulder.norm()) - 0.1f) / 0.2f, 0.0f, 1.0f);
    return Quat(Eigen::AngleAxisf(plain * angle, handle)) * along;
}

}  // namespace

TwoHandedClip bring_second_hand(const Chart& chart, const SocketBinding& sockets, const TwoHanded& held,
                                const Clip& clip) {
    const Skeleton& skeleton = chart.skeleton;
    const Limb limb = limb_above(chart, sockets.sockets()[held.second]);
    const auto hand = static_cast<std::size_t>(limb.bones[2]);
    const Transform on_prop{held.grip.turn, held.grip.at, Vec3::Ones()};
    TwoHandedClip done{clip, 0.0f, 0, 0};
    std::vector<Transform> model(skeleton.size());
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        const std::span<Transform> pose = done.clip.frame(f);
        float off = 0.0f;
        for (int pass = 0; pass <= k_passes; ++pass) {
            to_model_space(skeleton, pose, model);
            const Transform grip = sockets.frame(held.socket, model) * held.placement * on_prop;
            const Transform socket = sockets.frame(held.second, model);
            off = (socket.translation - grip.translation).norm();
            if (pass == k_passes) break;
            const Quat along = onto_handle(model, limb, socket, grip);
            LimbGoal goal;
            goal.target = grip.translation;
            goal.offset = model[hand].rotation.conjugate() * (socket.translation - model[hand].translation);
            goal.turn_end = true;
            goal.orientation = (along * model[hand].rotation).normalized();
            reach(skeleton, limb, goal, model, pose);
        }
        if (off > done.worst) done.worst = off, done.worst_frame = f;
        done.out_of_reach += off > k_off ? 1 : 0;
    }
    return done;
}

Findings check_second_hand(const TwoHandedClip& done, const Prop& prop, const Socket& second) {
    if (done.out_of_reach == 0) return {};
    return {{Severity::warning, "prop.second-grip-far", prop.name + "@" + second.name,
             fmt::format(
                 "in '{}' the second hand does not get to its grip in {} of {} frames, {:.2f} m off in "
                 "frame {}",
                 done.clip.name, done.out_of_reach, done.clip.frame_count(), done.worst, done.worst_frame),
             "name the clips in which it is to come (in=CLIP+CLIP), or give the thing a second grip nearer "
             "to the first"}};
}

}  // namespace dendraxis
