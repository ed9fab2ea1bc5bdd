// Own method: height and speed with hysteresis, part by part of the foot.
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_standing_seconds = 0.2f;  // a foot in the air that rests this long stands on something
constexpr float k_speed_seconds = 0.033f;   // over which speeds are measured
constexpr float k_most_sunk = 0.05f;        // of the leg's length: how deep soles may be at rest
constexpr float k_steadier = 0.04f;         // of the leg's length a second: what counts as a difference

float median(std::vector<float> values) {
    if (values.empty()) return 0.0f;
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

class ContactFinder {
 public:
    ContactFinder(const Chart& chart, const Clip& clip, const ContactLimits& limits)
        : chart_(chart),
          clip_(clip),
          limits_(limits),
          leg_(std::max(1e-6f, leg_length(chart))),
          floor_(trodden_floor(chart)),
          window_(static_cast<std::size_t>(std::max(1.0f, std::round(k_speed_seconds * clip.fps)))) {}

    /// Of the floor, as `moving_floor` has it; after `follow`.
    const Vec3& belt() const { return belt_; }

    std::vector<FootTrack> follow() {
        std::vector<FootTrack> tracks;
        for (const Sole& sole : chart_.shape.soles) tracks.push_back({sole.leg, {}, {}, {}, {}});
        std::vector<Transform> model(chart_.skeleton.size());
        for (std::size_t f = 0; f < clip_.frame_count(); ++f) {
            to_model_space(chart_.skeleton, clip_.frame(f), model);
            for (std::size_t i = 0; i < tracks.size(); ++i) {
                const Sole& sole = chart_.shape.soles[i];
                std::array<Vec3, k_foot_parts> parts;
                for (std::size_t p = 0; p < k_foot_parts; ++p)
                    parts[p] = position_of(sole, sole.parts[p], model);
                tracks[i].parts.push_back(parts);
                tracks[i].height.push_back(lowest_of(sole, model, chart_.up) - floor_);
            }
        }
        belt_ = belt_of(tracks);
        for (FootTrack& track : tracks) {
            find_levels(track);
            find_planted(track);
        }
        return tracks;
    }

 private:
    float part_height(const FootTrack& track, std::size_t frame, std::size_t part) const {
        return track.parts[frame][part].dot(chart_.up) - floor_;
    }

    // The slower of the ways into this frame and out of it, seen from the floor; of the leg's length a
    // second. Not from frame to frame where those are so close that a capture's noise is as fast as a foot.
    float speed(const FootTrack& track, std::size_t frame, std::size_t part) const {
        float slowest = 1e30f;
        const auto ask = [&](std::size_t a, std::size_t b) {
            const float seconds = static_cast<float>(b - a) / clip_.fps;
            const Vec3 moved = track.parts[b][part] - track.parts[a][part] - seconds * belt_;
            slowest = std::min(slowest, moved.norm() / (seconds * leg_));
        };
        const std::size_t before = std::min(frame, window_);
        const std::size_t after = std::min(track.size() - 1 - frame, window_);
        if (before > 0) ask(frame - before, frame);
        if (after > 0) ask(frame, frame + after);
        return track.size() < 2 ? 0.0f : slowest;
    }

    // The floor's own movement under a walk on the spot: what most low feet have in common. Zero where they
    // mostly rest.
    Vec3 belt_of(const std::vector<FootTrack>& tracks) const {
        std::array<std::vector<float>, 3> velocities;
        for (const FootTrack& track : tracks) {
            for (std::size_t f = 0; f + 1 < track.size(); ++f) {
                std::size_t lowest = 0;
                for (std::size_t p = 1; p < k_foot_parts; ++p) {
                    if (part_height(track, f, p) < part_height(track, f, lowest)) lowest = p;
                }
                if (part_height(track, f, lowest) > limits_.touch_height * leg_) continue;
                Vec3 velocity = (track.parts[f + 1][lowest] - track.parts[f][lowest]) * clip_.fps;
                velocity -= velocity.dot(chart_.up) * chart_.up;
                for (std::size_t c = 0; c < 3; ++c) velocities[c].push_back(velocity[static_cast<int>(c)]);
            }
        }
        if (velocities[0].size() < 4) return Vec3::Zero();
        const Vec3 belt(median(velocities[0]), median(velocities[1]), median(velocities[2]));
        if (belt.norm() < 0.4f * leg_) return Vec3::Zero();
        std::size_t alike = 0;
        for (std::size_t i = 0; i < velocities[0].size(); ++i) {
            const Vec3 velocity(velocities[0][i], velocities[1][i], velocities[2][i]);
            alike += (velocity - belt).norm() < 0.25f * belt.norm() ? 1 : 0;
        }
        return 2 * alike > velocities[0].size() ? belt : Vec3::Zero();
    }

    // Where the foot rests high up for a while, what it stands on is up there.
    void find_levels(FootTrack& track) const {
        track.level.assign(track.size(), 0.0f);
        const auto shortest = static_cast<std::size_t>(std::max(2.0f, k_standing_seconds * clip_.fps));
        const auto rests_high = [&](std::size_t f) {
            if (track.height[f] < 0.06f * leg_) return false;
            float slowest = 1e30f;
            for (std::size_t p = 0; p < k_foot_parts; ++p) slowest = std::min(slowest, speed(track, f, p));
            return slowest < 0.12f;
        };
        for (const FrameSpan& span : spans_where(track.size(), rests_high, shortest)) {
            const float level = median({track.height.begin() + static_cast<std::ptrdiff_t>(span.first),
                                        track.height.begin() + static_cast<std::ptrdiff_t>(span.last + 1)});
            for (std::size_t f = span.first; f <= span.last; ++f) track.level[f] = level;
        }
    }

    void find_planted(FootTrack& track) const {
        track.planted.assign(track.size(), {});
        std::array<bool, k_foot_parts> stands{};
        for (std::size_t f = 0; f < track.size(); ++f) {
            std::array<float, k_foot_parts> height{};
            std::array<float, k_foot_parts> moving{};
            for (std::size_t p = 0; p < k_foot_parts; ++p) {
                height[p] = (part_height(track, f, p) - track.level[f]) / leg_;
                moving[p] = speed(track, f, p);
            }
            stands = parts_that_stand(height, moving, stands, limits_);
            track.planted[f] = stands;
        }
    }

    const Chart& chart_;
    const Clip& clip_;
    ContactLimits limits_;
    float leg_;
    float floor_;
    std::size_t window_;  // frames
    Vec3 belt_ = Vec3::Zero();
};

// In frames set by hand the lowest parts stand: those within a finger's breadth of the lowest.
void take_over(FootTrack& track, const Chart& chart, std::span<const ContactSpan> set,
               const std::string& clip) {
    const auto is_mine = [&](const ContactSpan& span) { return span.clip == clip && span.leg == track.leg; };
    if (std::none_of(set.begin(), set.end(), is_mine)) return;
    for (std::size_t f = 0; f < track.size(); ++f) {
        const bool stands = std::any_of(set.begin(), set.end(), [&](const ContactSpan& span) {
            return is_mine(span) && static_cast<int>(f) >= span.first && static_cast<int>(f) <= span.last;
        });
        float lowest = 1e30f;
        for (const Vec3& part : track.parts[f]) lowest = std::min(lowest, part.dot(chart.up));
        for (std::size_t p = 0; p < k_foot_parts; ++p)
            track.planted[f][p] = stands && track.parts[f][p].dot(chart.up) < lowest + 0.012f * chart.height;
    }
}

}  // namespace

