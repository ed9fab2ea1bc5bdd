// A mallet in the diver's hand counts as touching a hanging float only in the frames where it is live, and
// once a window; then it slips out of the hand. Usage: 08_mallet_strikes
#include <dendraxis/base/error.hpp>
#include <dendraxis/equip/bring_sockets.hpp>
#include <dendraxis/equip/let_go.hpp>
#include <dendraxis/equip/sweep.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/props/props.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/core.h>

namespace dx = dendraxis;

int main() {
    try {
        const dx::Character diver = dx::io::load_character(DENDRAXIS_DEMO_FOLDER "/diver.glb");
        const dx::Prop mallet = dx::io::load_prop(DENDRAXIS_DEMO_FOLDER "/mallet.glb");
        const dx::Chart chart = dx::chart(diver);
        const dx::SocketBinding sockets(dx::suggested_sockets(diver, chart), chart);
        const dx::Clip& clip = diver.clip("swing-mallet");
        const dx::Transform in_hand = dx::placement_of(mallet, {});

        // Where the mallet is in every frame: the socket's frame times its position in the socket.
        std::vector<dx::Transform> model(diver.skeleton.size());
        std::vector<dx::Transform> frames;
        for (std::size_t f = 0; f < clip.frame_count(); ++f) {
            dx::to_model_space(diver.skeleton, clip.frame(f), model);
            frames.push_back(sockets.frame(1, model) * in_hand);
        }

        // Its head, and a float that hangs where it comes along fastest.
        const dx::SweepVolume head{"head",
                                   {dx::ShapeKind::capsule, dx::Vec3(0.05f, 0.09f, 0.05f)},
                                   dx::Vec3(0, 0.42f, 0),
                                   dx::Quat(Eigen::AngleAxisf(1.5707963f, dx::Vec3::UnitZ()))};
        std::size_t strike = 1;  // the frame in which it moves fastest
        const auto moved = [&](std::size_t f) {
            return (dx::apply(frames[f], head.at) - dx::apply(frames[f - 1], head.at)).norm();
        };
        for (std::size_t f = 1; f < frames.size(); ++f) strike = moved(f) > moved(strike) ? f : strike;
        const std::vector<dx::SweepTarget> targets{
            {"float", "harbour", -1, {dx::ShapeKind::sphere, dx::Vec3::Constant(0.1f)}}};
        dx::Motion hangs;
        hangs.from.translation = hangs.to.translation = dx::apply(frames[strike], head.at);
        const std::vector<dx::Motion> positions{hangs};

        const auto struck = static_cast<float>(strike);
        for (const auto& [from, to] : {std::pair{struck - 5.0f, struck + 2.0f}, {0.0f, 0.25f * struck}}) {
            dx::LiveWindow window(from, to, {"harbour"});
            for (std::size_t f = 0; f + 1 < frames.size(); ++f)
                window.step(static_cast<float>(f), clip.fps, head, {frames[f], frames[f + 1]}, targets,
                            positions);
            fmt::print("frames {:.1f} to {:.1f}: {} touched\n", from, to, window.touches().size());
            for (const dx::WindowTouch& touch : window.touches())
                fmt::print("  {} in frame {:.2f}, {:.1f} m/s, at {:.2f} {:.2f} {:.2f}\n", touch.target,
                           touch.frame, touch.speed, touch.point.x(), touch.point.y(), touch.point.z());
        }

        const std::size_t slips = frames.size() / 2;
        const dx::ReleasedProp thing =
            dx::let_go(dx::prop_body(mallet), frames[slips], frames[slips - 1], 1.0f / clip.fps);
        fmt::print("let go in frame {}: {:.2f} kg, {:.2f} m/s, turning {:.1f} rad/s\n", slips,
                   thing.body.mass, thing.state.velocity.norm(), thing.state.angular_velocity.norm());
        return 0;
    } catch (const dx::Error& problem) {
        fmt::print(stderr, "08_mallet_strikes: {}\n", problem.what());
        return 3;
    }
}
