#include <dendraxis/geometry/segment.hpp>

#include <algorithm>

namespace dendraxis {

float distance_to_segment(const Vec3& point, const Vec3& from, const Vec3& to) noexcept {
    const Vec3 along = to - from;
    const float share =
        std::clamp(along.dot(point - from) / std::max(along.squaredNorm(), 1e-20f), 0.0f, 1.0f);
    return (point - from - share * along).norm();
}

}  // namespace dendraxis
