#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/key_reduction.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

using namespace dendraxis;

TEST_CASE("bones must stand behind their parents and have labels of their own") {
    CHECK_THROWS_AS(Skeleton({{"a", "a", 0, {}}}), Error);
    CHECK_THROWS_AS(Skeleton({{"a", "a", k_no_bone, {}}, {"b", "a", 0, {}}}), Error);
    const Skeleton skeleton(
        {{"a", "a", k_no_bone, {}}, {"b", "b", 0, {}}, {"c", "c", 0, {}}, {"d", "d", 2, {}}});
    CHECK(skeleton.common_ancestor(1, 3) == 0);
    CHECK(skeleton.is_above(2, 3));
    CHECK_FALSE(skeleton.is_above(1, 3));
    CHECK(skeleton.find("d") == 3);
    CHECK(skeleton.find("e") == k_no_bone);
}

TEST_CASE("local to model space and back gives the same pose") {
    const Skeleton& skeleton = workshop::bosun().skeleton;
    std::vector<Transform> local = rest_pose(skeleton);
    for (Transform& bone : local)
        bone.rotation = bone.rotation * Quat(Eigen::AngleAxisf(0.2f, Vec3(1, 2, 3).normalized()));
    std::vector<Transform> model(local.size());
    std::vector<Transform> again(local.size());
    to_model_space(skeleton, local, model);
    to_local_space(skeleton, model, again);
    for (std::size_t i = 0; i < local.size(); ++i) {
        CHECK(angle_between(local[i].rotation, again[i].rotation) < 1e-5f);
        CHECK((local[i].translation - again[i].translation).norm() < 1e-2f);  // centimetres
    }
}

TEST_CASE("sampling meets the frames, goes between them, and holds at the ends") {
    const Clip& clip = workshop::diver().clip("stroll");
    std::vector<Transform> pose(clip.bone_count);
    const auto ground = static_cast<std::size_t>(workshop::diver().skeleton.find("ground"));
    sample(clip, 10.0f / clip.fps, pose);
    CHECK((pose[ground].translation - clip.frame(10)[ground].translation).norm() < 1e-5f);
    sample(clip, 10.5f / clip.fps, pose);
    const Vec3 middle = 0.5f * (clip.frame(10)[ground].translation + clip.frame(11)[ground].translation);
    CHECK((pose[ground].translation - middle).norm() < 1e-5f);
    sample(clip, -5.0f, pose);
    CHECK(pose[ground].translation == clip.frame(0)[ground].translation);
    sample(clip, 500.0f, pose);
    CHECK(pose[ground].translation == clip.frame(clip.frame_count() - 1)[ground].translation);

    std::vector<Transform> again(clip.bone_count);
    sample(clip, 10.5f / clip.fps, pose);
    for (const float around : {-2.0f, -1.0f, 1.0f, 3.0f}) {
        sample(clip, 10.5f / clip.fps + around * clip.seconds(), again, Playback::loop);
        CHECK((pose[ground].translation - again[ground].translation).norm() < 1e-4f);
    }
    const Clip still{"still", 30.0f, 1, {Transform{}}};
    sample(still, 7.0f, again, Playback::loop);
    CHECK(again[0].translation == Vec3::Zero());
}

TEST_CASE("a clip is found by its name, or nothing is") {
    CHECK(workshop::diver().find_clip("stroll") == &workshop::diver().clip("stroll"));
    CHECK(workshop::diver().find_clip("strol") == nullptr);
}

TEST_CASE("reduced keys stay within the tolerance at every joint, and are fewer") {
    const Skeleton& skeleton = workshop::diver().skeleton;
    for (const Clip& clip : workshop::diver().clips) {
        const std::vector<BoneKeys> keys = reduce_keys(skeleton, clip);
        Clip made_again = clip;
        std::size_t kept = 0;
        std::size_t all = 0;
        for (std::size_t bone = 0; bone < skeleton.size(); ++bone) {
            all += 2 * clip.frame_count();
            kept += keys[bone].rotation.size() + keys[bone].translation.size();
            for (std::size_t f = 0; f < clip.frame_count(); ++f) {
                const auto between = [&](const std::vector<int>& list, auto&& blend) {
                    if (list.empty()) return;
                    std::size_t k = 0;
                    while (k + 2 < list.size() && list[k + 1] <= static_cast<int>(f)) ++k;
                    const int a = list[k];
                    const int b = list[std::min(k + 1, list.size() - 1)];
                    blend(clip.frame(static_cast<std::size_t>(a))[bone],
                          clip.frame(static_cast<std::size_t>(b))[bone],
                          a == b ? 0.0f
                                 : static_cast<float>(static_cast<int>(f) - a) / static_cast<float>(b - a));
                };
                Transform& out = made_again.frame(f)[bone];
                out = skeleton.bones()[bone].rest;
                between(keys[bone].rotation, [&](const Transform& a, const Transform& b, float t) {
                    out.rotation = a.rotation.slerp(t, b.rotation);
                });
                between(keys[bone].translation, [&](const Transform& a, const Transform& b, float t) {
                    out.translation = a.translation + t * (b.translation - a.translation);
                });
            }
        }
        CHECK(variants::worst_distance(skeleton, clip, skeleton, made_again) < 0.05e-3f);
        CHECK(kept < all / 2);
    }
}
