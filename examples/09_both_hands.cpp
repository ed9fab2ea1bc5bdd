// A mallet mounted in the right hand, sized to whoever holds it, and the left hand brought to its second grip
// in every frame of a clip; written as plain nodes. Usage: 09_both_hands CHARACTER CLIP OUT.glb
#include <dendraxis/base/error.hpp>
#include <dendraxis/equip/bring_sockets.hpp>
#include <dendraxis/equip/second_hand.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/props/props.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

namespace dx = dendraxis;

int main(int count, char** words) {
    if (count != 4) {
        fmt::print(stderr, "usage: {} CHARACTER CLIP OUT.glb\n", words[0]);
        return 2;
    }
    try {
        const dx::Character character = dx::io::load_character(words[1]);
        const dx::Chart chart = dx::chart(character);
        const dx::SocketBinding sockets(dx::suggested_sockets(character, chart), chart);
        const auto find = [&](const char* name) {
            for (std::size_t s = 0; s < sockets.sockets().size(); ++s)
                if (sockets.sockets()[s].name == name) return s;
            throw dx::Error(words[1], std::string("has no socket '") + name + "'");
        };

        const dx::Prop mallet = dx::io::load_prop(DENDRAXIS_DEMO_FOLDER "/mallet.glb");
        dx::PropFit fit;
        fit.scale = chart.height / 1.8f;
        const std::vector<dx::PropMount> mounts{{&mallet, find("hand.right"), fit}};
        for (const dx::Finding& finding : dx::check_mounts(character, chart, sockets, mounts))
            fmt::print("{}: {}\n", finding.code, finding.message);

        const dx::TwoHanded held{mounts[0].socket, dx::placement_of(mallet, fit), find("hand.left"),
                                 mallet.grip("grip.second")};
        const dx::TwoHandedClip done = dx::bring_second_hand(chart, sockets, held, character.clip(words[2]));
        fmt::print(
            "{}: the left hand is at its grip in {} of {} frames; at most {:.1f} cm off, in frame {}\n",
            done.clip.name, done.clip.frame_count() - done.out_of_reach, done.clip.frame_count(),
            100.0f * done.worst, done.worst_frame);

        const dx::io::OutputFile file{
            words[3], dx::io::glb_with_props(character, sockets, mounts, {}, {&done.clip, 1})};
        dx::io::write_files({&file, 1});
        return 0;
    } catch (const dx::Error& problem) {
        fmt::print(stderr, "09_both_hands: {}\n", problem.what());
        return 3;
    }
}
