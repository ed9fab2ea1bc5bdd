// glTF documents whose buffer and picture stand beside them.
#include "common.hpp"
#include "json_mutation.hpp"

#include <dendraxis/io/gltf/gltf.hpp>

#include <vector>

extern "C" std::size_t LLVMFuzzerCustomMutator(std::uint8_t* data, std::size_t size, std::size_t most,
                                               unsigned int seed) {
    return fuzz::mutate_text(data, size, most, seed, 0);
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    static const bool has_parts = [] {
        const std::vector<std::uint8_t> zeros(256);
        fuzz::file_with("part.bin", zeros.data(), zeros.size());
        fuzz::file_with("part.png", zeros.data(), 8);
        return true;
    }();
    (void)has_parts;
    const auto file = fuzz::file_with("input.gltf", data, size);
    fuzz::refuse_or_do([&] {
        const dendraxis::Character character = dendraxis::io::load_character(file);
        dendraxis::io::glb_with_clips(character, character.clips);
    });
    return 0;
}
