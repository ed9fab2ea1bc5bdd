// One mallet, three places: in the hand until it has struck, then it goes to the belt, then in one jump to
// the back. What a game asks every frame, and the same baked into a file. Usage: 10_hand_belt_back OUT.glb
#include <dendraxis/base/error.hpp>
#include <dendraxis/equip/bring_sockets.hpp>
#include <dendraxis/equip/carry.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/props/props.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/core.h>

namespace dx = dendraxis;

int main(int count, char** words) {
    if (count != 2) {
        fmt::print(stderr, "usage: {} OUT.glb\n", words[0]);
        return 2;
    }
    try {
        const dx::Character diver = dx::io::load_character(DENDRAXIS_DEMO_FOLDER "/diver.glb");
        const dx::Prop mallet = dx::io::load_prop(DENDRAXIS_DEMO_FOLDER "/mallet.glb");
        const dx::Chart chart = dx::chart(diver);
        const std::vector<dx::Socket> all = dx::suggested_sockets(diver, chart);
        std::vector<dx::Socket> used;
        for (const char* name : {"hand.right", "belt.right", "back"})
            used.push_back(*dx::find_socket(all, name));
        const dx::SocketBinding sockets(used, chart);
        const dx::Clip& clip = diver.clip("swing-mallet");

        // From frame 48 it glides to the belt in ten frames; in frame 64 it jumps to the back.
        const std::vector<dx::CarrySwitch> switches{{48.0f, 1, 10.0f}, {64.0f, 2, 0.0f}};
        const dx::Transform placement = dx::placement_of(mallet, {});
        const dx::CarryPlan plan({{0, placement}, {1, placement}, {2, placement}}, switches);
        std::vector<dx::Transform> model(diver.skeleton.size());
        for (std::size_t f = 0; f < clip.frame_count(); f += 6) {
            dx::to_model_space(diver.skeleton, clip.frame(f), model);
            const auto frame = static_cast<float>(f);
            const dx::CarryPlan::Now now = plan.at(frame);
            const dx::Vec3 at = plan.frame(sockets, frame, model).translation;
            fmt::print("frame {:2}: {:<10} {:3.0f} %  at {:5.2f} {:5.2f} {:5.2f}\n", f, used[now.to].name,
                       100.0f * now.share, at.x(), at.y(), at.z());
        }
        for (std::size_t i = 0; i < switches.size(); ++i)
            fmt::print("switch {}: jumps {:.2f} m\n", i + 1,
                       dx::jump_of(plan, i, sockets, diver.skeleton, clip));

        dx::CarriedProp carried;
        carried.prop = &mallet;
        carried.sockets = {0, 1, 2};
        carried.switches[clip.name] = switches;
        const dx::io::OutputFile file{words[1], dx::io::glb_with_props(diver, sockets, {}, {&carried, 1})};
        dx::io::write_files({&file, 1});
        return 0;
    } catch (const dx::Error& problem) {
        fmt::print(stderr, "10_hand_belt_back: {}\n", problem.what());
        return 3;
    }
}
