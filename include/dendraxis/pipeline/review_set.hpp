// Many results in one go: files and folders of results against the clips that they came from.
#pragma once

#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/pipeline/retarget_set.hpp>
#include <dendraxis/review/review.hpp>

namespace dendraxis::pipeline {

struct ReviewSet {
    std::filesystem::path source;                ///< character or sheet; may be empty if there are motions
    std::vector<std::filesystem::path> motions;  ///< as for `RetargetSet`
    std::vector<std::filesystem::path> results;  ///< .glb and .gltf that `retarget` wrote, or folders of them
    std::filesystem::path target;                ///< the results' sheet; may be empty
    std::filesystem::path pairing;               ///< may be empty
    std::vector<std::string> clips;              ///< of the source, by name; none: all
    std::string prefix;  ///< what the results' names have before and behind the source's
    std::string suffix;
    int jobs = 1;  ///< threads; the report is the same for any number
};

/// A result with the clips that it has of one source file.
struct ReviewedFile {
    std::string name;  ///< as in the report's line
    const io::Rig& source;
    const io::Rig& result;
    const Pairing& pairing;
    std::vector<Clip> before;        ///< the source's clips, at the rates of the result's
    std::vector<const Clip*> after;  ///< the result's
    Review review;
};

/// Called for each reviewed file, from several threads at once.
using OnReviewed = std::function<void(const ReviewedFile& file)>;

struct ReviewReport {
    struct Line {
        std::string source;  ///< file
        std::string result;  ///< file
        Review review;
        std::vector<std::string> verdicts;  ///< one a reviewed clip: `verdict_on`
        std::string error;                  ///< why it could not be reviewed
        std::string name;  ///< unique: the result's path below the folder that holds all, without its ending
    };
    std::vector<Line> lines;  ///< in the order of results, then of motions
    Findings findings;        ///< about the whole set

    bool passed() const;
};

/// Reviews a set. Of several source files with a clip of one name the first counts. A source file whose bones
/// are those of `source` goes by its chart. The line of a result that cannot be reviewed says why, and the
/// others are reviewed all the same. Throws `Error` if that result is the only one, or if nothing can be done
/// at all.
ReviewReport review_set(const ReviewSet& set, const OnReviewed& on_reviewed = {},
                        const Progress& progress = {});

}  // namespace dendraxis::pipeline
