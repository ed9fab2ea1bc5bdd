// Rig sheets and, by the first byte, pairings, casts and props, for the demo's bosun.
#include "common.hpp"
#include "json_mutation.hpp"

#include <dendraxis/io/props/props.hpp>
#include <dendraxis/io/sheet/cast_file.hpp>
#include <dendraxis/io/sheet/ragdoll_sheet.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/sheet/socket_sheet.hpp>
#include <dendraxis/io/sheet/sway_sheet.hpp>
#include <dendraxis/io/sheet/windows.hpp>

namespace {

namespace fs = std::filesystem;

void copy_beside(const fs::path& file, const char* name) {
    if (!fs::exists(file.parent_path() / name))
        fs::copy(fs::path(DENDRAXIS_DEMO_FOLDER) / name, file.parent_path() / name);
}

}  // namespace

extern "C" std::size_t LLVMFuzzerCustomMutator(std::uint8_t* data, std::size_t size, std::size_t most,
                                               unsigned int seed) {
    return fuzz::mutate_text(data, size, most, seed, 1);
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    if (size == 0) return 0;
    const char* names[] = {"input.rig.json", "input.pair.json", "input.cast.json", "mallet.prop.json"};
    const std::size_t kind = data[0] % 4;
    const fs::path file = fuzz::file_with(names[kind], data + 1, size - 1);
    for (const char* name : {"lantern-man.glb", "mallet.glb"}) copy_beside(file, name);
    static const dendraxis::io::Rig puppet =
        dendraxis::io::load_rig(fs::path(DENDRAXIS_DEMO_FOLDER) / "lantern-man.glb");
    fuzz::refuse_or_do([&] {
        if (kind == 0) {
            const dendraxis::io::Rig rig = dendraxis::io::load_rig(file);
            dendraxis::Findings findings;
            dendraxis::io::sockets_of(rig, findings);
            dendraxis::io::read_ragdoll(rig);
            dendraxis::io::read_sway(rig);
            dendraxis::io::read_windows(rig);
        }
        if (kind == 1) dendraxis::io::read_pairing(file, puppet, puppet);
        if (kind == 2) dendraxis::io::read_cast(file);
        if (kind == 3) dendraxis::io::load_prop(file.parent_path() / "mallet.glb");
    });
    return 0;
}
