// Own method.
#include "pass_guard.hpp"

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr float k_unseen_acceleration = 0.3f;  // heights a second squared: the source may be as good as still
constexpr float k_easy_jerk = 1.3f;            // times the source's: what nobody sees
constexpr float k_unseen_depth = 1e-4f;        // of the arm's length
constexpr float k_float_counts = 0.7f;         // a heel over the floor is seen less than one in it
constexpr float k_slide_counts = 0.2f;         // seconds: lengths a second as lengths

float square(float value) {
    return value * value;
}

bool is_same(const Transform& a, const Transform& b) {
    return a.rotation.coeffs() == b.rotation.coeffs() && a.translation == b.translation && a.scale == b.scale;
}

// In radians; near enough for a mean.
float angle(const Vec3& a, const Vec3& b) {
    const float lengths = std::sqrt(a.squaredNorm() * b.squaredNorm());
    return lengths > 0.0f ? std::sqrt(std::max(0.0f, 2.0f - 2.0f * a.dot(b) / lengths)) : 0.0f;
}

}  // namespace

PassGuard::PassGuard(PassRun& run, ArmDepths* depths) : run_(run), depths_(depths) {
    for (const LimbPlan& leg : run.plan.standing_legs()) limbs_.push_back(&leg);
    for (const LimbPlan& arm : run.plan.arms) limbs_.push_back(&arm);
    const Pairing& pairing = run.plan.pairing;
    feet_ = track_feet(pairing.source, run.source, run.contacts);
    std::vector<Joints> source;
    for (std::size_t f = run.first; f < run.end(); ++f) {
        for (const LimbPlan* limb : limbs_) {
            const LimbJoints joints = limb->source.joints(run.source_pose(f));
            source.push_back({run.plan.leg_ratio * joints.root, run.plan.leg_ratio * joints.middle,
                              run.plan.leg_ratio * joints.end});
        }
        run.pose(f);
        read_joints(turned_);
    }
    source_acceleration_ = worst_acceleration(source);
    now_ = measure();
}

bool PassGuard::run_best(const Price& price, std::span<const Pass> passes) {
    std::vector<Transform>& poses = run_.result.transforms;
    std::vector<Transform> before;
    std::vector<Transform> best;
    Figures figures = now_;
    float most = 0.0f;
    for (std::size_t i = 0; i < passes.size(); ++i) {
        if (i == 0) {
            before = poses;
        } else if (best.empty() || i + 1 < passes.size()) {
            poses = before;
        } else {
            poses.swap(before);
            std::vector<Transform>().swap(before);  // a long clip is not held three times
        }
        const float mended = passes[i]();
        const bool is_as_before =
            std::equal(before.begin(), before.end(), poses.begin(), poses.end(), is_same);
        if (is_as_before && i == 0) return true;  // there is nothing to do
        if (is_as_before) continue;
        run_.attach_all();
        const Figures after = measure();
        const float gain =
            mended + now_.feet - after.feet + price.body * (now_.arms - after.arms) - harm(after, price);
        if (gain <= most) continue;
        most = gain;
        figures = after;
        best.swap(poses);
        const bool is_easy = after.jerk <= std::max(now_.jerk, k_easy_jerk);
        if (price.body > 0.0f && after.arms < k_unseen_depth && is_easy) break;
    }
    if (best.empty()) {
        poses = std::move(before);
        return false;
    }
    poses = std::move(best);
    now_ = figures;
    return true;
}

void PassGuard::read_joints(std::vector<Joints>& joints) const {
    for (const LimbPlan* limb : limbs_) {
        const LimbJoints at = limb->target.joints(run_.model);
        joints.push_back({at.root, at.middle, at.end});
    }
}

float PassGuard::worst_acceleration(const std::vector<Joints>& joints) const {
    float worst = 0.0f;
    const std::size_t step = limbs_.size();
    for (std::size_t i = step; i + step < joints.size(); ++i) {
        for (std::size_t k = 0; k < 3; ++k)
            worst = std::max(worst,
                             (joints[i - step][k] - 2.0f * joints[i][k] + joints[i + step][k]).squaredNorm());
    }
    return std::sqrt(worst);
}

