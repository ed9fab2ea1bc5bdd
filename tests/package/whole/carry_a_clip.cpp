// Carries a clip with the installed library, and touches each of its targets.
#include <dendraxis/draw/picture.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/pipeline/retarget_set.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/sim/world.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/version.hpp>

#include <cstdio>
#include <filesystem>

int main(int count, char** words) {
    namespace dx = dendraxis;
    if (count != 2) return 2;
    const std::filesystem::path harbour = words[1];
    const dx::Character diver = dx::io::load_character(harbour / "diver.glb");
    const dx::Character bosun = dx::io::load_character(harbour / "bosun.glb");
    const dx::Pairing pairing = dx::pair(dx::chart(diver), dx::chart(bosun));
    const dx::Clip carried = dx::Transfer(pairing).apply(diver.clip("stroll"));
    dx::sim::World world;
    world.step(0.1f);
    const bool refused = [&] {
        try {
            dx::pipeline::retarget_set({});
        } catch (const std::exception&) {
            return true;
        }
        return false;
    }();
    dx::draw::Panel panel;
    panel.character = &bosun;
    panel.chart = &pairing.target;
    panel.pose = dx::rest_pose(bosun.skeleton);
    const bool drawn = !dx::draw::draw_png({&panel, 1}).empty();
    std::printf("dendraxis %s: %zu frames\n", dx::k_version.data(), carried.frame_count());
    return carried.frame_count() == diver.clip("stroll").frame_count() && refused && drawn ? 0 : 1;
}
