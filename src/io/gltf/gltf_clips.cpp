// Animations of a glTF file, sampled at an even rate (glTF 2.0, sections 3.11 and Appendix C).
#include "gltf_parts.hpp"
#include "key_reader.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>
#include <set>

namespace dendraxis::io {
namespace {

constexpr std::size_t k_most_frames = 1'000'000;
constexpr std::size_t k_most_poses = 20'000'000;  // bones times frames of a clip: a gigabyte
constexpr double k_on_frame = 0.05;               // frames: a key this near to one lies on it

StepBits step_of(KeyedProperty property) {
    return property == KeyedProperty::rotation      ? k_rotation_steps
           : property == KeyedProperty::translation ? k_translation_steps
                                                    : k_scale_steps;
}

void set(Transform& transform, KeyedProperty property, const KeyValue& value) {
    const Vec3 vector = value.head<3>().cast<float>();
    if (property == KeyedProperty::translation) transform.translation = vector;
    if (property == KeyedProperty::scale) transform.scale = vector;
    if (property == KeyedProperty::rotation && value.norm() > 1e-9) {
        transform.rotation = Quat(Eigen::Vector4f((value / value.norm()).cast<float>()));
    }
}

std::vector<KeyChannel> read_channels(const GltfFile& file, const GltfAnimation& animation,
                                      const std::vector<int>& bone_of, const std::string& where) {
    std::vector<KeyChannel> channels;
    std::map<int, KeyTimes> times;  // by accessor
    for (const GltfChannel& source : animation.channels) {
        if (source.node == -1 || bone_of[static_cast<std::size_t>(source.node)] == k_no_bone ||
            source.property == KeyedProperty::other)
            continue;
        const GltfSampler& sampler = animation.samplers[source.sampler];
        KeyChannel channel;
        channel.bone = static_cast<std::size_t>(bone_of[static_cast<std::size_t>(source.node)]);
        channel.property = source.property;
        channel.curve = sampler.curve;
        channel.values = sampler.output;
        KeyTimes& shared = times[sampler.input];
        if (shared == nullptr)
            shared = std::make_shared<const std::vector<float>>(read_numbers(file, sampler.input, 1));
        channel.times = shared;
        if (shared->empty()) continue;
        const std::size_t wanted = shared->size() * (channel.curve == KeyCurve::cubic ? 3 : 1);
        if (file.data.accessors[static_cast<std::size_t>(sampler.output)].count < wanted)
            throw Error(file.path, "an animation has fewer values than key times", where, "export it again");
        if (!std::is_sorted(shared->begin(), shared->end())) {
            throw Error(file.path, "an animation's key times run backward", where, "export it again");
        }
        channels.push_back(std::move(channel));
    }
    return channels;
}

// A rate that lays the last of `frames` frames on the last key to the last digit.
float exact_rate(float rate, std::size_t frames, double length) {
    const double last = static_cast<double>(frames - 1);
    if (frames < 2 || std::abs(last / static_cast<double>(rate) - length) <= 1e-7 + 2e-7 * length)
        return rate;
    const auto exact = static_cast<float>(last / length);
    return std::abs(exact - rate) < 1e-3f * rate ? std::nextafter(exact, 0.0f) : rate;
}

// The rate whose frames all keys lie on. A clip of few keys lies on many: the first of the usual rates is
// taken.
float rate_of(const std::vector<double>& times) {
    for (const double rate : {30.0, 60.0, 24.0, 25.0, 50.0, 48.0, 120.0, 100.0, 90.0, 72.0, 144.0, 240.0}) {
        const bool fits = std::all_of(times.begin(), times.end(), [&](double time) {
            const double frame = (time - times.front()) * rate;
            return std::abs(frame - std::round(frame)) <= 0.02 + 2e-7 * std::abs(times.back()) * rate;
        });
        if (fits) return static_cast<float>(rate);
    }
    std::vector<double> gaps;
    for (std::size_t i = 1; i < times.size(); ++i) {
        if (times[i] - times[i - 1] > 1e-4) gaps.push_back(times[i] - times[i - 1]);
    }
    if (gaps.empty()) return 30.0f;
    std::nth_element(gaps.begin(), gaps.begin() + static_cast<std::ptrdiff_t>(gaps.size() / 2), gaps.end());
    return static_cast<float>(std::clamp(std::round(1.0 / gaps[gaps.size() / 2]), 30.0, 120.0));
}

// All key times, each once.
std::vector<double> times_of(const std::vector<KeyChannel>& channels) {
    std::vector<double> times;
    std::vector<double> both;
    std::set<KeyTimes> seen;
    for (const KeyChannel& channel : channels) {
        if (!seen.insert(channel.times).second) continue;
        both.clear();
        std::set_union(times.begin(), times.end(), channel.times->begin(), channel.times->end(),
                       std::back_inserter(both));
        times.swap(both);
    }
    times.erase(std::unique(times.begin(), times.end()), times.end());
    if (times.empty()) times.push_back(0.0);
    return times;
}

Clip bake(const GltfFile& file, const Skeleton& skeleton, const std::vector<KeyChannel>& channels,
          const std::vector<double>& times, float fps, const std::string& where) {
    Clip clip;
    clip.fps = fps > 0.0f ? fps : rate_of(times);
    clip.start = static_cast<float>(times.front());
    clip.bone_count = skeleton.size();
    const double length = (times.back() - times.front()) * static_cast<double>(clip.fps);
    if (length > static_cast<double>(k_most_frames)) {
        throw Error(ErrorCode::too_large, file.path, "an animation has over a million frames", where,
                    "check its key times, or ask for a lower rate");
    }
    const std::size_t frames = 1 + static_cast<std::size_t>(std::ceil(length - 0.05));
    if (frames * skeleton.size() > k_most_poses)
        throw Error(
            ErrorCode::too_large, file.path,
            fmt::format("an animation lasts {:.0f} seconds: {} frames of {} bones are more than are held",
                        times.back() - times.front(), frames, skeleton.size()),
            where, "check its last key times, cut it, or ask for a lower rate with --fps");
    if (fps <= 0.0f) clip.fps = exact_rate(clip.fps, frames, times.back() - times.front());
    const std::vector<Transform> rest = rest_pose(skeleton);
    clip.transforms.reserve(frames * rest.size());
    for (std::size_t f = 0; f < frames; ++f)
        clip.transforms.insert(clip.transforms.end(), rest.begin(), rest.end());
    for (const KeyChannel& channel : channels) {
        if (channel.curve == KeyCurve::step && channel.times->size() > 1) {
            clip.steps.resize(clip.bone_count);
            clip.steps[channel.bone] |= step_of(channel.property);
        }
        const KeyReader curve(file, channel);
        for (std::size_t f = 0; f < frames; ++f) {
            // A step belongs to the frame that its key lies on, however both are rounded.
            const double early = channel.curve == KeyCurve::step ? k_on_frame : 0.0;
            const double time =
                times.front() + (static_cast<double>(f) + early) / static_cast<double>(clip.fps);
            set(clip.frame(f)[channel.bone], channel.property, curve.at(time));
        }
    }
    return clip;
}

Transform rest_of(const tinygltf::Node& node) {
    if (node.matrix.size() == 16) return from_affine(node_matrix(node));
    Transform rest;
    if (node.translation.size() == 3)
        rest.translation = Eigen::Vector3d(node.translation.data()).cast<float>();
    if (node.scale.size() == 3) rest.scale = Eigen::Vector3d(node.scale.data()).cast<float>();
    if (node.rotation.size() == 4) rest.rotation = Quat(Eigen::Vector4d(node.rotation.data()).cast<float>());
    return rest;
}

// The nodes above the first bone, the outermost first, as a skeleton of their own.
struct NodesAbove {
    Skeleton skeleton;
    std::vector<int> slot_of;  // a node of the file
};

NodesAbove nodes_above(const GltfFile& file, const Character& character) {
    std::vector<int> nodes;
    for (int node = file.parents[static_cast<std::size_t>(character.nodes.front())]; node != -1;
         node = file.parents[static_cast<std::size_t>(node)])
        nodes.insert(nodes.begin(), node);
    NodesAbove result;
    result.slot_of.assign(file.model.nodes.size(), k_no_bone);
    std::vector<Bone> slots;
    for (const int node : nodes) {
        result.slot_of[static_cast<std::size_t>(node)] = static_cast<int>(slots.size());
        Bone slot;
        slot.name = slot.label = std::to_string(node);
        slot.parent = static_cast<int>(slots.size()) - 1;
        slot.rest = rest_of(file.model.nodes[static_cast<std::size_t>(node)]);
        slots.push_back(std::move(slot));
    }
    result.skeleton = Skeleton(std::move(slots));
    return result;
}

// What a clip moves above the first bone is carried by the bones that have no bone above them.
void carry_down(const NodesAbove& above, const Clip& motion, const Skeleton& skeleton, Clip& clip) {
    std::vector<Transform> model(above.skeleton.size());
    const Transform back = inverse(skeleton.above());
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(above.skeleton, motion.frame(std::min(f, motion.frame_count() - 1)), model);
        const Transform moved = back * model.back();
        for (std::size_t bone = 0; bone < skeleton.size(); ++bone) {
            if (skeleton.bones()[bone].parent == k_no_bone) clip.frame(f)[bone] = moved * clip.frame(f)[bone];
        }
    }
}

// How far the poses half way between frames are from a straight line: in radians, and in sizes of the
// skeleton.
float bend_between(const Clip& clip, const Clip& twice, const Skeleton& skeleton) {
    const std::vector<Transform> rest = rest_in_model_space(skeleton);
    const Extents extents = rest_extents(skeleton, {});
    float size = (extents.high - extents.low).norm();
    if (size < 1e-6f) {  // a single bone is as large as it moves far
        for (const Transform& bone : clip.transforms) size = std::max(size, bone.translation.norm());
    }
    size = std::max(size, 1e-6f);
    float worst = 0.0f;
    for (std::size_t f = 0; f + 1 < clip.frame_count() && 2 * f + 1 < twice.frame_count(); ++f) {
        for (std::size_t b = 0; b < clip.bone_count; ++b) {
            const Transform& before = clip.frame(f)[b];
            const Transform& after = clip.frame(f + 1)[b];
            const Transform& truth = twice.frame(2 * f + 1)[b];
            const int parent = skeleton.bones()[b].parent;
            const Vec3& unit =
                parent == k_no_bone ? skeleton.above().scale : rest[static_cast<std::size_t>(parent)].scale;
            const Vec3 off = 0.5f * (before.translation + after.translation) - truth.translation;
            if (!clip.holds(b, k_translation_steps))
                worst = std::max(worst, off.norm() * unit.cwiseAbs().maxCoeff() / size);
            if (!clip.holds(b, k_rotation_steps))
                worst = std::max(worst,
                                 angle_between(before.rotation.slerp(0.5f, after.rotation), truth.rotation));
        }
    }
    return worst;
}

// One animation, sampled so that nothing is lost.
struct ClipReader {
    const GltfFile& file;
    const Skeleton& skeleton;
    const NodesAbove& above;
    const std::vector<KeyChannel>& channels;
    const std::vector<KeyChannel>& channels_above;
    const std::string& where;

