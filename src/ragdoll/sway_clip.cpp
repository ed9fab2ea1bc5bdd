#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/ragdoll/sway_clip.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_loop_turn = 1.0f / k_degrees;
constexpr float k_loop_position = 0.005f;  // of the height
constexpr float k_repeats = 0.05f / k_degrees;
constexpr float k_loop_seconds = 12.0f;  // a loop is played as long, at most, until it repeats itself
constexpr int k_most_rounds = 200;
constexpr float k_settle_seconds = 4.0f;
constexpr float k_settled = 0.02f / k_degrees;  // a frame

// The turn about up and the move over the floor that are nearest to a transform, if it is near one.
std::optional<Transform> over_the_floor(const Transform& step, const Vec3& up, const Vec3& at,
                                        float near_by) {
    const float along = step.rotation.vec().dot(up);
    const Quat turn = Quat(Eigen::AngleAxisf(2.0f * std::atan2(along, step.rotation.w()), up));
    if (angle_between(turn, step.rotation) > k_loop_turn) return std::nullopt;
    const Vec3 moved = apply(step, at) - at;
    if (std::abs(up.dot(moved)) > near_by) return std::nullopt;
    const Vec3 level = moved - up * up.dot(moved);
    return Transform{turn, at + level - turn * at, Vec3::Ones()};
}

class Baker {
 public:
    Baker(const SwayBinding& binding, const Chart& chart, const Clip& clip)
        : chart_(chart), clip_(clip), plan_(binding.plan()), sway_(binding), pose_(clip.bone_count) {
        sway_.set_ground(SwayGround{floor_of(chart, clip.name) * chart.up, chart.up});
    }

    SwayedClip run() {
        SwayedClip baked;
        baked.clip = clip_;
        baked.chains.resize(plan_.chains.size());
        const auto step = loop_step(chart_, clip_);
        baked.loops = step.has_value();
        if (step)
            repeat(*step);
        else
            settle();
        record(baked, step);
        if (step) close(baked);
        return baked;
    }

 private:
    void play(std::size_t frame, float dt) {
        const auto shown = clip_.frame(frame);
        std::copy(shown.begin(), shown.end(), pose_.begin());
        sway_.step(pose_, Transform(), dt);
    }

    float turned_since(const std::vector<Transform>& before) const {
        float most = 0.0f;
        for (const SwayChain& chain : plan_.chains) {
            for (const int bone : chain.bones) {
                const auto b = static_cast<std::size_t>(bone);
                most = std::max(most, angle_between(before[b].rotation, pose_[b].rotation));
            }
        }
        return most;
    }

    // The chains hang still in the first pose.
    void settle() {
        const float dt = 1.0f / 60.0f;
        play(0, 0.0f);
        for (float time = 0.0f; time < k_settle_seconds; time += dt) {
            const std::vector<Transform> before = pose_;
            play(0, dt);
            if (time > 0.5f && turned_since(before) < k_settled) break;
        }
    }

    // Round after round, each from where the one before ended, until they are alike.
    void repeat(const Transform& step) {
        settle();
        const float round = static_cast<float>(clip_.frame_count() - 1) / clip_.fps;
        std::vector<Transform> before = pose_;
        int alike = 0;
        for (int r = 0; r < k_most_rounds && static_cast<float>(r) * round < k_loop_seconds; ++r) {
            for (std::size_t f = 1; f < clip_.frame_count(); ++f) play(f, 1.0f / clip_.fps);
            sway_.teleport(step, Transform());
            alike = turned_since(before) < k_repeats ? alike + 1 : 0;
            if (alike == 2) break;
            before = pose_;
        }
    }

    void record(SwayedClip& baked, const std::optional<Transform>& step) {
        const std::vector<Transform> start = pose_;
        for (std::size_t f = 0; f < clip_.frame_count(); ++f) {
            if (f > 0) {
                play(f, 1.0f / clip_.fps);
            } else {  // where the round before has ended, seen from here
                const auto shown = clip_.frame(0);
                std::copy(shown.begin(), shown.end(), pose_.begin());
            }
            const auto out = baked.clip.frame(f);
            for (std::size_t c = 0; c < plan_.chains.size(); ++c) {
                for (const int bone : plan_.chains[c].bones) {
                    const auto b = static_cast<std::size_t>(bone);
                    out[b].rotation = f > 0 ? pose_[b].rotation : start[b].rotation;
                }
                note(baked.chains[c], c, static_cast<int>(f));
            }
        }
        if (step) baked.unclosed = turned_since(start);
    }

    void note(SwayFigures& figures, std::size_t chain, int frame) const {
        if (sway_.turned(chain) > figures.most_turned) {
            figures.most_turned = sway_.turned(chain);
            figures.frame = frame;
        }
        if (sway_.depth(chain) > figures.deepest) {
            figures.deepest = sway_.depth(chain);
            figures.deepest_frame = frame;
        }
    }

    // What is left between a loop's end and its start is spread over all its frames.
    void close(SwayedClip& baked) const {
        const std::size_t last = clip_.frame_count() - 1;
        for (const SwayChain& chain : plan_.chains) {
            for (const int bone : chain.bones) {
                const auto b = static_cast<std::size_t>(bone);
                const Quat left =
                    baked.clip.frame(last)[b].rotation.conjugate() * baked.clip.frame(0)[b].rotation;
                for (std::size_t f = 1; f <= last; ++f) {
                    const float share = static_cast<float>(f) / static_cast<float>(last);
                    Quat& turn = baked.clip.frame(f)[b].rotation;
                    turn = (turn * Quat::Identity().slerp(share, left)).normalized();
                }
            }
        }
    }

    const Chart& chart_;
    const Clip& clip_;
    const SwayPlan& plan_;
    Sway sway_;
    std::vector<Transform> pose_;
};

}  // namespace

std::optional<Transform> loop_step(const Chart& chart, const Clip& clip) {
    if (clip.frame_count() < 3) return std::nullopt;
    const Skeleton& skeleton = chart.skeleton;
    std::vector<Transform> first(skeleton.size());
    std::vector<Transform> last(skeleton.size());
    to_model_space(skeleton, clip.frame(0), first);
    to_model_space(skeleton, clip.frame(clip.frame_count() - 1), last);
    const auto body = static_cast<std::size_t>(std::max(0, chart.hips));
    const float near_by = k_loop_position * chart.height;
    const Quat turn = (last[body].rotation * first[body].rotation.conjugate()).normalized();
    const Transform moved{turn, last[body].translation - turn * first[body].translation, Vec3::Ones()};
    const auto step = over_the_floor(moved, chart.up, first[body].translation, near_by);
    if (!step) return std::nullopt;
    for (std::size_t b = body; b < skeleton.size(); ++b) {
        if (!skeleton.is_above(static_cast<int>(body), static_cast<int>(b))) continue;
        const Transform expected = *step * first[b];
        if ((expected.translation - last[b].translation).norm() > near_by ||
            angle_between(expected.rotation, last[b].rotation) > 3.0f * k_loop_turn)
            return std::nullopt;
    }
    return step;
}

SwayedClip sway_clip(const SwayBinding& binding, const Chart& chart, const Clip& clip) {
    if (clip.frame_count() == 0 || binding.plan().chains.empty())
        return {clip, false, 0.0f, std::vector<SwayFigures>(binding.plan().chains.size())};
    return Baker(binding, chart, clip).run();
}

SwaySettings sway_settings(const Chart& chart) {
    SwaySettings settings;
    settings.gravity = -9.81f / metres_in_unit(chart) * chart.up;
    return settings;
}

}  // namespace dendraxis
