#include <dendraxis/io/sheet/cast_file.hpp>

#include "../json/json_document.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/write_file.hpp>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;

// Throws, naming the nearest file of the folder, where there is none of that name.
void require_file(const fs::path& file) {
    std::error_code ignored;
    if (fs::exists(file, ignored)) return;
    const std::string nearest = nearest_file(file);
    throw Error(ErrorCode::cannot_read, file.string(), "does not exist", "",
                nearest.empty() ? "check its path" : "did you mean '" + nearest + "'?");
}

void read_entry(const fs::path& folder, const Json& said, const Rig& source, CastEntry& entry) {
    try {
        entry.file = folder / said["character"].get<std::string>();
        require_file(entry.file);
        entry.rig = load_rig(entry.file);
        require_hips(entry.rig->chart);
        if (said.contains("pairing")) {
            const fs::path file = folder / said["pairing"].get<std::string>();
            require_file(file);
            entry.pairing = read_pairing(file, source, *entry.rig);
        } else {
            entry.pairing = pair(source.chart, entry.rig->chart);
        }
        if (!entry.pairing->is_same_build() && entry.pairing->chains.empty())
            throw Error(entry.file.string(), "has nothing that answers to any chain of the source", "",
                        "see what `dendraxis chart` says of it");
    } catch (const Error& problem) {
        entry.pairing.reset();
        entry.problem = problem.what();
    }
}

}  // namespace

CastFile read_cast(const fs::path& file) {
    const JsonDocument document = open_document(file, Schema::cast);
    const fs::path folder = file.parent_path();
    const fs::path source = folder / document.json["source"].get<std::string>();
    require_file(source);
    CastFile cast{load_rig(source), {}};
    require_hips(cast.source.chart);
    for (const auto& [id, said] : document.json["members"].items()) {
        CastEntry& entry = cast.entries.emplace_back();
        entry.id = id;
        read_entry(folder, said, cast.source, entry);
    }
    return cast;
}

std::vector<CastBody> bodies_of(const CastFile& cast) {
    std::vector<CastBody> bodies;
    for (const CastEntry& entry : cast.entries) {
        if (entry.pairing) bodies.push_back({entry.id, *entry.pairing});
    }
    return bodies;
}

}  // namespace dendraxis::io