    static constexpr float k_lost = 3e-4f;  // of `bend_between`
    static constexpr float k_most_fps = 240.0f;

    Clip read(float fps) const {
        std::vector<KeyChannel> all = channels;
        all.insert(all.end(), channels_above.begin(), channels_above.end());
        const std::vector<double> times = times_of(all);
        Clip clip = at_rate(times, fps);
        // Straight lines between keys are straight at any rate on which the keys lie. Curves are not, nor is
        // what turns above the first bone.
        const bool may_bend =
            !channels_above.empty() || std::any_of(all.begin(), all.end(), [&](const KeyChannel& channel) {
                return channel.curve == KeyCurve::cubic || !lies_on_frames(channel, clip);
            });
        while (fps <= 0.0f && may_bend && clip.frame_count() > 1 && 2.0f * clip.fps <= k_most_fps) {
            Clip twice = at_rate(times, 2.0f * clip.fps);
            if (bend_between(clip, twice, skeleton) < k_lost) break;
            clip = std::move(twice);
        }
        return clip;
    }

 private:
    Clip at_rate(const std::vector<double>& times, float fps) const {
        Clip clip = bake(file, skeleton, channels, times, fps, where);
        if (!channels_above.empty()) {
            const Clip motion = bake(file, above.skeleton, channels_above, times, clip.fps, where);
            carry_down(above, motion, skeleton, clip);
            for (std::size_t b = 0; b < clip.steps.size(); ++b) {
                if (skeleton.bones()[b].parent == k_no_bone) clip.steps[b] = 0;
            }
        }
        return clip;
    }

