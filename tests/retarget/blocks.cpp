// Onto figures of few parts: legs without knees, a trunk that is one with the hips.
#include "crowd.hpp"
#include "gates.hpp"
#include "pass_plan.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/body_shape.hpp>
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/retarget/foot_lock.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace dendraxis;

namespace {

crowd::Body block_figure(unsigned number) {
    crowd::Oddities odd;
    odd.block = true;
    return crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good, odd);
}

// How far a sole's middle moves over the floor while the source's foot rests as a whole, at most; a share of
// the height.
float most_slide(const Pairing& pairing, const Clip& source, const Clip& result) {
    float most = 0.0f;
    std::vector<Transform> model(result.bone_count);
    for (const FootTrack& foot : track_feet(pairing.source, source)) {
        const Sole& sole = *pairing.target.shape.sole_of(foot.leg);
        const auto rests = [&](std::size_t f) { return foot.planted[f][k_heel] && foot.planted[f][k_ball]; };
        for (const FrameSpan& span : spans_where(result.frame_count(), rests)) {
            std::vector<Vec3> way;
            for (std::size_t f = span.first; f <= span.last; ++f) {
                to_model_space(pairing.target.skeleton, result.frame(f), model);
                Vec3 middle = Vec3::Zero();
                for (const SolePoint& part : sole.parts) middle += position_of(sole, part, model) / 3.0f;
                way.push_back(middle - middle.dot(pairing.target.up) * pairing.target.up);
                most = std::max(most, (way.back() - way.front()).norm() / pairing.target.height);
            }
        }
    }
    return most;
}

// Of the lowest sole over the floor in each frame, the lowest and the highest, as shares of the height.
std::pair<float, float> lowest_sole(const Chart& chart, const Clip& clip) {
    float least = 1e30f;
    float most = -1e30f;
    std::vector<Transform> model(clip.bone_count);
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(chart.skeleton, clip.frame(f), model);
        float low = 1e30f;
        for (const Sole& sole : chart.shape.soles)
            low = std::min(low, lowest_of(sole, model, chart.up) - chart.floor);
        least = std::min(least, low / chart.height);
        most = std::max(most, low / chart.height);
    }
    return {least, most};
}

}  // namespace

TEST_CASE("a figure without knees stays on the floor where the source crouches, hops and walks") {
    for (const unsigned number : {1u, 2u, 3u}) {
        const crowd::Body body = block_figure(number);
        const Pairing pairing = pair(workshop::diver_chart(), chart(body.character));
        REQUIRE(pairing.target.shape.soles.size() == 2);
        for (const char* name : {"crouch", "stroll", "idle"}) {
            CAPTURE(number);
            CAPTURE(name);
            const Clip result = Transfer(pairing).apply(*workshop::diver().find_clip(name));
            const auto [least, most] = lowest_sole(pairing.target, result);
            CHECK(least > -0.002f);
            CHECK(most < 0.01f);
        }
        const Clip hop = Transfer(pairing).apply(*workshop::diver().find_clip("hop-down"));
        CHECK(lowest_sole(pairing.target, hop).first > -0.002f);
    }
}

TEST_CASE("feet of a figure without knees stand still where the source's do") {
    for (const unsigned number : {1u, 2u, 3u}) {
        const crowd::Body body = block_figure(number);
        const Pairing pairing = pair(workshop::diver_chart(), chart(body.character));
        for (const char* name : {"crouch", "stroll", "haul-rope", "hop-down"}) {
            CAPTURE(number);
            CAPTURE(name);
            const Clip& source = *workshop::diver().find_clip(name);
            CHECK(most_slide(pairing, source, Transfer(pairing).apply(source)) < 0.002f);
        }
    }
}

TEST_CASE("a figure without knees lands when the source does") {
    const Pairing pairing = pair(workshop::diver_chart(), chart(block_figure(1).character));
    const Clip& hop = *workshop::diver().find_clip("hop-down");
    const Clip result = Transfer(pairing).apply(hop);
    const std::vector<FootTrack> feet = track_feet(pairing.source, hop);
    std::size_t landed = hop.frame_count() / 2;
    while (!feet.front().stands(landed) && !feet.back().stands(landed)) ++landed;
    REQUIRE(landed < hop.frame_count());
    std::vector<Transform> model(result.bone_count);
    to_model_space(pairing.target.skeleton, result.frame(landed), model);
    float lowest = 1e30f;
    for (const Sole& sole : pairing.target.shape.soles)
        lowest = std::min(lowest, lowest_of(sole, model, pairing.target.up) - pairing.target.floor);
    CHECK(lowest / pairing.target.height < 0.015f);
}

TEST_CASE("a person follows a figure without knees and elbows on the floor, arms out of the body") {
    for (const unsigned number : {1u, 2u, 3u}) {
        const Chart block = chart(block_figure(number).character);
        const Transfer there(pair(workshop::diver_chart(), block));
        const Pairing back = pair(block, workshop::diver_chart());
        for (const char* name : {"stroll", "crouch", "haul-rope", "idle"}) {
            CAPTURE(number);
            CAPTURE(name);
            const Clip source = there.apply(*workshop::diver().find_clip(name));
            workshop::check_gates(back, review_clip(back, source, Transfer(back).apply(source)),
                                  {"foot_slide_mm", "ground_depth_mm", "float_mm", "clipping_mm",
                                   "direction_error_deg", "pops"});
        }
    }
}

TEST_CASE("pose by pose, a figure without knees stands on the floor where the source's feet stand") {
    const Pairing pairing = pair(workshop::diver_chart(), chart(block_figure(2).character));
    const Transfer transfer(pairing);
    const FootLock lock(pairing);
    for (const char* name : {"crouch", "stroll", "hop-down"}) {
        CAPTURE(name);
        const Clip& source = *workshop::diver().find_clip(name);
        Clip result = Transfer(pairing).apply(source);
        FootLockState state;
        Workspace workspace;
        for (std::size_t f = 0; f < source.frame_count(); ++f) {
            transfer.apply(source.frame(f), result.frame(f), workspace);
            lock.apply(source.frame(f), result.frame(f), 1.0f / source.fps, state, workspace);
        }
        CHECK(lowest_sole(pairing.target, result).first > -0.002f);
        CHECK(most_slide(pairing, source, result) < 0.015f);
    }
}

TEST_CASE("a leg without a knee that is lifted stays lifted, one that stands does not lie") {
    Bone thigh;
    thigh.name = "thigh";
    const Skeleton skeleton({thigh});
    detail::LimbBones leg;
    const Vec3 up = Vec3::UnitY();
    for (const float degrees : {60.0f, 80.0f, 100.0f}) {
        const float angle = degrees / k_degrees;
        const LimbJoints joints{Vec3::Zero(), Vec3::Zero(), Vec3(0, -std::cos(angle), std::sin(angle))};
        std::vector<Transform> local(1);
        const Quat lifted = detail::turn_aside(skeleton, leg, joints, Vec3::Zero(), up, 0.0f, local);
        CHECK(lifted.angularDistance(Quat::Identity()) < 1e-3f);
        const Quat standing = detail::turn_aside(skeleton, leg, joints, Vec3::Zero(), up, 1.0f, local);
        CHECK((standing * joints.end).dot(up) < -0.43f);
    }
}
