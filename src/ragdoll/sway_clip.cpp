#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/loop.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/ragdoll/sway_clip.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_repeats = 0.05f / k_degrees;
constexpr float k_loop_seconds = 12.0f;  // a loop is played as long, at most, until it repeats itself
constexpr int k_most_rounds = 200;
constexpr float k_settle_seconds = 4.0f;
constexpr float k_settled = 0.02f / k_degrees;  // a frame

class Baker {
 public:
    Baker(const SwayBinding& binding, const Chart& chart, const Clip& clip)
        : clip_(clip), plan_(binding.plan()), loop_(find_loop(chart, clip)), sway_(binding) {
        pose_.resize(clip.bone_count);
        sway_.set_ground(SwayGround{floor_of(chart, clip.name) * chart.up, chart.up});
        for (const SwayChain& chain : plan_.chains)
            bones_.insert(bones_.end(), chain.bones.begin(), chain.bones.end());
    }

    SwayedClip run() {
        SwayedClip baked;
        baked.clip = clip_;
        baked.loops = loop_.has_value();
        baked.chains.resize(plan_.chains.size());
        settle();
        if (loop_) repeat();
        const std::vector<Transform> start = pose_;
        record(baked, 0);
        for (std::size_t f = 1; f < clip_.frame_count(); ++f) {
            play(f, 1.0f / clip_.fps);
            record(baked, f);
        }
        if (!loop_) return baked;
        go_on();
        baked.unclosed = turned_since(start);
        close_loop(baked.clip, *loop_, pose_, baked.clip.frame(0), bones_);
        return baked;
    }

 private:
    void play(std::size_t frame, float dt, const Transform& placement = {}) {
        const auto shown = clip_.frame(frame);
        std::copy(shown.begin(), shown.end(), pose_.begin());
        sway_.step(pose_, placement, dt);
    }

    float turned_since(const std::vector<Transform>& before) const {
        float most = 0.0f;
        for (const int bone : bones_) {
            const auto b = static_cast<std::size_t>(bone);
            most = std::max(most, angle_between(before[b].rotation, pose_[b].rotation));
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

    // From the clip's last frame to where its first plays again.
    void go_on() {
        if (!loop_->closes(clip_)) play(0, 1.0f / clip_.fps, loop_->step);
        sway_.teleport(loop_->step, Transform());
    }

    // Round after round, each from where the one before ended, until they are alike.
    void repeat() {
        const float round = static_cast<float>(loop_->period) / clip_.fps;
        std::vector<Transform> before = pose_;
        int alike = 0;
        for (int r = 0; r < k_most_rounds && static_cast<float>(r) * round < k_loop_seconds; ++r) {
            for (std::size_t f = 1; f < clip_.frame_count(); ++f) play(f, 1.0f / clip_.fps);
            go_on();
            alike = turned_since(before) < k_repeats ? alike + 1 : 0;
            if (alike == 2) break;
            before = pose_;
        }
    }

    void record(SwayedClip& baked, std::size_t frame) const {
        for (const int bone : bones_) {
            const auto b = static_cast<std::size_t>(bone);
            baked.clip.frame(frame)[b].rotation = pose_[b].rotation;
        }
        for (std::size_t c = 0; c < plan_.chains.size(); ++c) {
            SwayFigures& figures = baked.chains[c];
            if (sway_.turned(c) > figures.most_turned) {
                figures.most_turned = sway_.turned(c);
                figures.frame = static_cast<int>(frame);
            }
            if (sway_.depth(c) > figures.deepest) {
                figures.deepest = sway_.depth(c);
                figures.deepest_frame = static_cast<int>(frame);
            }
        }
    }

    const Clip& clip_;
    const SwayPlan& plan_;
    std::optional<Loop> loop_;
    Sway sway_;
    std::vector<Transform> pose_;
    std::vector<int> bones_;  // of all chains
};

}  // namespace

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
