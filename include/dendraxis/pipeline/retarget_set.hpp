// Many clips in one go: files and folders of motion onto one character.
#pragma once

#include <dendraxis/base/finding.hpp>

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

namespace dendraxis::pipeline {

struct RetargetSet {
    std::filesystem::path source;   ///< character or sheet; may be empty where there are motions
    std::filesystem::path target;   ///< character or sheet
    std::filesystem::path pairing;  ///< may be empty
    std::vector<std::filesystem::path>
        motions;                     ///< .glb, .gltf, .bvh, or folders of them; none: the source's own clips
    std::vector<std::string> clips;  ///< by name; none: all
    std::filesystem::path out;       ///< one file with all clips …
    std::filesystem::path out_dir;   ///< … or a folder with one file a clip
    std::string prefix;              ///< before and behind each clip's name
    std::string suffix;
    float fps = 0.0f;  ///< 0: as the motion has it
    int jobs = 1;      ///< threads; the result is the same for any number
};

/// What became of each clip.
struct RetargetReport {
    struct Line {
        std::string clip;
        std::string file;
        std::size_t frames = 0;
        float fps = 0.0f;
        std::string status;        ///< `done`, `up to date` or `failed`
        std::string error;         ///< why it failed
        std::string verdict = {};  ///< `right`, or what the review found first; empty if it was not looked at
    };
    std::vector<Line> clips;
    float leg_ratio = 1.0f;
    float hips_ratio = 1.0f;
    std::size_t chains = 0;  ///< that are paired
    Findings findings;
};

/// Called after each motion file, from any thread but never from two at once: how many of how many are done.
using Progress = std::function<void(std::size_t done, std::size_t all, const std::string& name)>;

/// Retargets a set. A motion whose bones are those of the source goes by the source's chart and the pairing;
/// any other is charted and paired by itself. A motion or clip that fails is reported, and the
/// others are still done. What is up to date (all that went into it has the bytes that it had, by a hash kept
/// in the written file) is left as it is. Throws `Error` where nothing can be done at all.
RetargetReport retarget_set(const RetargetSet& set, const Progress& progress = {});

}  // namespace dendraxis::pipeline
