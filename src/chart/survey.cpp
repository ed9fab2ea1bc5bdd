#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/survey.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
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
    const int carrier = chart.ground != k_no_bone ? chart.ground : chart.hub;
    if (carrier == k_no_bone || clip.frame_count() == 0) return summary;
    std::vector<Transform> model(clip.bone_count);
    const auto place = [&](std::size_t frame) {
        to_model_space(chart.skeleton, clip.frame(frame), model);
        return model[static_cast<std::size_t>(carrier)].translation;
    };
    const Vec3 way = place(clip.frame_count() - 1) - place(0);
    summary.travel = (way - chart.up * chart.up.dot(way)).norm();
    return summary;
}

std::string guess_unit(const Chart& chart, Findings& findings) {
    const float height = chart.height;
    const auto odd = [&](const char* guess, float scale) {
        findings.push_back(
            {Severity::warning, "survey.unit", chart.character,
             fmt::format(
                 "it stands {:.1f} units tall, which glTF reads as metres; the unit seems to be the {}",
                 height, guess),
             "set the unit when exporting, or put a scaled node above the bones; retargeting works as it "
             "is"});
        return fmt::format("{} (it stands {:.1f} units tall, so {:.2f} m)", guess, height, height * scale);
    };
    if (height >= 0.2f && height <= 4.5f) return fmt::format("metre (it stands {:.2f} tall)", height);
    if (height > 60.0f && height <= 450.0f) return odd("centimetre", 0.01f);
    if (height > 600.0f && height <= 4500.0f) return odd("millimetre", 0.001f);
    return fmt::format("unknown (it stands {:g} units tall)", height);
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

std::string axis_name(const Vec3& direction) {
    for (int axis = 0; axis < 3; ++axis) {
        if (std::abs(direction[axis]) > 0.9999f)
            return fmt::format("{}{}", direction[axis] < 0 ? '-' : '+', "XYZ"[axis]);
    }
    return fmt::format("({:.2f}, {:.2f}, {:.2f})", direction.x(), direction.y(), direction.z());
}

Survey survey(const Character& character) {
    Survey result;
    result.chart = chart(character);
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