    static bool lies_on_frames(const KeyChannel& channel, const Clip& clip) {
        return std::all_of(channel.times->begin(), channel.times->end(), [&](float time) {
            const double frame =
                (static_cast<double>(time) - static_cast<double>(clip.start)) * static_cast<double>(clip.fps);
            return std::abs(frame - std::round(frame)) < k_on_frame;
        });
    }
};

// Props that were let go stand in the scene; told relative to the first bone, as the others are to theirs.
void tell_by_first_bone(const GltfFile& file, const Clip& whole, const Character& character, Clip& motion) {
    std::vector<Transform> model(character.skeleton.size());
    for (std::size_t p = 0; p < character.prop_nodes.size(); ++p) {
        if (file.parents[static_cast<std::size_t>(character.prop_nodes[p])] != -1) continue;
        for (std::size_t f = 0; f < motion.frame_count(); ++f) {
            to_model_space(character.skeleton, whole.frame(f), model);
            motion.frame(f)[p] = inverse(model.front()) * motion.frame(f)[p];
        }
    }
}

// Where the props are relative to their bones in a clip that moves or switches them; `whole` is its frames.
void read_prop_motion(const GltfFile& file, const GltfAnimation& animation, const Clip& whole, double start,
                      Character& character, const std::string& where) {
    std::vector<Bone> slots;
    std::vector<int> slot_of(file.model.nodes.size(), k_no_bone);
    for (std::size_t p = 0; p < character.prop_nodes.size(); ++p) {
        const auto node = static_cast<std::size_t>(character.prop_nodes[p]);
        if (slot_of[node] == k_no_bone) slot_of[node] = static_cast<int>(p);
        Bone slot;
        slot.name = slot.label = std::to_string(p);
        slot.rest = rest_of(file.model.nodes[node]);
        slots.push_back(std::move(slot));
    }
    const std::vector<KeyChannel> channels = read_channels(file, animation, slot_of, where);
    if (channels.empty()) return;
    const double end =
        start + (static_cast<double>(whole.frame_count()) - 1.0) / static_cast<double>(whole.fps);
    Clip motion = bake(file, Skeleton(slots), channels, {start, end}, whole.fps, where);
    motion.name = whole.name;
    for (std::size_t f = 0; f < motion.frame_count(); ++f) {
        for (std::size_t p = 0; p < slots.size(); ++p) {
            const auto node = static_cast<std::size_t>(character.prop_nodes[p]);
            motion.frame(f)[p] = motion.frame(f)[static_cast<std::size_t>(slot_of[node])];
        }
    }
    tell_by_first_bone(file, whole, character, motion);
    character.prop_motions.push_back(std::move(motion));
}

}  // namespace

