// GLB and glTF: read, charted, posed, written again. Half of the mutations change one value of the JSON, so
// that most inputs get past the parser.
#include "common.hpp"
#include "json_mutation.hpp"

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <vector>

namespace {

using fuzz::Json;
using Bytes = std::vector<std::uint8_t>;

constexpr std::size_t k_header = 20;  // of a GLB, up to its JSON

std::uint32_t word(const std::uint8_t* at) {
    return static_cast<std::uint32_t>(at[0]) | static_cast<std::uint32_t>(at[1]) << 8 |
           static_cast<std::uint32_t>(at[2]) << 16 | static_cast<std::uint32_t>(at[3]) << 24;
}

void put_word(Bytes& bytes, std::size_t at, std::size_t value) {
    for (std::size_t i = 0; i < 4; ++i) bytes[at + i] = static_cast<std::uint8_t>(value >> (8 * i));
}

}  // namespace

extern "C" std::size_t LLVMFuzzerCustomMutator(std::uint8_t* data, std::size_t size, std::size_t most,
                                               unsigned int seed) {
    std::mt19937 random(seed);
    const bool is_glb = size > k_header && word(data) == 0x46546c67u;
    const std::size_t length = is_glb ? word(data + 12) : 0;
    if (random() % 2 == 0 || !is_glb || length > size - k_header) return LLVMFuzzerMutate(data, size, most);
    Json json = Json::parse(data + k_header, data + k_header + length, nullptr, false);
    if (json.is_discarded()) return LLVMFuzzerMutate(data, size, most);
    fuzz::mutate(json, random);
    std::string text = fuzz::text_of(json);
    text.resize((text.size() + 3) / 4 * 4, ' ');
    Bytes bytes(data, data + k_header);
    bytes.insert(bytes.end(), text.begin(), text.end());
    bytes.insert(bytes.end(), data + k_header + length, data + size);
    put_word(bytes, 8, bytes.size());
    put_word(bytes, 12, text.size());
    if (bytes.size() > most) return LLVMFuzzerMutate(data, size, most);
    std::copy(bytes.begin(), bytes.end(), data);
    return bytes.size();
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    fuzz::refuse_or_do([&] {
        const std::span<const std::uint8_t> bytes(data, size);
        const dendraxis::Character character = dendraxis::io::read_character(bytes, "input");
        const dendraxis::Chart chart = dendraxis::chart(character);
        dendraxis::io::glb_with_clips(bytes, character, character.clips);
        dendraxis::io::new_glb(character);
        if (chart.hips == dendraxis::k_no_bone) return;
        const dendraxis::Transfer transfer(dendraxis::pair(chart, chart));
        for (const dendraxis::Clip& clip : character.clips) transfer.apply(clip);
    });
    return 0;
}
