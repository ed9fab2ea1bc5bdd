// Poses as a page holds them: positions in steps far below what can be seen, rotations in 16 bits, or whole
// matrices where a pose shears.
#include "parts.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>
#include <limits>

namespace dendraxis::page::detail {
namespace {

constexpr float k_shear = 1e-4f;            // of a bone's size
constexpr float k_fine = 0.05e-3f / 1.75f;  // of the character's height: what a position may be off

struct Track {
    std::vector<Transform> poses;
    bool is_rigid = true;  // each bone keeps its size, and nothing shears
};

void add_columns(std::vector<float>& numbers, const Affine& matrix) {
    for (std::ptrdiff_t column = 0; column < 4; ++column)
        numbers.insert(numbers.end(), matrix.data() + 4 * column, matrix.data() + 4 * column + 3);
}

Track track_of(const Skeleton& skeleton, const Clip& clip) {
    Track track;
    const std::size_t bones = skeleton.size();
    std::vector<Affine> matrices(bones);
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_matrices(skeleton, clip.frame(f), matrices);
        for (std::size_t b = 0; b < bones; ++b) {
            const Transform pose = from_affine(matrices[b]);
            const Vec3& first = f == 0 ? pose.scale : track.poses[b].scale;
            Transform kept = pose;
            kept.scale = first;
            const float off = (to_affine(kept).linear() - matrices[b].linear()).cwiseAbs().maxCoeff();
            if (off > k_shear * std::max(first.cwiseAbs().maxCoeff(), 1e-9f)) track.is_rigid = false;
            track.poses.push_back(kept);
        }
    }
    return track;
}

// 12 numbers a bone and frame, columns first.
std::vector<float> matrices_of(const Skeleton& skeleton, const Clip& clip) {
    std::vector<float> numbers;
    std::vector<Affine> matrices(skeleton.size());
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_matrices(skeleton, clip.frame(f), matrices);
        for (const Affine& matrix : matrices) add_columns(numbers, matrix);
    }
    return numbers;
}

// In 65535 steps between the lowest and the highest, if that is fine enough.
Json positions_json(const std::vector<Transform>& poses, float height, Blob& blob) {
    Vec3 low = Vec3::Constant(1e30f);
    Vec3 high = Vec3::Constant(-1e30f);
    for (const Transform& pose : poses) {
        low = low.cwiseMin(pose.translation);
        high = high.cwiseMax(pose.translation);
    }
    const float step = std::max((high - low).maxCoeff() / 65535.0f, 1e-12f);
    if (0.5f * std::sqrt(3.0f) * step > k_fine * height) {
        std::vector<float> plain;
        for (const Transform& pose : poses)
            plain.insert(plain.end(), pose.translation.data(), pose.translation.data() + 3);
        return {{"values", blob.add(plain)}};
    }
    std::vector<std::uint16_t> steps;
    for (const Transform& pose : poses) {
        for (int axis = 0; axis < 3; ++axis)
            steps.push_back(static_cast<std::uint16_t>(
                std::clamp(std::lround((pose.translation[axis] - low[axis]) / step), 0L, 65535L)));
    }
    return {{"values", blob.add(steps)}, {"low", {low.x(), low.y(), low.z()}}, {"step", step}};
}

// Where props are in each frame, relative to the bones that carry them, if the clip moves or switches them.
Json props_json(const Character& character, const Clip& clip, Blob& blob) {
    std::vector<float> numbers;
    const bool moves = std::any_of(character.prop_motions.begin(), character.prop_motions.end(),
                                   [&](const Clip& motion) { return motion.name == clip.name; });
    for (std::size_t f = 0; moves && f < clip.frame_count(); ++f) {
        for (const SkinnedMesh& prop : props_at(character, clip.name, f))
            add_columns(numbers, prop.inverse_bind.at(0));
    }
    return numbers.empty() ? Json() : blob.add(numbers);
}

// The lowest place of the soles in a pose; without soles where it rests.
float floor_below(const Chart& chart, const Clip& pose) {
    if (chart.shape.soles.empty()) return chart.rest_floor;
    std::vector<Transform> model(chart.skeleton.size());
    to_model_space(chart.skeleton, pose.frame(0), model);
    float lowest = std::numeric_limits<float>::max();
    for (const Sole& sole : chart.shape.soles) lowest = std::min(lowest, lowest_of(sole, model, chart.up));
    return lowest;
}

}  // namespace

Json track_part(const Actor& actor, const ShownClip& shown, std::size_t index, Blob& blob) {
    const Clip& clip = *shown.played[index];
    const Track track = track_of(actor.chart->skeleton, clip);
    Json json{
        {"floor", shown.is_stance ? floor_below(*actor.chart, clip) : floor_of(*actor.chart, clip.name)},
        {"props", props_json(*actor.character, clip, blob)},
        {"beyond", beyond_part(actor, clip)}};
    if (!track.is_rigid) {
        json["matrices"] = blob.add(matrices_of(actor.chart->skeleton, clip));
        return json;
    }
    std::vector<std::int16_t> rotations;
    for (const Transform& pose : track.poses) {
        for (const float part : pose.rotation.coeffs())
            rotations.push_back(
                static_cast<std::int16_t>(std::lround(32767.0f * std::clamp(part, -1.0f, 1.0f))));
    }
    std::vector<float> scales;
    for (std::size_t b = 0; b < actor.chart->skeleton.size(); ++b)
        scales.insert(scales.end(), track.poses[b].scale.data(), track.poses[b].scale.data() + 3);
    json["positions"] = positions_json(track.poses, actor.chart->height, blob);
    json["rotations"] = blob.add(rotations);
    json["scales"] = blob.add(scales);
    return json;
}

}  // namespace dendraxis::page::detail
