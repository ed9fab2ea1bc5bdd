#include "bvh_words.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/bvh/bvh.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <cmath>
#include <cstdint>
#include <limits>
#include <map>
#include <set>
#include <span>

namespace dendraxis::io {
namespace {

// Of people who are captured, metres along the longest axis of their bones.
constexpr float k_usual_height = 1.65f;
constexpr float k_least_height = 0.9f;
constexpr float k_most_height = 2.3f;
constexpr float k_most_channels = 16.0f;  // of a joint; real ones have 3 or 6
constexpr int k_deepest = 1000;           // joints below each other

struct Channel {
    bool is_rotation = false;
    int axis = 0;
};

struct Joint {
    std::string name;
    int parent = k_no_bone;
    Vec3 offset = Vec3::Zero();
    std::vector<Channel> channels;
    bool ends = false;  ///< an end site
};

// Sine and cosine of half of each angle in degrees, by Taylor's series on a quarter turn: plain loops that
// compilers turn into vector code, within 2e-7.
void half_angles(std::span<const float> degrees, float* sines, float* cosines) {
    const auto sine_of_turns = [](float t) {
        const float x = (2.0f * k_pi) * t;
        const float y = x * x;
        float sum = -2.50521084e-8f;
        sum = sum * y + 2.75573192e-6f;
        sum = sum * y - 1.98412698e-4f;
        sum = sum * y + 8.33333333e-3f;
        sum = sum * y - 0.166666667f;
        return x + x * y * sum;
    };
    for (std::size_t i = 0; i < degrees.size(); ++i) {
        const float turns = degrees[i] * (1.0f / 720.0f);
        // Adding and taking off 1.5 * 2^23 rounds to whole turns.
        const float t = turns - ((turns + 12582912.0f) - 12582912.0f);
        const float size = std::abs(t);
        const float folded = size > 0.25f ? 0.5f - size : size;
        sines[i] = std::copysign(sine_of_turns(folded), t);
        cosines[i] = sine_of_turns(0.25f - size);
    }
}

// `q` times a turn about one axis, of which most terms are nothing.
Quat turned_on(const Quat& q, int axis, float c, float s) {
    if (axis == 0)
        return {q.w() * c - q.x() * s, q.x() * c + q.w() * s, q.y() * c + q.z() * s, q.z() * c - q.y() * s};
    if (axis == 1)
        return {q.w() * c - q.y() * s, q.x() * c - q.z() * s, q.y() * c + q.w() * s, q.z() * c + q.x() * s};
    return {q.w() * c - q.z() * s, q.x() * c + q.y() * s, q.y() * c - q.x() * s, q.z() * c + q.w() * s};
}

class BvhReader {
 public:
    BvhReader(std::string_view text, const std::string& name) : words_(text, name), name_(name) {}

    Character read() {
        if (!same_word(words_.next(), "HIERARCHY"))
            words_.fail("does not start with HIERARCHY", "name a BVH file");
        while (same_word(words_.peek(), "ROOT") || same_word(words_.peek(), "JOINT")) {
            words_.next();
            read_joint(k_no_bone);
        }
        if (joints_.empty()) words_.fail("has no ROOT");
        read_motion();
        return make_character();
    }

 private:
    void read_joint(int parent) {
        const auto index = static_cast<int>(joints_.size());
        joints_.push_back({std::string(words_.rest_of_line()), parent, Vec3::Zero(), {}, false});
        read_body(index);
    }

    void read_end(int parent) {
        // `End Site` is followed by braces with an offset, or by nothing at all.
        words_.rest_of_line();
        const auto index = static_cast<int>(joints_.size());
        joints_.push_back(
            {joints_[static_cast<std::size_t>(parent)].name + "_end", parent, Vec3::Zero(), {}, true});
        if (words_.peek() == "{") {
            read_body(index);
        }
        if (joints_[static_cast<std::size_t>(index)].offset.isZero() &&
            joints_.size() == static_cast<std::size_t>(index) + 1) {
            joints_.pop_back();  // it says nothing
            ++empty_ends_;
        }
    }

