#include "links.hpp"

#include "segments.hpp"

#include <dendraxis/geometry/segment.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis {
namespace detail {

// Where bones' heads are at rest in the upright frame.
std::vector<Vec3> upright_heads(const Chart& chart) {
    const Quat upright = chart.to_upright();
    std::vector<Vec3> heads;
    for (const Transform& bone : rest_in_model_space(chart.skeleton))
        heads.push_back(upright * bone.translation);
    return heads;
}

// Of bodies that a person planned: up to the next body below, else as far as their farthest bone.
Vec3 end_of_body(const RagdollPlan& plan, const Skeleton& skeleton, const std::vector<Vec3>& heads,
                 int body) {
    const int bone = plan.bodies[static_cast<std::size_t>(body)].bone;
    const Vec3& from = heads[static_cast<std::size_t>(bone)];
    Vec3 end = from;
    bool next_is_body = false;
    for (std::size_t other = 0; other < heads.size(); ++other) {
        if (static_cast<int>(other) == bone || !skeleton.is_above(bone, static_cast<int>(other))) continue;
        const bool is_body = std::any_of(plan.bodies.begin(), plan.bodies.end(),
                                         [&](const auto& b) { return b.bone == static_cast<int>(other); });
        const bool farther = (heads[other] - from).norm() > (end - from).norm();
        if ((is_body && !next_is_body) || (is_body == next_is_body && farther)) end = heads[other];
        next_is_body = next_is_body || is_body;
    }
    return end;
}

// Of each body its segment at rest, from head to end, in the upright frame.
std::vector<std::pair<Vec3, Vec3>> lines_at_rest(const RagdollPlan& plan, const Chart& chart) {
    const std::vector<Vec3> heads = upright_heads(chart);
    const std::vector<Segment> segments = segments_of(chart);
    std::vector<std::pair<Vec3, Vec3>> lines;
    for (std::size_t i = 0; i < plan.bodies.size(); ++i) {
        const int bone = plan.bodies[i].bone;
        const auto planned = std::find_if(segments.begin(), segments.end(),
                                          [&](const Segment& s) { return s.bones.front() == bone; });
        lines.emplace_back(heads[static_cast<std::size_t>(bone)],
                           planned != segments.end()
                               ? Vec3(chart.to_upright() * planned->end)
                               : end_of_body(plan, chart.skeleton, heads, static_cast<int>(i)));
    }
    return lines;
}

}  // namespace detail

namespace {

class Linker {
 public:
    Linker(const RagdollPlan& plan, const Chart& chart)
        : plan_(plan),
          chart_(chart),
          owners_(bodies_of_bones(chart.skeleton, plan)),
          lines_(detail::lines_at_rest(plan, chart)),
          known_(plan.bodies.size(), -1) {
        for (std::size_t i = 1; i < plan.bodies.size(); ++i) known_[i] = known_above(static_cast<int>(i));
        for (std::size_t i = 1; i < plan.bodies.size(); ++i) {
            if (known_[i] < 0) known_[i] = nearest(static_cast<int>(i));
        }
    }

    std::vector<int> all() && { return std::move(known_); }

 private:
    int owner(int bone) const { return owners_[static_cast<std::size_t>(bone)]; }

    int known_above(int body) const {
        const int bone = plan_.bodies[static_cast<std::size_t>(body)].bone;
        for (const Chain& chain : chart_.chains) {
            const auto at = std::find(chain.bones.begin(), chain.bones.end(), bone);
            if (at == chain.bones.end()) continue;
            for (auto before = at; before != chain.bones.begin();) {
                const int own = owner(*--before);
                if (own >= 0 && own != body) return own;
            }
        }
        const int parent = chart_.skeleton.parent(bone);
        return parent == k_no_bone ? -1 : owner(parent);
    }

    bool hangs_on(int body, int above) const {
        for (std::size_t guard = 0; body >= 0 && guard <= known_.size(); ++guard) {
            if (body == above) return true;
            body = known_[static_cast<std::size_t>(body)];
        }
        return false;
    }

    int nearest(int body) const {
        const Vec3& head = lines_[static_cast<std::size_t>(body)].first;
        int best = 0;
        float least = 1e30f;
        for (int other = 0; other < static_cast<int>(lines_.size()); ++other) {
            if (hangs_on(other, body)) continue;
            const auto& [from, to] = lines_[static_cast<std::size_t>(other)];
            const float far = distance_to_segment(head, from, to);
            if (far < least) least = far, best = other;
        }
        return best;
    }

    const RagdollPlan& plan_;
    const Chart& chart_;
    std::vector<int> owners_;
    std::vector<std::pair<Vec3, Vec3>> lines_;
    std::vector<int> known_;
};

}  // namespace

std::vector<int> detail::bodies_above(const RagdollPlan& plan, const Chart& chart) {
    return Linker(plan, chart).all();
}

void link_ragdoll(RagdollPlan& plan, const Chart& chart) {
    const std::vector<int> above = detail::bodies_above(plan, chart);
    for (std::size_t i = 1; i < plan.bodies.size(); ++i) {
        RagdollJoint joint;
        joint.body = static_cast<int>(i);
        joint.above = above[i];
        joint.range.about = Vec3::Zero();
        plan.joints.push_back(joint);
    }
}

}  // namespace dendraxis
