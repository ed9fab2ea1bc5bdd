#include <dendraxis/io/sheet/cast_file.hpp>

#include "../json/json_document.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/format.h>

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

// Names, sizes and times tell whether files are still those that were read.
std::string stamp_of(std::span<const fs::path> files) {
    std::string stamp;
    for (const fs::path& file : files) {
        std::error_code gone;
        stamp += fmt::format("{} {} {}\n", file.string(), fs::file_size(file, gone),
                             fs::last_write_time(file, gone).time_since_epoch().count());
    }
    return stamp;
}

std::string stamp_of_named(const CastEntry& entry) {
    return stamp_of(std::vector<fs::path>{entry.file, entry.pairing_file});
}

// Of the character that a sheet names, and of what lies beside it.
std::string stamp_of_drawn_in(const CastEntry& entry) {
    std::vector<fs::path> files{entry.rig ? fs::path(entry.rig->character.file) : entry.file};
    try {
        const std::vector<fs::path> beside = files_beside(files.front());
        files.insert(files.end(), beside.begin(), beside.end());
    } catch (const Error&) {
        // It cannot be read now; its own size and time tell when it changes.
    }
    return stamp_of(files);
}

// Leaves the entry as it is and says why if it cannot be used.
void read_entry(const Rig& source, CastEntry& entry) {
    entry.problem.clear();
    const std::string named =
        stamp_of_named(entry);  // before it is read: a change meanwhile is seen next time
    try {
        require_file(entry.file);
        Rig rig = load_rig(entry.file);
        require_hips(rig.chart);
        if (!entry.pairing_file.empty()) require_file(entry.pairing_file);
        Pairing pairing = entry.pairing_file.empty() ? pair(source.chart, rig.chart)
                                                     : read_pairing(entry.pairing_file, source, rig);
        if (!pairing.is_same_build() && pairing.chains.empty())
            throw Error(entry.file.string(), "has nothing that answers to any chain of the source", "",
                        "see what `dendraxis chart` says of it");
        entry.rig = std::move(rig);
        entry.pairing = std::move(pairing);
    } catch (const Error& problem) {
        entry.problem = problem.what();
    }
    entry.stamp = named + stamp_of_drawn_in(entry);
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
        entry.file = folder / said["character"].get<std::string>();
        if (said.contains("pairing")) entry.pairing_file = folder / said["pairing"].get<std::string>();
        read_entry(cast.source, entry);
    }
    return cast;
}

std::vector<std::size_t> read_changed(CastFile& cast) {
    std::vector<std::size_t> changed;
    for (std::size_t i = 0; i < cast.entries.size(); ++i) {
        CastEntry& entry = cast.entries[i];
        if (stamp_of_named(entry) + stamp_of_drawn_in(entry) == entry.stamp) continue;
        read_entry(cast.source, entry);
        changed.push_back(i);
    }
    return changed;
}

std::vector<CastBody> bodies_of(const CastFile& cast) {
    std::vector<CastBody> bodies;
    for (const CastEntry& entry : cast.entries) {
        if (entry.pairing) bodies.push_back({entry.id, *entry.pairing});
    }
    return bodies;
}

}  // namespace dendraxis::io