    void read_body(int index) {
        const auto joint = static_cast<std::size_t>(index);
        if (++depth_ > k_deepest)
            words_.fail(fmt::format("its joints hang more than {} deep below each other", k_deepest),
                        "export it again", ErrorCode::too_large);
        if (words_.next() != "{") words_.fail("'{' is missing after '" + joints_[joint].name + "'");
        while (true) {
            if (words_.at_end()) words_.fail("the file ends within '" + joints_[joint].name + "'");
            const std::string word(words_.next());
            if (word == "}") {
                --depth_;
                return;
            }
            if (same_word(word, "OFFSET")) {
                for (int axis = 0; axis < 3; ++axis) joints_[joint].offset[axis] = words_.number();
            } else if (same_word(word, "CHANNELS")) {
                read_channels(joint);
            } else if (same_word(word, "JOINT") || same_word(word, "ROOT")) {
                read_joint(index);
            } else if (same_word(word, "END")) {
                read_end(index);
            } else {
                words_.fail("'" + word + "' is no part of a joint");
            }
        }
    }

    void read_channels(std::size_t joint) {
        const float count = words_.number();
        if (!(count >= 0.0f && count <= k_most_channels))
            words_.fail(fmt::format("a joint has at most {} channels", k_most_channels));
        for (int i = 0; i < static_cast<int>(count); ++i) {
            const std::string word(words_.next());
            if (word.size() < 9 || word.size() > 9) words_.fail("'" + word + "' is no channel");
            const int axis = lower(word[0]) - 'x';
            const bool rotation = same_word(std::string_view(word).substr(1), "rotation");
            if (axis < 0 || axis > 2 ||
                (!rotation && !same_word(std::string_view(word).substr(1), "position")))
                words_.fail("'" + word + "' is no channel", "channels are Xposition … Zrotation");
            joints_[joint].channels.push_back({rotation, axis});
        }
    }

    void read_motion() {
        if (!same_word(words_.next(), "MOTION")) words_.fail("MOTION is missing after the hierarchy");
        float stated = -1.0f;
        for (int header = 0; header < 2; ++header) {
            std::string word(words_.next());
            while (!word.empty() && word.back() == ':') word.pop_back();
            if (same_word(word, "Frames")) {
                if (words_.peek() == ":") words_.next();
                stated = words_.number();
            } else if (same_word(word, "Frame") || same_word(word, "FrameTime")) {
                if (same_word(word, "Frame")) words_.next();
                if (words_.peek() == ":") words_.next();
                read_frame_time();
            } else {
                words_.fail("'" + word + "' stands where Frames or Frame Time should");
            }
        }
        for (const Joint& joint : joints_) width_ += joint.channels.size();
        if (width_ == 0) words_.fail("no joint has channels");
        // A file that says more than it can hold is not believed.
        if (stated > 0.0f)
            values_.reserve(
                static_cast<std::size_t>(std::min(static_cast<double>(stated) * static_cast<double>(width_),
                                                  static_cast<double>(words_.left()) / 2.0)));
        float value = 0.0f;
        while (words_.motion_number(value)) values_.push_back(value);
        frames_ = values_.size() / width_;
        if (values_.size() % width_ != 0)
            note("bvh.cut-short", fmt::format("the last frame has {} of {} numbers and was left out",
                                              values_.size() % width_, width_));
        if (frames_ == 0) words_.fail("has no frames");
        if (stated >= 0.0f && stated != static_cast<float>(frames_))
            note("bvh.frame-count",
                 fmt::format("it says {} frames and holds {}; all were read", stated, frames_));
    }

    void read_frame_time() {
        const std::string word(words_.next());
        float seconds = 0.0f;
        const std::size_t slash = word.find('/');
        float above = 0.0f;
        float below = 0.0f;
        if (slash != std::string::npos && Words::parse(word.substr(0, slash), above) &&
            Words::parse(word.substr(slash + 1), below) && below != 0.0f) {
            seconds = above / below;
        } else if (!Words::parse(word, seconds)) {
            words_.fail("'" + word + "' is no frame time");
        }
        if (seconds > 1.0f && seconds <= 1000.0f) {
            note("bvh.frame-time", fmt::format("the frame time {:g} is taken as frames a second", seconds));
            seconds = 1.0f / seconds;
        }
        if (!(seconds > 1e-5f && seconds <= 1.0f)) {
            note("bvh.frame-time",
                 fmt::format("the frame time {:g} makes no sense; 30 frames a second are taken", seconds));
            seconds = 1.0f / 30.0f;
        }
        fps_ = 1.0f / seconds;
        // 0.0333333 is 30 frames a second.
        const float whole = std::round(fps_);
        if (std::abs(fps_ - whole) < 2e-4f * fps_) fps_ = whole;
    }

