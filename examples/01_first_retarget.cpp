// Carries every clip of one character to another.
// Usage: 01_first_retarget [SOURCE.glb TARGET.glb OUT.glb]
#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/retarget/transfer.hpp>

#include <fmt/core.h>

namespace dx = dendraxis;

int main(int count, char** words) try {
    const bool given = count == 4;
    const dx::Character source =
        dx::io::load_character(given ? words[1] : DENDRAXIS_DEMO_FOLDER "/diver.glb");
    const dx::Character target =
        dx::io::load_character(given ? words[2] : DENDRAXIS_DEMO_FOLDER "/bosun.glb");

    const dx::Pairing pairing = dx::pair(dx::chart(source), dx::chart(target));  // found, not typed
    const dx::Transfer transfer(pairing);                                        // compiled once

    std::vector<dx::Clip> clips;
    for (const dx::Clip& clip : source.clips) clips.push_back(transfer.apply(clip));

    const dx::io::OutputFile file{given ? words[3] : "first-retarget.glb",
                                  dx::io::glb_with_clips(target, clips)};
    dx::io::write_files({&file, 1});
    for (const dx::Finding& finding : pairing.findings) fmt::print("{}\n", finding);
    fmt::print("{} clips from {} to {}: {}\n", clips.size(), source.name, target.name, file.path.string());
    return 0;
} catch (const dx::Error& problem) {
    fmt::print(stderr, "{}\n", problem.what());
    return 3;
}
