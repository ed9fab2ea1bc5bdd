// Own method. How far the middle joint is off the line between the others says how sure its side is: where it
// is sure it stays as it is, and from there on to straight the sides before and after take over.
#include "steady_bend.hpp"
#include "smoothing.hpp"

#include <algorithm>

namespace dendraxis::detail {
namespace {

constexpr float k_surely_bent = 0.02f;  // of the limb's length

// How far the middle joint is off the line from root to end, and where to, in lengths of the limb.
Vec3 bend_of(const LimbJoints& limb) {
    const Vec3 upper = limb.middle - limb.root;
    const Vec3 line = (limb.end - limb.root).normalized();
    const float length = upper.norm() + (limb.end - limb.middle).norm();
    return length > 0.0f ? Vec3((upper - line * line.dot(upper)) / length) : Vec3(Vec3::Zero());
}

}  // namespace

Vec3 steady_bend(std::span<const LimbJoints> joints, std::size_t frame, std::size_t around) noexcept {
    const Vec3 own = bend_of(joints[frame]);
    const float size = own.norm();
    if (size >= k_surely_bent) return Vec3::Zero();
    Vec3 others = Vec3::Zero();
    for (std::size_t f = frame - std::min(frame, around); f <= std::min(frame + around, joints.size() - 1);
         ++f)
        others += bend_of(joints[f]);
    if (others.norm() < k_surely_bent) return Vec3::Zero();
    return own + (k_surely_bent - size) * smoother_step(1.0f - size / k_surely_bent) * others.normalized();
}

}  // namespace dendraxis::detail
