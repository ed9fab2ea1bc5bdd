// Source of the parts: P. Dobrowolski, "Swing-twist decomposition in Clifford algebra", arXiv:1506.05481
// (2015).
#include "twist.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

// The angle of `turn` about `axis`, -pi to pi.
float twist_of(const Quat& turn, const Vec3& axis) {
    const float angle = 2.0f * std::atan2(turn.vec().dot(axis), turn.w());
    return angle - 2.0f * k_pi * std::round(angle / (2.0f * k_pi));
}

const Quat& rest_of(const Skeleton& skeleton, int bone) {
    return skeleton.bones()[static_cast<std::size_t>(bone)].rest.rotation;
}

// The joint's turn away from rest, in the frame in which the feed's axis is given.
Quat turn_of(const TwistFeed& feed, std::span<const Transform> pose) {
    const Quat& now = pose[static_cast<std::size_t>(feed.driver)].rotation;
    return feed.driver_is_parent ? feed.undo * now : now * feed.undo;
}

// Whether a bone of a chain hangs below `bone`.
bool carries_chain(const Chart& chart, int bone) {
    return std::any_of(chart.chains.begin(), chart.chains.end(), [&](const Chain& chain) {
        return std::any_of(chain.bones.begin(), chain.bones.end(),
                           [&](int below) { return chart.skeleton.is_above(bone, below); });
    });
}

}  // namespace

std::vector<TwistFeed> find_twists(const Chart& target) {
    std::vector<TwistFeed> feeds;
    const std::vector<Transform> rest = rest_in_model_space(target.skeleton);
    const auto head = [&](int bone) { return rest[static_cast<std::size_t>(bone)].translation; };
    for (const Helper& helper : target.helpers) {
        if (helper.kind != HelperKind::twist || carries_chain(target, helper.bone)) continue;
        const int parent = target.skeleton.parent(helper.bone);
        for (const Chain& chain : target.chains) {
            const auto bones = bending_bones(target.skeleton, chain);
            if (!is_limb(chain.role()) || !bones) continue;
            for (std::size_t i = 0; i < 2; ++i) {
                if ((*bones)[i] != parent) continue;
                const Vec3 direction = head((*bones)[i + 1]) - head(parent);
                if (direction.norm() < 1e-6f) continue;
                const float along = std::clamp(
                    (head(helper.bone) - head(parent)).dot(direction) / direction.squaredNorm(), 0.0f, 1.0f);
                TwistFeed feed;
                feed.bone = helper.bone;
                feed.driver_is_parent = i == 0;
                feed.driver = i == 0 ? parent : (*bones)[2];
                feed.share = i == 0 ? along - 1.0f : along;
                feed.undo = rest_of(target.skeleton, feed.driver).conjugate();
                feed.rest = rest_of(target.skeleton, feed.bone);
                feed.axis =
                    (rest[static_cast<std::size_t>(parent)].rotation.conjugate() * direction).normalized();
                feeds.push_back(feed);
            }
        }
    }
    return feeds;
}

void feed_twists_over_time(std::span<const TwistFeed> feeds, std::size_t bones,
                           std::span<Transform> poses) noexcept {
    for (const TwistFeed& feed : feeds) {
        float before = 0.0f;
        for (std::size_t start = 0; start + bones <= poses.size(); start += bones) {
            float angle = twist_of(turn_of(feed, poses.subspan(start)), feed.axis);
            angle += 2.0f * k_pi * std::round((before - angle) / (2.0f * k_pi));
            before = angle;
            poses[start + static_cast<std::size_t>(feed.bone)].rotation =
                Quat(Eigen::AngleAxisf(feed.share * angle, feed.axis)) * feed.rest;
        }
    }
}

}  // namespace dendraxis::detail
