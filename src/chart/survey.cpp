#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/survey.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace dendraxis {
namespace {

ClipSummary summarize(const Clip& clip, const Chart& chart) {
    ClipSummary summary{clip.name, clip.fps, clip.frame_count(), clip.seconds(), 0.0f, 0};
    for (std::size_t bone = 0; bone < clip.bone_count && clip.frame_count() > 0; ++bone) {
        const Transform& first = clip.frame(0)[bone];
        const float slide = 1e-4f * std::max(first.translation.norm(), 1e-3f);
        bool moves = false;
        for (std::size_t f = 1; f < clip.frame_count() && !moves; ++f) {
            const Transform& now = clip.frame(f)[bone];
            moves = angle_between(first.rotation, now.rotation) > 0.05f / k_degrees ||
                    (now.translation - first.translation).norm() > slide;
        }
        summary.moving += moves ? 1 : 0;
    }
    const int carrier = chart.root != k_no_bone ? chart.root : chart.hips;
    if (carrier == k_no_bone || clip.frame_count() == 0) return summary;
    std::vector<Transform> model(clip.bone_count);
    const auto position = [&](std::size_t frame) {
        to_model_space(chart.skeleton, clip.frame(frame), model);
        return model[static_cast<std::size_t>(carrier)].translation;
    };
    const Vec3 moved = position(clip.frame_count() - 1) - position(0);
    summary.root_motion = (moved - chart.up * chart.up.dot(moved)).norm();
    return summary;
}

// glTF's unit is the metre; files in others are told with the two units that would suit best.
std::string guess_unit(const Chart& chart, Findings& findings) {
    const float height = chart.height;
    if (is_usual_height(height)) return fmt::format("metre (it stands {:.2f} tall)", height);
    if (!(height > 0.0f)) return "unknown (it has no height)";
    const std::vector<LengthUnit> likely = likely_units(height);
    const auto tall = [&](const LengthUnit& unit) {
        return fmt::format("{} ({:.2f} m tall)", unit.name, height * unit.metres);
    };
    findings.push_back(
        {Severity::warning, "survey.unit", chart.character,
         fmt::format(
             "it stands {:.1f} units tall, which glTF reads as metres; its unit may be the {} or the {}",
             height, tall(likely[0]), tall(likely[1])),
         "set the unit when exporting, or put a scaled node above the bones; retargeting works as it is"});
    return fmt::format("{}, by its size: it stands {:.1f} units tall", tall(likely[0]), height);
}

// Where a skin was bound to another pose than the rest, the bones do not lie where the surface expects them.
void compare_rest_with_bind(const Character& character, Findings& findings) {
    std::vector<Affine> rest(character.skeleton.size());
    to_model_matrices(character.skeleton, rest_pose(character.skeleton), rest);
    const Extents extents = rest_extents(character.skeleton, character.meshes);
    const float size = std::max((extents.high - extents.low).norm(), 1e-6f);
    std::size_t apart = 0;
    std::string worst;
    float most = 0.0f;
    for (const SkinnedMesh& mesh : character.meshes) {
        if (mesh.bones.size() < 2) continue;
        const Affine to_model = rest[static_cast<std::size_t>(mesh.bones[0])] * mesh.inverse_bind[0];
        for (std::size_t k = 1; k < mesh.bones.size(); ++k) {
            const Affine bind = to_model * mesh.inverse_bind[k].inverse();
            const auto bone = static_cast<std::size_t>(mesh.bones[k]);
            const float distance = (bind.translation() - rest[bone].translation()).norm() / size;
            if (distance > 0.002f) ++apart;
            if (distance > most) {
                most = distance;
                worst = character.skeleton.bones()[bone].label;
            }
        }
        if (apart > 0) break;
    }
    if (apart == 0) return;
    findings.push_back({Severity::note, "survey.rest-is-not-bind", worst,
                        fmt::format("{} bones rest elsewhere than where the skin was bound", apart),
                        "retargeting goes by the rest; check that it is the stance you mean"});
}

void check_bones(const Character& character, Findings& findings) {
    std::map<std::string, int> uses;
    for (const Bone& bone : character.skeleton.bones()) {
        ++uses[bone.name];
        const float scale = bone.rest.scale.x();
        if (std::abs(scale - 1.0f) > 1e-3f && scale > 0.0f) {
            findings.push_back(
                {Severity::note, "survey.scaled-bone", bone.label,
                 fmt::format("the bone is scaled by {:g} at rest", scale),
                 "what hangs below it is in another size than its numbers say; fine here, a trap elsewhere"});
        }
    }
    for (const auto& [name, count] : uses) {
        if (count < 2) continue;
        findings.push_back({Severity::warning, "survey.duplicate-name", name,
                            name.empty() ? fmt::format("{} bones have no name", count)
                                         : fmt::format("{} bones have this name", count),
                            "they are written as #NODE_INDEX; give each a name of its own where other "
                            "programs are to find it"});
    }
}

void check_clips(const Survey& survey, Findings& findings) {
    for (const ClipSummary& clip : survey.clips) {
        if (clip.moving == 0) {
            findings.push_back({Severity::warning, "survey.still-clip", clip.name,
                                "nothing moves in this clip", "check its export"});
        }
    }
}

}  // namespace

std::string axis_name(const Vec3& moved) {
    for (int axis = 0; axis < 3; ++axis) {
        if (std::abs(moved[axis]) > 0.9999f)
            return fmt::format("{}{}", moved[axis] < 0 ? '-' : '+', "XYZ"[axis]);
    }
    return fmt::format("({:.2f}, {:.2f}, {:.2f})", moved.x(), moved.y(), moved.z());
}

Survey survey(const Character& character) {
    return survey(character, chart(character));
}

Survey survey(const Character& character, Chart chart) {
    Survey result;
    result.chart = std::move(chart);
    result.findings = character.findings;
    result.findings.insert(result.findings.end(), result.chart.findings.begin(), result.chart.findings.end());
    result.meshes = character.meshes.size();
    for (const SkinnedMesh& mesh : character.meshes) {
        result.vertices += mesh.positions.size();
        result.triangles += mesh.triangles.size();
    }
    result.unit = guess_unit(result.chart, result.findings);
    result.axes = fmt::format("{} up, facing {}", axis_name(result.chart.up), axis_name(result.chart.facing));
    if (result.chart.up != Vec3(Vec3::UnitY())) {
        result.findings.push_back({Severity::warning, "survey.up-axis", character.name,
                                   "it stands along " + axis_name(result.chart.up) + " where glTF has +Y up",
                                   "set the up axis when exporting; retargeting works as it is"});
    }
    for (const Clip& clip : character.clips) result.clips.push_back(summarize(clip, result.chart));
    check_bones(character, result.findings);
    compare_rest_with_bind(character, result.findings);
    check_clips(result, result.findings);
    return result;
}

}  // namespace dendraxis
