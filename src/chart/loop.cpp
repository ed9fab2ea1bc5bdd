// Own method: the poses at a clip's ends compared in model space, less what the character goes by.
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/loop.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_same_turn = 3.0f / k_degrees;
constexpr float k_level_turn = 1.0f / k_degrees;
constexpr float k_same_height = 0.005f;  // of the height
constexpr float k_in_place = 0.02f;      // of the height
constexpr float k_in_place_turn = 2.0f / k_degrees;
constexpr float k_as_fast = 1.6f;                 // times a step at the clip's ends
constexpr float k_most_turn = 45.0f / k_degrees;  // in a step: more is a jump
constexpr float k_most_way = 0.1f;                // of the height
constexpr std::size_t k_least_frames = 4;

using Pose = std::vector<Transform>;

// A turn about up and a move over the floor.
struct Going {
    float yaw = 0.0f;
    Vec3 level = Vec3::Zero();  // of the hips
    float tilt = 0.0f;          // what the turn has beside, radians
    float rise = 0.0f;
};

class LoopFinder {
 public:
    LoopFinder(const Chart& chart, const Clip& clip)
        : chart_(chart), body_(static_cast<std::size_t>(std::max(0, chart.hips))) {
        const std::size_t last = clip.frame_count() - 1;
        for (const std::size_t frame : {std::size_t{0}, std::size_t{1}, last - 1, last}) {
            poses_.emplace_back(clip.bone_count);
            to_model_space(chart.skeleton, clip.frame(frame), poses_.back());
        }
    }

    std::optional<Loop> find(std::size_t frames) const {
        const Going all = going(poses_[0], poses_[3]);
        if (all.tilt < k_level_turn && std::abs(all.rise) < k_same_height * chart_.height) {
            const Transform step = step_of(all);
            if (is_same(step)) return Loop{step, frames - 1};
        }
        Going more = all;
        const Going first = going(poses_[0], poses_[1]);
        const Going last = going(poses_[2], poses_[3]);
        more.yaw += 0.5f * (first.yaw + last.yaw);
        const Quat turned(Eigen::AngleAxisf(all.yaw, chart_.up));
        more.level += 0.5f * (turned * first.level + last.level);
        const bool stays =
            more.level.norm() < k_in_place * chart_.height && std::abs(more.yaw) < k_in_place_turn;
        if (stays) more = {};
        const Transform step = step_of(more);
        if (goes_on(step)) return Loop{step, frames};
        return std::nullopt;
    }

    LoopGap gap() const {
        const Transform step = step_of(going(poses_[0], poses_[3]));
        LoopGap worst;
        all_of_body([&](std::size_t b) {
            const float distance = apart(step * poses_[0][b], poses_[3][b]);
            if (worst.bone == k_no_bone || distance > worst.distance) worst = {distance, static_cast<int>(b)};
            return true;
        });
        return worst;
    }

 private:
    Going going(const Pose& from, const Pose& to) const {
        const Quat turn = (to[body_].rotation * from[body_].rotation.conjugate()).normalized();
        Going result;
        result.yaw = 2.0f * std::atan2(turn.vec().dot(chart_.up), turn.w());
        if (result.yaw > k_pi) result.yaw -= 2.0f * k_pi;
        if (result.yaw < -k_pi) result.yaw += 2.0f * k_pi;
        result.tilt = angle_between(turn, Quat(Eigen::AngleAxisf(result.yaw, chart_.up)));
        const Vec3 moved = to[body_].translation - from[body_].translation;
        result.rise = moved.dot(chart_.up);
        result.level = moved - result.rise * chart_.up;
        return result;
    }

    // About where the hips are at first.
    Transform step_of(const Going& going) const {
        const Quat turn(Eigen::AngleAxisf(going.yaw, chart_.up));
        const Vec3& at = poses_[0][body_].translation;
        return {turn, at + going.level - turn * at, Vec3::Ones()};
    }

    template <class Check>
    bool all_of_body(const Check& check) const {
        for (std::size_t b = body_; b < poses_[0].size(); ++b) {
            const bool hangs = chart_.skeleton.is_above(static_cast<int>(body_), static_cast<int>(b));
            if (hangs && !check(b)) return false;
        }
        return true;
    }

