#include <dendraxis/sim/fall_review.hpp>

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/plan.hpp>
#include <dendraxis/review/gate.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace dendraxis::sim {
namespace {

constexpr float k_last = 0.25f;  // seconds at the end that are looked at for jitter
constexpr float k_percent = 100.0f;

constexpr std::array<Gate, 8> k_gates{{
    {"joint_gap_pct", 1.0f, "fall.torn", "the bones of a joint are apart",
     "see `ragdoll check`; link the body to the one that it hangs on"},
    {"skin_stretch_pct", 40.0f, "fall.skin-stretched", "the skin is drawn out",
     "list the bone that carries it at a body's \"also\""},
    {"below_ground_pct", 0.5f, "fall.below-ground", "the skin lies in the ground",
     "see `draw --ragdoll`; fit the body's shape to the skin"},
    {"beyond_range_deg", 3.0f, "fall.beyond-range", "joints go beyond their ranges",
     "see `ragdoll check`; widen the range or make the linked bodies more alike in mass"},
    {"jitter_pct", 0.1f, "fall.jitter", "it trembles while it lies", "see `ragdoll check`"},
    {"unsettled_seconds", 11.9f, "fall.unsettled", "it does not come to rest",
     "let it fall for longer; if it goes on moving, see `ragdoll check`"},
    {"get_up_turn_pct", 101.0f, "fall.gets-up-fast", "a joint turns faster than in any clip as it gets up",
     "give the blend more seconds, or a clip that starts nearer to how it lies"},
    {"get_up_below_pct", 5.0f, "fall.gets-up-below", "the skin sinks into the ground as it gets up",
     "give a clip that starts nearer to how it lies"},
}};

class FallMeasurer {
 public:
    explicit FallMeasurer(const BakedFall& fall)
        : fall_(fall),
          skeleton_(fall.chart->skeleton),
          plan_(fall.binding->plan()),
          height_(std::max(fall.chart->height, 1e-6f)),
          frames_(fall.get_up ? fall.get_up->from + 1 : fall.clip->frame_count()),
          model_(skeleton_.size()),
          states_(plan_.bodies.size()),
          anchors_(plan_.joints.size()) {}

    std::vector<Measure> run() {
        Measure gap{"joint_gap_pct", 0.0f, -1, ""};
        Measure range{"beyond_range_deg", 0.0f, -1, ""};
        to_model_space(skeleton_, fall_.let_go, model_);
        fall_.binding->anchors_of(model_, anchors_);
        for (std::size_t f = 0; f < frames_; ++f) {
            to_model_space(skeleton_, fall_.clip->frame(f), model_);
            fall_.binding->bodies_of(model_, {}, states_);
            joints(f, gap);
        }
        beyond(range);
        std::vector<Measure> measures{gap, skin_stretch(), below_ground(), range, jitter(), unsettled()};
        if (fall_.get_up) measures.insert(measures.end(), {up_turn(), up_below()});
        return measures;
    }

 private:
    static void keep(Measure& worst, float value, std::size_t frame, const std::string& where) {
        if (worst.frame >= 0 && !(value > worst.value)) return;
        worst.value = value;
        worst.frame = static_cast<int>(frame);
        worst.where = where;
    }

    const std::string& name_of(std::size_t joint) const {
        return plan_.bodies[static_cast<std::size_t>(plan_.joints[joint].body)].name;
    }

    void joints(std::size_t frame, Measure& gap) {
        for (std::size_t j = 0; j < anchors_.size(); ++j) {
            const BodyState& above = states_[static_cast<std::size_t>(plan_.joints[j].above)];
            const BodyState& body = states_[static_cast<std::size_t>(plan_.joints[j].body)];
            keep(gap, k_percent * separation_of(anchors_[j], above, body) / height_, frame, name_of(j));
            const float over =
                k_degrees * joint_overshoot(plan_.joints[j].range, turn_of(anchors_[j], above, body));
            overshoots_.push_back({over, frame, j});
        }
    }

