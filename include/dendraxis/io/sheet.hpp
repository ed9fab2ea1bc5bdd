// Rig sheets and pairings as JSON files.
#pragma once

#include <dendraxis/chart/explain.hpp>
#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/chart/survey.hpp>
#include <dendraxis/ik/solve_clip.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/compare.hpp>

#include <filesystem>
#include <string>

namespace dendraxis::io {

/// A character with its chart.
struct Rig {
    Character character;
    Chart chart;
    std::string sheet;  ///< the text of the sheet it came from; empty where there was none
};

/// Opens a character file and charts it, or a rig sheet (.json) and the character it names (relative to the
/// sheet). `fps` as in `LoadOptions`. Throws `Error` with the JSON pointer or line of what is wrong.
Rig load_rig(const std::filesystem::path& file, float fps = 0.0f);

/// Charts anew the character that a sheet names, or `character` where one is given (another one with the same
/// skeleton). What a person decided in the sheet stays: all that its `set` names, and all else in it that
/// differs from what is found now; the rest is found.
Rig rechart(const std::filesystem::path& sheet, const std::filesystem::path& character = {});

/// Throws `Error` if `out` is the sheet of another character than the one in the file `character`.
void refuse_other_sheet(const std::filesystem::path& out, const std::filesystem::path& character);

/// A pairing file, for these two characters, with all its settings. Chains it does not mention are left
/// unpaired. Throws `Error`, naming the nearest chain, bone, stance or clip where one does not exist.
Pairing read_pairing(const std::filesystem::path& file, const Rig& source, const Rig& target);

/// The texts of the files and of the tool's `--json`. `folder` is where a sheet will stand: its character is
/// named relative to it.
/// Of a sheet `before` that is written over, unknown keys are kept.
std::string sheet_json(const Chart& chart, const std::filesystem::path& folder = {},
                       const std::string& before = {});
std::string pairing_json(const Pairing& pairing);
std::string survey_json(const Survey& survey);
std::string explanation_json(const Skeleton& skeleton, const BoneExplanation& explanation);
std::string comparison_json(const Comparison& comparison);
std::string findings_json(const Findings& findings);
std::string picture_json(const std::string& file, int width, int height, std::size_t panels);

/// What `retarget --json` tells of each clip.
struct RetargetReport {
    struct Line {
        std::string clip;
        std::string file;
        std::size_t frames = 0;
        float fps = 0.0f;
        std::string status;  ///< `done`, `up to date` or `failed`
        std::string error;   ///< why it failed
        std::string verdict =
            {};  ///< `right`, or what the review found first; empty where it was not looked at
    };
    std::vector<Line> clips;
    float leg_ratio = 1.0f;
    float hips_ratio = 1.0f;
    std::size_t chains = 0;  ///< that are paired
    Findings findings;
};

std::string report_json(const RetargetReport& report);
std::string report_json(const Pairing& pairing);
std::string review_json(const Review& review);
std::string solved_json(const Chart& chart, const SolvedClip& solved, const Findings& findings);

}  // namespace dendraxis::io
