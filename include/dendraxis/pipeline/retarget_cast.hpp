// All clips of a cast's source onto all its bodies.
#pragma once

#include <dendraxis/io/sheet/cast_file.hpp>
#include <dendraxis/pipeline/retarget_set.hpp>

#include <filesystem>
#include <string>
#include <vector>

namespace dendraxis::pipeline {

/// What became of one entry of the cast.
struct CastLine {
    std::string id;
    std::string file;  ///< what was written; empty if nothing was
    std::size_t clips = 0;
    std::string problem;    ///< why nothing was written, in one line
    std::size_t right = 0;  ///< clips that the review finds nothing wrong with
    Findings findings;
};

/// Writes ID.glb into the folder for every entry that can follow: its character with the source's clips, by
/// name or all of them. An entry that cannot says why in `problem` and does not stop the others. The result
/// is the same for any number of threads (`jobs`). Throws `Error` if a clip does not exist or a file that the
/// cast reads would be written over.
std::vector<CastLine> retarget_cast(const io::CastFile& cast, const std::vector<std::string>& clips,
                                    const std::filesystem::path& out_dir, int jobs,
                                    const Progress& progress = {});

}  // namespace dendraxis::pipeline