    void note(const std::string& code, const std::string& message) {
        findings_.push_back({Severity::note, code, name_, message, ""});
    }

    // Metres in a unit of the file, by the figure's height: the likeliest of those in use.
    float unit() {
        std::vector<Vec3> positions;
        float low = 1e30f;
        float high = -1e30f;
        std::array<float, 3> least{1e30f, 1e30f, 1e30f};
        std::array<float, 3> most{-1e30f, -1e30f, -1e30f};
        for (const Joint& joint : joints_) {
            const Vec3 position =
                joint.parent == k_no_bone
                    ? Vec3(Vec3::Zero())
                    : Vec3(positions[static_cast<std::size_t>(joint.parent)] + joint.offset);
            positions.push_back(position);
            for (std::size_t axis = 0; axis < 3; ++axis) {
                least[axis] = std::min(least[axis], position[static_cast<int>(axis)]);
                most[axis] = std::max(most[axis], position[static_cast<int>(axis)]);
            }
        }
        for (std::size_t axis = 0; axis < 3; ++axis) {
            low = std::min(low, least[axis]);
            high = std::max(high, most[axis] - least[axis]);
        }
        const float size = high;
        if (!(size > 0.0f)) return 1.0f;
        struct Candidate {
            const char* name;
            float metres;
            float doubt;  // how much likelier others are, as a factor of size
        };
        constexpr std::array<Candidate, 6> k_units{{{"metres", 1.0f, 1.0f},
                                                    {"decimetres", 0.1f, 1.6f},
                                                    {"feet", 0.3048f, 1.6f},
                                                    {"inches", 0.0254f, 1.3f},
                                                    {"centimetres", 0.01f, 1.0f},
                                                    {"millimetres", 0.001f, 1.0f}}};
        std::vector<std::pair<float, const Candidate*>> likely;
        for (const Candidate& candidate : k_units)
            likely.emplace_back(
                std::abs(std::log(size * candidate.metres / k_usual_height)) + std::log(candidate.doubt),
                &candidate);
        std::sort(likely.begin(), likely.end());
        const Candidate& best = *likely[0].second;
        const Candidate& next = *likely[1].second;
        const auto tall = [&](const Candidate& unit) {
            return fmt::format("{} ({:.2f} m)", unit.name, size * unit.metres);
        };
        const float stands = size * best.metres;
        if (stands > k_least_height && stands < k_most_height) {
            note("bvh.unit", fmt::format("its bones span {:.4g}: its unit is taken to be {}, else {}", size,
                                         tall(best), tall(next)));
            return best.metres;
        }
        // Capture libraries have units of their own; what they capture is people.
        findings_.push_back(
            {Severity::warning, "bvh.unit", name_,
             fmt::format(
                 "its bones span {:.4g}, which makes no person in {} or {}; it is taken to be {:.2f} m tall",
                 size, tall(best), tall(next), k_usual_height),
             "scale the file where it is of another height"});
        return k_usual_height / size;
    }

    // Whether position channels of a joint hold the whole way from its parent rather than what goes on top of
    // its offset.
    bool is_absolute(std::size_t joint, std::size_t column) const {
        const Joint& j = joints_[joint];
        if (j.offset.isZero()) return true;
        Vec3 sum = Vec3::Zero();
        for (std::size_t f = 0; f < frames_; ++f) {
            std::size_t at = f * width_ + column;
            for (const Channel& channel : j.channels) {
                if (!channel.is_rotation) sum[channel.axis] += values_[at];
                ++at;
            }
        }
        const Vec3 mean = sum / static_cast<float>(frames_);
        return (mean - j.offset).norm() < 0.5f * mean.norm();
    }

