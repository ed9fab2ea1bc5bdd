// BVH text: read, charted, written and read again.
#include "common.hpp"

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/io/bvh/bvh.hpp>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    fuzz::refuse_or_do([&] {
        const std::string_view text(reinterpret_cast<const char*>(data), size);
        const dendraxis::Character character = dendraxis::io::parse_bvh(text, "input");
        dendraxis::chart(character);
        for (const dendraxis::Clip& clip : character.clips)
            dendraxis::io::parse_bvh(dendraxis::io::bvh_text(character.skeleton, clip), "again");
    });
    return 0;
}