bool FootTrack::stands(std::size_t frame) const noexcept {
    const auto& parts_now = planted[frame];
    return std::any_of(parts_now.begin(), parts_now.end(), [](bool on) { return on; });
}

// A heel that dips through the floor behind resting toes is lower, but moves.
std::array<bool, k_foot_parts> parts_that_stand(const std::array<float, k_foot_parts>& height,
                                                const std::array<float, k_foot_parts>& speed,
                                                const std::array<bool, k_foot_parts>& stood,
                                                const ContactLimits& limits) noexcept {
    std::array<bool, k_foot_parts> stands{};
    for (std::size_t p = 0; p < k_foot_parts; ++p) {
        const float most_tilt = stood[p] ? limits.leave_tilt : limits.touch_tilt;
        stands[p] = stood[p] ? height[p] < limits.leave_height && speed[p] < limits.leave_speed
                             : height[p] < limits.touch_height && speed[p] < limits.touch_speed;
        for (std::size_t other = 0; other < k_foot_parts; ++other) {
            const bool lower = height[p] - height[other] > most_tilt;
            const bool higher = height[other] > limits.leave_height;
            const float steadier = speed[p] - speed[other];
            if (lower ? steadier > -k_steadier : !higher && steadier > k_steadier) stands[p] = false;
        }
    }
    return stands;
}

float trodden_floor(const Chart& chart) {
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    float lowest = chart.floor;
    for (const Sole& sole : chart.shape.soles) lowest = std::min(lowest, lowest_of(sole, rest, chart.up));
    return chart.floor - lowest < k_most_sunk * leg_length(chart) ? lowest : chart.floor;
}

std::vector<FootTrack> track_feet(const Chart& chart, const Clip& clip, std::span<const ContactSpan> set,
                                  const ContactLimits& limits) {
    std::vector<FootTrack> tracks = ContactFinder(chart, clip, limits).follow();
    for (FootTrack& track : tracks) take_over(track, chart, set, clip.name);
    return tracks;
}

Vec3 moving_floor(const Chart& chart, const Clip& clip) {
    ContactFinder finder(chart, clip, {});
    finder.follow();
    return finder.belt();
}

}  // namespace dendraxis