PassGuard::Figures PassGuard::measure() {
    Figures figures;
    std::vector<Joints> now;
    now.reserve(turned_.size());
    std::vector<Vec3> last(run_.plan.standing_legs().size());
    for (std::size_t f = run_.first; f < run_.end(); ++f) {
        run_.pose(f);
        read_joints(now);
        figures.feet += feet_fault_in(f, last);
        figures.arms += arms_fault_in(f);
    }
    const auto mean_of = [](float sum, std::size_t count) {
        return sum / static_cast<float>(std::max<std::size_t>(count, 1));
    };
    measure_turns(now, figures);
    figures.feet =
        std::sqrt(mean_of(figures.feet, (run_.end() - run_.first) * run_.plan.standing_legs().size()));
    figures.arms = std::sqrt(mean_of(figures.arms, (run_.end() - run_.first) * run_.plan.arms.size()));
    const float unseen = k_unseen_acceleration * run_.plan.pairing.target.height /
                         std::max(1.0f, run_.result.fps * run_.result.fps);
    figures.jerk = worst_acceleration(now) / std::max(source_acceleration_, unseen);
    return figures;
}

void PassGuard::measure_turns(const std::vector<Joints>& now, Figures& figures) const {
    for (std::size_t i = 0; i < now.size(); ++i) {
        const bool is_leg = i % limbs_.size() < run_.plan.standing_legs().size();
        // A source without knees or elbows does not say how the target's are bent.
        const bool bends = limbs_[i % limbs_.size()]->source.bends();
        for (std::size_t k = 0; k < 2; ++k) {
            const std::size_t from = bends ? k : 0;
            const std::size_t to = bends ? k + 1 : 2;
            const float turned = angle(now[i][to] - now[i][from], turned_[i][to] - turned_[i][from]);
            if (is_leg) figures.legs_turned += turned;
            if (!is_leg) figures.arms_turned += square(turned);
        }
    }
    const auto frames = static_cast<float>(run_.end() - run_.first);
    figures.legs_turned /= std::max(1.0f, 2.0f * static_cast<float>(now.size()));
    figures.arms_turned /= std::max(1.0f, 2.0f * frames * static_cast<float>(run_.plan.arms.size()));
}

float PassGuard::harm(const Figures& after, const Price& price) const {
    const float jerk = std::max(0.0f, after.jerk - std::max(now_.jerk, k_easy_jerk));
    const float turned = std::max(0.0f, after.legs_turned - now_.legs_turned) +
                         std::max(0.0f, after.arms_turned - now_.arms_turned);
    return price.turned * turned + price.jerk * jerk;
}

// Of one frame, the sum over arms of squares.
float PassGuard::arms_fault_in(std::size_t frame) const {
    if (depths_ == nullptr) return 0.0f;
    depths_->place(run_.model);
    float sum = 0.0f;
    for (std::size_t i = 0; i < run_.plan.arms.size(); ++i) {
        const float depth = depths_->deepest(i, frame, depths_->balls(i, run_.model)).depth;
        sum += square(depth / run_.plan.arms[i].target_length);
    }
    return sum;
}

// Of one frame, the sum over legs of squares: one deep step is worse than many shallow ones.
float PassGuard::feet_fault_in(std::size_t frame, std::vector<Vec3>& last) const {
    const Chart& target = run_.plan.pairing.target;
    const std::vector<LimbPlan>& legs = run_.plan.standing_legs();
    const bool each_stands = run_.plan.stiff_legs.empty();  // without knees one foot is enough
    float nearest = 1e30f;
    float sum = 0.0f;
    for (std::size_t i = 0; i < legs.size(); ++i) {
        const LimbPlan& leg = legs[i];
        const Sole& sole = run_.plan.target_sole(leg);
        const FootTrack& foot = feet_[static_cast<std::size_t>(leg.source_shape)];
        const float height = lowest_of(sole, run_.model, target.up) - target.floor;
        const float wanted = run_.plan.leg_ratio * foot.height[frame];
        const float length = leg.target_length;
        float fault = std::max(0.0f, std::min(0.0f, wanted) - height) / length;
        if (foot.stands(frame)) {
            fault = std::max(0.0f, wanted - height) / length;
            const float hangs = k_float_counts * std::max(0.0f, height - wanted) / length;
            if (each_stands) fault = std::max(fault, hangs);
            nearest = std::min(nearest, hangs);
        }
        const Vec3 ball = position_of(sole, sole.parts[k_ball], run_.model);
        if (frame > run_.first && foot.planted[frame][k_ball] && foot.planted[frame - 1][k_ball]) {
            const Vec3 theirs =
                run_.plan.to_target * Vec3(foot.parts[frame][k_ball] - foot.parts[frame - 1][k_ball]);
            Vec3 beyond =
                ball - last[i] - (run_.shift[frame] - run_.shift[frame - 1]) - run_.plan.leg_ratio * theirs;
            beyond -= beyond.dot(target.up) * target.up;
            fault += k_slide_counts * beyond.norm() * run_.result.fps / length;
        }
        sum += square(fault);
        last[i] = ball;
    }
    if (!each_stands && nearest < 1e30f) sum += square(nearest);
    return sum;
}

}  // namespace dendraxis::detail
