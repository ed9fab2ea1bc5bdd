// What the commands print with --json.
#include "json_text.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/sheet.hpp>

namespace dendraxis::io {

std::string survey_json(const Survey& survey) {
    const Chart& chart = survey.chart;
    Json clips = Json::array();
    for (const ClipSummary& clip : survey.clips) {
        clips.push_back({{"name", clip.name},
                         {"fps", rounded(clip.fps)},
                         {"frames", clip.frames},
                         {"seconds", rounded(clip.seconds)},
                         {"root_motion", rounded(clip.root_motion)},
                         {"moving_bones", clip.moving}});
    }
    Json bones = Json::array();
    for (const Bone& bone : chart.skeleton.bones()) {
        bones.push_back({{"bone", bone.label}, {"parent", bone_json(chart.skeleton, bone.parent)}});
    }
    return text_of({{"character",
                     {{"file", chart.file},
                      {"up", json_of(chart.up)},
                      {"facing", json_of(chart.facing)},
                      {"height", rounded(chart.height)},
                      {"floor", rounded(chart.floor)},
                      {"rest_floor", rounded(chart.rest_floor)},
                      {"stance", to_string(chart.stance)},
                      {"unit", survey.unit}}},
                    {"confidence", rounded(chart.confidence)},
                    {"hips", bone_json(chart.skeleton, chart.hips)},
                    {"root", bone_json(chart.skeleton, chart.root)},
                    {"bones", bones},
                    {"meshes", survey.meshes},
                    {"vertices", survey.vertices},
                    {"triangles", survey.triangles},
                    {"clips", clips},
                    {"findings", json_of(survey.findings)}});
}

std::string explanation_json(const Skeleton& skeleton, const BoneExplanation& explanation) {
    Json evidence = Json::array();
    for (const Evidence& piece : explanation.evidence)
        evidence.push_back({{"what", piece.what}, {"weight", rounded(piece.weight)}});
    return text_of({{"bone", bone_json(skeleton, explanation.bone)},
                    {"role", explanation.role},
                    {"confidence", rounded(explanation.confidence)},
                    {"evidence", evidence},
                    {"runner_up", explanation.runner_up},
                    {"margin", rounded(explanation.margin)}});
}

std::string comparison_json(const Comparison& comparison) {
    Json differences = Json::array();
    for (const BoneDifference& d : comparison.differences) {
        differences.push_back({{"bone", d.bone},
                               {"what", d.what},
                               {"other", d.other},
                               {"metres", rounded(d.metres)},
                               {"degrees", rounded(d.degrees)}});
    }
    return text_of({{"likeness", to_string(comparison.likeness)},
                    {"differences", differences},
                    {"advice", comparison.advice}});
}

std::string findings_json(const Findings& findings) {
    return text_of({{"findings", json_of(findings)}});
}

std::string picture_json(const std::string& file, int width, int height, std::size_t panels) {
    return text_of({{"file", file}, {"width", width}, {"height", height}, {"panels", panels}});
}

std::string report_json(const RetargetReport& report) {
    Json clips = Json::array();
    for (const RetargetReport::Line& line : report.clips) {
        clips.push_back({{"clip", line.clip},
                         {"file", line.file},
                         {"frames", line.frames},
                         {"fps", rounded(line.fps)},
                         {"status", line.status}});
        if (!line.error.empty()) clips.back()["error"] = line.error;
        if (!line.verdict.empty()) clips.back()["verdict"] = line.verdict;
    }
    return text_of({{"clips", clips},
                    {"leg_ratio", rounded(report.leg_ratio)},
                    {"hips_ratio", rounded(report.hips_ratio)},
                    {"findings", json_of(report.findings)}});
}

std::string solved_json(const Chart& chart, const SolvedClip& solved, const Findings& findings) {
    Json residuals = Json::array();
    for (const SolvedClip::Residual& residual : solved.residuals) {
        Json entry{{"name", residual.name}, {"frame", residual.frame}};
        if (residual.is_look)
            entry["worst_degrees"] = rounded(residual.worst * k_degrees);
        else
            entry["worst_mm"] = rounded(residual.worst * 1e3f);
        residuals.push_back(entry);
    }
    Json held_back = Json::array();
    for (const SolvedClip::HeldBack& joint : solved.held_back)
        held_back.push_back({{"bone", bone_json(chart.skeleton, joint.bone)}, {"frames", joint.frames}});
    return text_of({{"clip", solved.clip.name},
                    {"frames", solved.clip.frame_count()},
                    {"frames_reached", solved.frames_reached},
                    {"mean_iterations", rounded(static_cast<float>(solved.mean_iterations))},
                    {"residuals", residuals},
                    {"held_back", held_back},
                    {"findings", json_of(findings)}});
}

}  // namespace dendraxis::io