    float apart(const Transform& a, const Transform& b) const {
        return (a.translation - b.translation).norm();
    }

    bool is_same(const Transform& step) const {
        return all_of_body([&](std::size_t b) {
            const Transform expected = step * poses_[0][b];
            return apart(expected, poses_[3][b]) < k_same_height * chart_.height &&
                   angle_between(expected.rotation, poses_[3][b].rotation) < k_same_turn;
        });
    }

    // From the last pose to the first of the next round is as far as a step at the clip's ends.
    bool goes_on(const Transform& step) const {
        return all_of_body([&](std::size_t b) {
            const Transform next = step * poses_[0][b];
            const auto turned = [&](std::size_t from, std::size_t to) {
                return angle_between(poses_[from][b].rotation, poses_[to][b].rotation);
            };
            const auto moved = [&](std::size_t from, std::size_t to) {
                return apart(poses_[from][b], poses_[to][b]);
            };
            const float turn = angle_between(next.rotation, poses_[3][b].rotation);
            const float way = apart(next, poses_[3][b]);
            return turn < k_most_turn && way < k_most_way * chart_.height &&
                   turn < k_as_fast * std::max(turned(0, 1), turned(2, 3)) + k_level_turn &&
                   way < k_as_fast * std::max(moved(0, 1), moved(2, 3)) + k_same_height * chart_.height;
        });
    }

    const Chart& chart_;
    std::size_t body_;
    std::vector<Pose> poses_;  // the first two and the last two
};

}  // namespace

std::optional<Loop> find_loop(const Chart& chart, const Clip& clip) {
    if (clip.frame_count() < k_least_frames || clip.bone_count != chart.skeleton.size()) return std::nullopt;
    return LoopFinder(chart, clip).find(clip.frame_count());
}

LoopGap loop_gap(const Chart& chart, const Clip& clip) {
    if (clip.frame_count() < 2 || clip.bone_count != chart.skeleton.size()) return {};
    return LoopFinder(chart, clip).gap();
}

Clip unrolled(const Chart& chart, const Clip& clip, const Loop& loop, std::size_t before, std::size_t after) {
    const Transform& above = chart.skeleton.above();
    const auto period = static_cast<std::ptrdiff_t>(loop.period);
    const auto frames = static_cast<std::ptrdiff_t>(clip.frame_count());
    Clip result = clip;
    result.transforms.clear();
    result.transforms.reserve((before + clip.frame_count() + after) * clip.bone_count);
    for (auto f = -static_cast<std::ptrdiff_t>(before); f < frames + static_cast<std::ptrdiff_t>(after);
         ++f) {
        // The clip itself as it is; else the round that the frame lies in.
        const bool own = f >= 0 && f < frames;
        const std::ptrdiff_t round = own ? 0 : f >= 0 ? f / period : -((period - 1 - f) / period);
        const auto pose = clip.frame(static_cast<std::size_t>(f - round * period));
        const std::size_t at = result.transforms.size();
        result.transforms.insert(result.transforms.end(), pose.begin(), pose.end());
        if (round == 0) continue;
        Transform moved;
        const Transform one = round > 0 ? loop.step : inverse(loop.step);
        for (std::ptrdiff_t r = 0; r < std::abs(round); ++r) moved = moved * one;
        const Transform local = inverse(above) * moved * above;
        for (std::size_t b = 0; b < clip.bone_count; ++b) {
            if (chart.skeleton.parent(static_cast<int>(b)) == k_no_bone)
                result.transforms[at + b] = local * result.transforms[at + b];
        }
    }
    return result;
}

void close_loop(Clip& clip, const Loop& loop, std::span<const Transform> end,
                std::span<const Transform> wanted, std::span<const int> bones) {
    for (const int bone : bones) {
        const auto b = static_cast<std::size_t>(bone);
        const Quat left = end[b].rotation.conjugate() * wanted[b].rotation;
        for (std::size_t f = 1; f < clip.frame_count(); ++f) {
            const float share = static_cast<float>(f) / static_cast<float>(loop.period);
            Quat& turn = clip.frame(f)[b].rotation;
            turn = (turn * Quat::Identity().slerp(share, left)).normalized();
        }
    }
}

}  // namespace dendraxis
