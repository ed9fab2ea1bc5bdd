// Puppets' parts files; their pictures stand beside them.
#include "common.hpp"
#include "json_mutation.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/sheet/sheet.hpp>

#include <array>

extern "C" std::size_t LLVMFuzzerCustomMutator(std::uint8_t* data, std::size_t size, std::size_t most,
                                               unsigned int seed) {
    return fuzz::mutate_text(data, size, most, seed, 0);
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    static const bool has_picture = [] {
        constexpr std::array<std::uint8_t, 29> k_png{0x89, 'P', 'N', 'G', '\r', '\n', 0x1a, '\n', 0, 0,
                                                     0,    13,  'I', 'H', 'D',  'R',  0,    0,    0, 16,
                                                     0,    0,   0,   9,   8,    6,    0,    0,    0};
        fuzz::file_with("part.png", k_png.data(), k_png.size());
        return true;
    }();
    (void)has_picture;
    const auto file = fuzz::file_with("input.puppet.json", data, size);
    fuzz::refuse_or_do([&] { dendraxis::io::load_rig(file); });
    return 0;
}
