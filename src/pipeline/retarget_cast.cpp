#include <dendraxis/pipeline/retarget_cast.hpp>

#include "motions.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/mend.hpp>

#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <mutex>

namespace dendraxis::pipeline {
namespace {

namespace fs = std::filesystem;

std::vector<Clip> wanted_clips(const Character& source, const std::vector<std::string>& names) {
    std::vector<Clip> clips;
    for (const std::string& name : names) clips.push_back(source.clip(name));
    if (names.empty()) clips = source.clips;
    for (Clip& clip : clips) mend_clip(source.skeleton, clip);
    if (clips.empty())
        throw Error(source.file, "holds no clips", "", "name the character whose clips the cast plays");
    return clips;
}

void write_entry(const io::CastEntry& entry, const std::vector<Clip>& clips, CastLine& line) {
    const Transfer transfer(*entry.pairing);
    std::vector<Clip> results;
    for (const Clip& clip : clips) {
        results.push_back(transfer.apply(clip));
        const Review review = judge(*entry.pairing, {review_clip(*entry.pairing, clip, results.back())});
        line.right += review.passed ? 1 : 0;
        line.findings.insert(line.findings.end(), review.findings.begin(), review.findings.end());
    }
    const io::OutputFile file{line.file, io::glb_with_clips(entry.rig->character, results)};
    io::write_files({&file, 1}, false);
    line.clips = results.size();
}

}  // namespace

std::vector<CastLine> retarget_cast(const io::CastFile& cast, const std::vector<std::string>& names,
                                    const fs::path& out_dir, int jobs, const Progress& progress) {
    const std::vector<Clip> clips = wanted_clips(cast.source.character, names);
    std::vector<fs::path> inputs{cast.source.character.file};
    for (const io::CastEntry& entry : cast.entries) {
        if (entry.rig) inputs.emplace_back(entry.rig->character.file);
    }
    const io::ReadFiles read(inputs);
    std::vector<CastLine> lines;
    for (const io::CastEntry& entry : cast.entries) {
        CastLine& line = lines.emplace_back();
        line.id = entry.id;
        line.problem = entry.problem;
        if (!entry.pairing) continue;
        line.file = (out_dir / detail::file_name(entry.id)).string();
        for (const CastLine& other : lines) {
            if (&other != &line && other.file == line.file)
                throw Error("cast", "'" + other.id + "' and '" + line.id + "' would be written to one file",
                            line.file, "change one of the ids");
        }
        read.refuse_to_replace(line.file);
    }
    io::remove_unfinished(out_dir);
    std::mutex mutex;
    std::size_t done = 0;
    tbb::task_arena arena(std::max(1, jobs));
    arena.execute([&] {
        tbb::parallel_for(std::size_t{0}, lines.size(), [&](std::size_t i) {
            try {
                if (cast.entries[i].pairing) write_entry(cast.entries[i], clips, lines[i]);
            } catch (const Error& problem) {
                lines[i].problem = problem.what();
                lines[i].file.clear();
            }
            const std::lock_guard lock(mutex);
            if (progress) progress(++done, lines.size(), lines[i].id);
        });
    });
    return lines;
}

}  // namespace dendraxis::pipeline