    void mend_numbers() {
        std::size_t mended = 0;
        for (std::size_t i = 0; i < values_.size(); ++i) {
            if (std::isfinite(values_[i])) continue;
            values_[i] = i >= width_ ? values_[i - width_] : 0.0f;
            ++mended;
        }
        if (mended > 0)
            findings_.push_back({Severity::warning, "bvh.not-a-number", name_,
                                 fmt::format("{} values are no numbers; the frame before was held", mended),
                                 "look at the source of this file"});
    }

    Character make_character() {
        mend_numbers();
        Character character;
        character.name = name_;
        std::vector<Bone> bones;
        std::set<std::string> labels;
        std::map<std::string, int> uses;
        for (const Joint& joint : joints_) ++uses[joint.name];
        int number = -1;
        for (const Joint& joint : joints_) {
            Bone bone;
            bone.name = joint.name;
            bone.label = bone.name;
            bone.parent = joint.parent;
            bone.rest.translation = joint.offset;
            // Joints are counted as the file lists them; end sites are called after theirs.
            if (!joint.ends) ++number;
            if (bone.name.empty() || uses[bone.name] > 1)
                bone.label = joint.ends ? bones[static_cast<std::size_t>(bone.parent)].label + "_end"
                                        : fmt::format("#{}", number);
            while (labels.contains(bone.label)) bone.label += "_end";
            labels.insert(bone.label);
            bones.push_back(std::move(bone));
        }
        if (empty_ends_ > 0)
            note("bvh.end-site", fmt::format("{} end sites have no offset and were left out", empty_ends_));
        Transform above;
        above.scale = Vec3::Constant(unit());
        character.skeleton = Skeleton(std::move(bones), above);
        character.clips.push_back(make_clip(character.skeleton));
        character.findings = std::move(findings_);
        return character;
    }

    Clip make_clip(const Skeleton& skeleton) const {
        Clip clip;
        clip.name = name_;
        clip.fps = fps_;
        clip.bone_count = skeleton.size();
        clip.transforms.resize(frames_ * clip.bone_count);
        std::vector<char> absolute;
        std::size_t column = 0;
        for (std::size_t i = 0; i < joints_.size(); ++i) {
            const bool moves = std::any_of(joints_[i].channels.begin(), joints_[i].channels.end(),
                                           [](const Channel& channel) { return !channel.is_rotation; });
            absolute.push_back(moves && is_absolute(i, column));
            column += joints_[i].channels.size();
        }
        std::vector<float> sines(width_);
        std::vector<float> cosines(width_);
        for (std::size_t f = 0; f < frames_; ++f) {
            const float* values = values_.data() + f * width_;
            half_angles({values, width_}, sines.data(), cosines.data());
            std::size_t at = 0;
            for (std::size_t i = 0; i < joints_.size(); ++i) {
                const Joint& joint = joints_[i];
                Transform& local = clip.transforms[f * clip.bone_count + i];
                local.translation = joint.offset;
                Quat turned = Quat::Identity();
                for (const Channel& channel : joint.channels) {
                    if (channel.is_rotation) {
                        turned = turned_on(turned, channel.axis, cosines[at], sines[at]);
                    } else if (absolute[i]) {
                        local.translation[channel.axis] = values[at];
                    } else {
                        local.translation[channel.axis] += values[at];
                    }
                    ++at;
                }
                local.rotation = turned;
            }
        }
        return clip;
    }

    Words words_;
    std::string name_;
    std::vector<Joint> joints_;
    std::vector<float> values_;
    Findings findings_;
    std::size_t width_ = 0;
    std::size_t frames_ = 0;
    std::size_t empty_ends_ = 0;
    int depth_ = 0;
    float fps_ = 30.0f;
};

}  // namespace

Character parse_bvh(std::string_view text, const std::string& name) {
    if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);
    return BvhReader(text, name).read();
}

Character read_bvh(const std::filesystem::path& file) {
    const std::string text = read_text(file);
    try {
        Character character = parse_bvh(text, file.stem().string());
        character.file = file.string();
        return character;
    } catch (const Error& problem) {
        // Its subject is the clip's name; people look for the file.
        throw Error(problem.code(), file.string(), problem.problem(), problem.where(), problem.advice());
    }
}

}  // namespace dendraxis::io
