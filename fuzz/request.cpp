// What the page's server is sent: pairings to try and to keep, and chains, by the first byte.
#include "common.hpp"
#include "json_mutation.hpp"

#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/page/live_review.hpp>

namespace {

namespace fs = std::filesystem;

dendraxis::page::LiveReview& review() {
    static dendraxis::page::LiveReview one = [] {
        const fs::path folder = fuzz::file_with("nothing", nullptr, 0).parent_path();
        const fs::path man = fs::path(DENDRAXIS_DEMO_FOLDER) / "lantern-man.glb";
        fs::copy_file(man, folder / "man.glb", fs::copy_options::overwrite_existing);
        const dendraxis::io::Rig rig = dendraxis::io::load_rig(folder / "man.glb");
        dendraxis::io::write_text(folder / "man.rig.json", dendraxis::io::sheet_json(rig.chart, folder));
        return dendraxis::page::LiveReview(folder / "man.glb", folder / "man.rig.json",
                                           folder / "man.pair.json");
    }();
    return one;
}

}  // namespace

extern "C" std::size_t LLVMFuzzerCustomMutator(std::uint8_t* data, std::size_t size, std::size_t most,
                                               unsigned int seed) {
    return fuzz::mutate_text(data, size, most, seed, 1);
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    if (size == 0) return 0;
    const std::string text(reinterpret_cast<const char*>(data) + 1, size - 1);
    fuzz::refuse_or_do([&] {
        if (data[0] % 3 == 0) review().attempt("bow", text);
        if (data[0] % 3 == 1) review().keep(text);
        if (data[0] % 3 != 2) return;
        const fuzz::Json json = fuzz::Json::parse(text, nullptr, false);
        std::vector<std::string> bones;
        for (const fuzz::Json& one : json.is_array() ? json : fuzz::Json::array()) {
            if (one.is_string()) bones.push_back(one.get<std::string>());
        }
        review().keep_chain(true, "arm.left", bones);
    });
    return 0;
}
