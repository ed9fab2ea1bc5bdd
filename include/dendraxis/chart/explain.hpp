// Why a bone has the role that it has.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <string>
#include <vector>

namespace dendraxis {

/// One piece of evidence: what it is, and how much it speaks for the role (against it, if negative), in the
/// unit of log-likelihoods that whole charts are scored in.
struct Evidence {
    std::string what;
    float weight = 0.0f;
};

struct BoneExplanation {
    int bone = k_no_bone;
    std::string role;                ///< name of its chain, `hips`, `root`, or `helper: KIND`
    float confidence = 0.0f;         ///< of its chain; 0 for helpers
    std::vector<Evidence> evidence;  ///< the heaviest first
    std::string
        runner_up;        ///< its role in the best other chart that gives it another; empty if there is none
    float margin = 0.0f;  ///< how much better the chart that was taken scores than that one
};

/// Explains the role of one bone in the chart that `chart` finds for this character. Throws `Error` if there
/// is no such bone.
BoneExplanation explain(const Character& character, int bone);

/// One of several charts of a character, and its score. Scores mean something only beside each other.
struct ScoredChart {
    Chart chart;
    float score = 0.0f;
};

/// The charts that score best, at most `most` of them, the best first; each differs from those before it in
/// the bones of a main chain, in up or in the hips. Empty if no chart scores high enough for a body.
std::vector<ScoredChart> best_charts(const Character& character, std::size_t most);

}  // namespace dendraxis