    void beyond(Measure& range) {
        if (overshoots_.empty()) return;
        const auto nth = overshoots_.begin() +
                         static_cast<std::ptrdiff_t>(0.999 * static_cast<double>(overshoots_.size() - 1));
        std::nth_element(overshoots_.begin(), nth, overshoots_.end(),
                         [](const Overshoot& a, const Overshoot& b) { return a.degrees < b.degrees; });
        keep(range, nth->degrees, nth->frame, name_of(nth->joint));
    }

    std::vector<std::vector<Vec3>> skin_in(std::span<const Transform> pose) const {
        std::vector<Affine> matrices(skeleton_.size());
        to_model_matrices(skeleton_, pose, matrices);
        std::vector<std::vector<Vec3>> skins;
        for (const SkinnedMesh& mesh : fall_.character->meshes) {
            skins.emplace_back(mesh.positions.size());
            deform(mesh, matrices, skins.back());
        }
        return skins;
    }

    // The bone that moves a vertex most.
    const std::string& bone_at(std::size_t mesh, std::uint32_t vertex) const {
        const SkinnedMesh& own = fall_.character->meshes[mesh];
        const auto& weights = own.weights[vertex];
        const auto most =
            static_cast<std::size_t>(std::max_element(weights.begin(), weights.end()) - weights.begin());
        return skeleton_.bone(own.bones[own.joints[vertex][most]]).label;
    }

    Measure skin_stretch() const {
        Measure worst{"skin_stretch_pct", 0.0f, -1, ""};
        const std::vector<std::vector<Vec3>> rest = skin_in(rest_pose(skeleton_));
        const std::size_t step = std::max<std::size_t>(1, frames_ / 30);  // what is torn stays torn
        for (std::size_t f = 0; f < frames_; f += step) {
            const std::vector<std::vector<Vec3>> now = skin_in(fall_.clip->frame(f));
            for (std::size_t m = 0; m < now.size(); ++m) {
                for (const auto& triangle : fall_.character->meshes[m].triangles) {
                    for (std::size_t k = 0; k < 3; ++k) {
                        const std::uint32_t a = triangle[k];
                        const std::uint32_t b = triangle[(k + 1) % 3];
                        const float longer =
                            (now[m][a] - now[m][b]).norm() - (rest[m][a] - rest[m][b]).norm();
                        if (worst.frame < 0 || k_percent * longer / height_ > worst.value)
                            keep(worst, k_percent * longer / height_, f, bone_at(m, a));
                    }
                }
            }
        }
        return worst;
    }

    // How deep the skin is in the floor, hundredths of the height, and where; negative above it.
    std::pair<float, std::string> depth_in(std::span<const Transform> pose) const {
        std::pair<float, std::string> deepest{-1e30f, ""};
        const std::vector<std::vector<Vec3>> skins = skin_in(pose);
        for (std::size_t m = 0; m < skins.size(); ++m) {
            for (std::uint32_t v = 0; v < skins[m].size(); ++v) {
                const float depth =
                    k_percent * (fall_.chart->floor - fall_.chart->up.dot(skins[m][v])) / height_;
                if (depth > deepest.first) deepest = {depth, bone_at(m, v)};
            }
        }
        return deepest;
    }

    Measure below_ground() const {
        Measure worst{"below_ground_pct", 0.0f, -1, ""};
        if (!fall_.is_level || frames_ == 0) return worst;
        const auto [depth, where] = depth_in(fall_.clip->frame(frames_ - 1));
        if (!where.empty()) keep(worst, std::max(0.0f, depth), frames_ - 1, where);
        return worst;
    }

    Measure jitter() {
        Measure mean{"jitter_pct", 0.0f, -1, ""};
        const auto last = static_cast<std::size_t>(k_last * fall_.clip->fps);
        if (!fall_.settled || frames_ <= last || last == 0) return mean;
        Measure worst = mean;
        std::vector<Transform> before(skeleton_.size());
        for (std::size_t f = frames_ - last; f < frames_; ++f) {
            to_model_space(skeleton_, fall_.clip->frame(f - 1), before);
            to_model_space(skeleton_, fall_.clip->frame(f), model_);
            float most = 0.0f;
            for (const RagdollBody& body : plan_.bodies) {
                const auto bone = static_cast<std::size_t>(body.bone);
                const float moved =
                    k_percent * (model_[bone].translation - before[bone].translation).norm() / height_;
                keep(worst, moved, f, body.name);
                most = std::max(most, moved);
            }
            mean.value += most / static_cast<float>(last);
        }
        mean.frame = worst.frame;
        mean.where = worst.where;
        return mean;
    }