std::string clip_name(const GltfAnimation& animation, std::size_t index) {
    return animation.name.empty() ? "clip-" + std::to_string(index + 1) : animation.name;
}

void read_clips(const GltfFile& file, float fps, Character& character) {
    const std::vector<int> bone_of = bones_of_nodes(file, character);
    const NodesAbove above = nodes_above(file, character);
    for (std::size_t i = 0; i < file.data.animations.size(); ++i) {
        const GltfAnimation& animation = file.data.animations[i];
        const std::string name = clip_name(animation, i);
        const std::string where = "animation " + std::to_string(i) + " '" + name + "'";
        const std::vector<KeyChannel> channels = read_channels(file, animation, bone_of, where);
        const std::vector<KeyChannel> channels_above = read_channels(file, animation, above.slot_of, where);
        if (channels.empty() && channels_above.empty()) {
            character.findings.push_back(
                {Severity::note, "clip.moves-no-bone", name,
                 "the animation moves none of the character's bones; it was passed over", ""});
            continue;
        }
        Clip clip = ClipReader{file, character.skeleton, above, channels, channels_above, where}.read(fps);
        clip.name = name;
        character.clips.push_back(std::move(clip));
        if (!character.prop_nodes.empty())
            read_prop_motion(file, animation, character.clips.back(),
                             static_cast<double>(character.clips.back().start), character, where);
    }
}

}  // namespace dendraxis::io
