// A symmetric body knows no side: the mirrored clip moves it in the mirror.
#include "crowd.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <string>

using namespace dendraxis;

namespace {

int depth_of(const Skeleton& skeleton, int bone) {
    return bone == k_no_bone ? 0 : 1 + depth_of(skeleton, skeleton.parent(bone));
}

// The bone that rests where `place` is, as deep in the skeleton as `bone` is.
std::size_t bone_at(const Skeleton& skeleton, std::span<const Transform> rest, const Vec3& place, int bone) {
    std::size_t nearest = static_cast<std::size_t>(bone);
    const auto away = [&](std::size_t i) { return (rest[i].translation - place).norm(); };
    for (std::size_t i = 0; i < rest.size(); ++i) {
        if (depth_of(skeleton, static_cast<int>(i)) == depth_of(skeleton, bone) &&
            away(i) < away(nearest) - 1e-6f)
            nearest = i;
    }
    return nearest;
}

// Across the plane through the hips that lies between the sides.
Clip mirrored(const Chart& chart, const Clip& clip) {
    const Skeleton& skeleton = chart.skeleton;
    const std::vector<Transform> rest = rest_in_model_space(skeleton);
    const Vec3 left = chart.up.cross(chart.facing).normalized();
    const Eigen::Matrix3f across = Eigen::Matrix3f::Identity() - 2.0f * left * left.transpose();
    const Vec3 middle = rest[static_cast<std::size_t>(chart.hips)].translation;
    std::vector<std::size_t> twins;
    for (std::size_t bone = 0; bone < rest.size(); ++bone) {
        const Vec3 place = across * (rest[bone].translation - middle) + middle;
        twins.push_back(bone_at(skeleton, rest, place, static_cast<int>(bone)));
    }
    Clip result = clip;
    std::vector<Transform> model(clip.bone_count);
    std::vector<Transform> other(clip.bone_count);
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(skeleton, clip.frame(f), model);
        for (std::size_t bone = 0; bone < model.size(); ++bone) {
            const std::size_t twin = twins[bone];
            const Eigen::Matrix3f turned =
                (model[twin].rotation * rest[twin].rotation.conjugate()).toRotationMatrix();
            other[bone] = model[twin];
            other[bone].rotation = Quat(Eigen::Matrix3f(across * turned * across)) * rest[bone].rotation;
            other[bone].translation = across * (model[twin].translation - middle) + middle;
            const int parent = skeleton.parent(static_cast<int>(bone));
            const Transform& above =
                parent == k_no_bone ? skeleton.above() : other[static_cast<std::size_t>(parent)];
            result.frame(f)[bone] = inverse(above) * other[bone];
        }
    }
    return result;
}

// Of the height.
float farthest_apart(const Chart& chart, const Clip& a, const Clip& b) {
    std::vector<Transform> of_a(a.bone_count);
    std::vector<Transform> of_b(b.bone_count);
    float most = 0.0f;
    for (std::size_t f = 0; f < a.frame_count(); ++f) {
        to_model_space(chart.skeleton, a.frame(f), of_a);
        to_model_space(chart.skeleton, b.frame(f), of_b);
        for (std::size_t bone = 0; bone < of_a.size(); ++bone)
            most = std::max(most, (of_a[bone].translation - of_b[bone].translation).norm());
    }
    return most / chart.height;
}

}  // namespace

TEST_CASE("a mirrored clip moves a symmetric body in the mirror") {
    const Character& diver = workshop::diver();
    const Chart& source = workshop::diver_chart();
    for (const unsigned number : {1u, 2u, 5u}) {
        const Chart body = chart(crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good).character);
        const Transfer transfer(pair(source, body));
        for (const std::string name : {"stroll", "crouch", "haul-rope", "swing-mallet"}) {
            CAPTURE(number);
            CAPTURE(name);
            const Clip& clip = diver.clip(name);
            const Clip there = mirrored(body, transfer.apply(clip));
            CHECK(farthest_apart(body, transfer.apply(mirrored(source, clip)), there) < 1e-4f);
        }
    }
}