    Measure unsettled() const {
        if (frames_ == 0) return {"unsettled_seconds", 0.0f, -1, ""};
        const float seconds = static_cast<float>(frames_ - 1) / fall_.clip->fps;
        return {"unsettled_seconds", fall_.settled ? 0.0f : seconds, static_cast<int>(frames_) - 1, ""};
    }

    // Of the hips in the world, of the others in their joints.
    Measure up_turn() {
        Measure worst{"get_up_turn_pct", 0.0f, -1, ""};
        std::vector<Quat> before;
        for (std::size_t f = fall_.get_up->from; f <= fall_.get_up->to; ++f) {
            to_model_space(skeleton_, fall_.clip->frame(f), model_);
            fall_.binding->bodies_of(model_, {}, states_);
            std::vector<Quat> now{states_.front().turn};
            for (std::size_t j = 0; j < anchors_.size(); ++j)
                now.push_back(turn_of(anchors_[j], states_[static_cast<std::size_t>(plan_.joints[j].above)],
                                      states_[static_cast<std::size_t>(plan_.joints[j].body)]));
            for (std::size_t i = 0; i < before.size(); ++i) {
                const float rate = fall_.clip->fps * angle_between(before[i], now[i]);
                keep(worst, k_percent * rate / std::max(fall_.fastest, 1e-3f), f,
                     i == 0 ? plan_.bodies.front().name : name_of(i - 1));
            }
            before = std::move(now);
        }
        return worst;
    }

    Measure up_below() const {
        Measure worst{"get_up_below_pct", 0.0f, -1, ""};
        if (!fall_.is_level || fall_.character->meshes.empty()) return worst;
        const GetUp& up = *fall_.get_up;
        std::vector<Transform> own(skeleton_.size());
        sample(*up.clip, static_cast<float>(up.to - up.from) / fall_.clip->fps, own);
        const float lay = std::max(0.0f, depth_in(fall_.clip->frame(up.from)).first);
        const float stands = std::max(0.0f, depth_in(own).first);
        const std::size_t step = std::max<std::size_t>(1, (up.to - up.from) / 20);
        for (std::size_t f = up.from; f < up.to + step; f += step) {
            const std::size_t frame = std::min(f, up.to);
            const auto [depth, where] = depth_in(fall_.clip->frame(frame));
            const float may = frame == up.to ? stands : std::max(lay, stands);
            keep(worst, std::max(0.0f, depth - may), frame, where);
        }
        return worst;
    }

    struct Overshoot {
        float degrees;
        std::size_t frame;
        std::size_t joint;
    };

    const BakedFall& fall_;
    const Skeleton& skeleton_;
    const RagdollPlan& plan_;
    float height_;
    std::size_t frames_;
    std::vector<Transform> model_;
    std::vector<BodyState> states_;
    std::vector<JointAnchor> anchors_;
    std::vector<Overshoot> overshoots_;
};

}  // namespace

std::vector<Measure> fall_measures(const BakedFall& fall) {
    return FallMeasurer(fall).run();
}

float fall_gate(std::string_view measure) noexcept {
    const Gate* gate = find_gate(k_gates, measure);
    return gate == nullptr ? -1.0f : gate->most;
}

Findings judge_fall(const std::string& character, std::span<const Measure> measures) {
    Findings findings;
    for (const Measure& measure : measures) {
        const Gate* gate = find_gate(k_gates, measure.name);
        if (gate == nullptr || !is_over(measure, gate->most)) continue;
        findings.push_back(finding_over(
            *gate, measure, gate->most,
            measure.where.empty() ? character : fmt::format("frame {}, {}", measure.frame, measure.where)));
    }
    return findings;
}

}  // namespace dendraxis::sim
