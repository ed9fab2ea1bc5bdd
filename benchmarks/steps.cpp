// How clips go over steps: steps FILE... [--rise SHARE] prints, of every clip that walks or trots over the
// floor or on the spot, how much harder feet and joints accelerate than in the clip itself, and how deep a
// sole is in a step. Steps are a leg's length long and `rise` of it high (0.2). Clips on the spot are made to
// go over the floor, three rounds of them.
#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/ik/ground_adaptation.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/core.h>

#include <cmath>
#include <cstdlib>
#include <string>
#include <vector>

using namespace dendraxis;

namespace {

constexpr int k_rounds = 3;

Clip over_the_floor(const Chart& chart, const Clip& clip, const Vec3& floor) {
    if (floor.isZero()) return clip;
    const int carrier = chart.root != k_no_bone ? chart.root : chart.hips;
    const int parent = chart.skeleton.parent(carrier);
    Clip result = clip;
    result.transforms.clear();
    std::vector<Transform> model(clip.bone_count);
    float seconds = 0.0f;
    for (int round = 0; round < k_rounds; ++round) {
        for (std::size_t f = 0; f + 1 < clip.frame_count(); ++f, seconds += 1.0f / clip.fps) {
            std::vector<Transform> pose(clip.frame(f).begin(), clip.frame(f).end());
            to_model_space(chart.skeleton, pose, model);
            const Transform above =
                parent == k_no_bone ? chart.skeleton.above() : model[static_cast<std::size_t>(parent)];
            const Vec3 there = head_of(carrier, model) - seconds * floor;
            pose[static_cast<std::size_t>(carrier)].translation = apply(inverse(above), there);
            result.transforms.insert(result.transforms.end(), pose.begin(), pose.end());
        }
    }
    return result;
}

// The hardest acceleration of a foot, model units a frame, a frame, and of a joint, radians.
std::pair<float, float> hardest(const Chart& chart, const Clip& clip) {
    std::vector<Transform> model(clip.bone_count);
    std::vector<std::vector<Vec3>> feet;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(chart.skeleton, clip.frame(f), model);
        std::vector<Vec3>& now = feet.emplace_back();
        for (const Sole& sole : chart.shape.soles)
            now.push_back(position_of(sole, sole.parts[k_ball], model));
    }
    float foot = 1e-9f;
    float joint = 1e-9f;
    for (std::size_t f = 1; f + 1 < clip.frame_count(); ++f) {
        for (std::size_t i = 0; i < feet[f].size(); ++i)
            foot = std::max(foot, (feet[f + 1][i] - 2.0f * feet[f][i] + feet[f - 1][i]).norm());
        for (std::size_t b = 0; b < clip.bone_count; ++b) {
            const auto turn = [&](std::size_t from) {
                return rotation_vector(clip.frame(from)[b].rotation.conjugate() *
                                       clip.frame(from + 1)[b].rotation);
            };
            joint = std::max(joint, (turn(f) - turn(f - 1)).norm());
        }
    }
    return {foot, joint};
}

// How deep the middle line of a sole that stands is in the ground at most.
float deepest(const Chart& chart, const Clip& source, const Clip& clip, const Ground& ground) {
    const std::vector<FootTrack> tracks = track_feet(chart, source);
    std::vector<Transform> model(clip.bone_count);
    float worst = 0.0f;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(chart.skeleton, clip.frame(f), model);
        for (std::size_t i = 0; i < tracks.size(); ++i) {
            if (!tracks[i].stands(f)) continue;
            for (const SolePoint& part : chart.shape.soles[i].parts) {
                const Vec3 at = position_of(chart.shape.soles[i], part, model);
                worst = std::max(worst, ground(at)->height - at.dot(chart.up));
            }
        }
    }
    return worst;
}

void tell(const std::string& file, float rise) {
    const Character character = io::load_character(file);
    const Chart charted = chart(character);
    const float leg = GroundAdaptation(charted).leg_length();
    const Ground steps = [&](const Vec3& at) -> std::optional<GroundPoint> {
        const float step = std::floor(at.dot(charted.facing) / leg);
        return GroundPoint{charted.floor + rise * leg * step, charted.up, 0.0f};
    };
    for (const Clip& clip : character.clips) {
        const Vec3 floor = moving_floor(charted, clip);
        const Clip going = over_the_floor(charted, clip, floor);
        const Clip walked = walk_over(charted, going, steps);
        const auto [foot, joint] = hardest(charted, walked);
        const auto [own_foot, own_joint] = hardest(charted, going);
        fmt::print("{:<20} {:<18} {:>6.2f} {:>7.2f} {:>8.2f} {:>8.1f}\n", character.name, clip.name,
                   floor.norm() / leg, foot / own_foot, joint / own_joint,
                   100.0f * deepest(charted, going, walked, steps) / leg);
    }
}

}  // namespace

int main(int count, char** words) {
    float rise = 0.2f;
    std::vector<std::string> files;
    for (int i = 1; i < count; ++i) {
        if (std::string(words[i]) == "--rise" && i + 1 < count)
            rise = std::strtof(words[++i], nullptr);
        else
            files.emplace_back(words[i]);
    }
    fmt::print("{:<20} {:<18} {:>6} {:>7} {:>8} {:>8}\n", "character", "clip", "legs/s", "feet x", "joints x",
               "deep %");
    for (const std::string& file : files) {
        try {
            tell(file, rise);
        } catch (const Error& problem) {
            fmt::print("{}\n", problem.what());
        }
    }
    return 0;
}
