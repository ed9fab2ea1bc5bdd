// Targets whose bones hang elsewhere in the file than in the body.
#include "crowd.hpp"
#include "gates.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/chart/body_tree.hpp>
#include <dendraxis/retarget/foot_lock.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <array>
#include <cmath>

using namespace dendraxis;

namespace {

// Without the passes on arms, which take arms whose bones hang on each other.
Pairing to(const Chart& target) {
    Pairing pairing = pair(workshop::diver_chart(), target);
    pairing.settings.hands = false;
    pairing.settings.clearance = false;
    return pairing;
}

}  // namespace

TEST_CASE("a target whose bones are all roots moves as the one whose bones hang on each other") {
    const Character& whole = workshop::deckhand();
    const Character apart = variants::flattened(whole);
    const Chart apart_chart = chart(apart);
    const Pairing to_whole = to(chart(whole));
    const Pairing to_apart = to(apart_chart);
    const Transfer one(to_whole);
    const Transfer other(to_apart);
    for (const Clip& clip : workshop::diver().clips) {
        CAPTURE(clip.name);
        const float worst =
            variants::worst_distance(whole.skeleton, one.apply(clip), apart.skeleton, other.apply(clip));
        MESSAGE(clip.name, ": ", 1e3f * worst, " mm");
        CHECK(worst < 1e-4f);
    }

    // Pose by pose, feet held.
    const FootLock lock_whole(to_whole);
    const FootLock lock_apart(to_apart);
    FootLockState state_whole;
    FootLockState state_apart;
    Workspace workspace;
    const Clip& stroll = workshop::diver().clip("stroll");
    std::vector<Transform> pose(whole.skeleton.size());
    std::vector<Transform> pose_apart(pose.size());
    std::vector<Transform> model(pose.size());
    std::vector<Transform> model_apart(pose.size());
    for (std::size_t f = 0; f < stroll.frame_count(); ++f) {
        one.apply(stroll.frame(f), pose, workspace);
        other.apply(stroll.frame(f), pose_apart, workspace);
        lock_whole.apply(stroll.frame(f), pose, 1.0f / stroll.fps, state_whole, workspace);
        lock_apart.apply(stroll.frame(f), pose_apart, 1.0f / stroll.fps, state_apart, workspace);
        to_model_space(whole.skeleton, pose, model);
        to_model_space(apart.skeleton, pose_apart, model_apart);
        for (std::size_t b = 0; b < model.size(); ++b)
            REQUIRE((model[b].translation - model_apart[b].translation).norm() < 1e-4f);
    }
}

TEST_CASE("what is a root of its own in the file stays on the body") {
    crowd::Oddities roots;
    roots.many_roots = true;  // chest, head, hands and feet
    for (const unsigned number : {3u, 11u, 23u}) {
        CAPTURE(number);
        const crowd::Body body = crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good, roots);
        const Skeleton& skeleton = body.character.skeleton;
        const Chart found = chart(body.character);
        const Pairing pairing = pair(workshop::diver_chart(), found);
        const Clip walk = Transfer(pairing).apply(workshop::diver().clip("stroll"));
        const BodyTree tree(found);
        CHECK(std::count_if(tree.order().begin(), tree.order().end(),
                            [&](int bone) { return tree.holder(bone) != k_no_bone; }) >= 5);
        const std::vector<Transform> rest = rest_in_model_space(skeleton);
        std::vector<Transform> model(skeleton.size());
        float farthest = 0.0f;
        for (std::size_t f = 0; f < walk.frame_count(); ++f) {
            to_model_space(skeleton, walk.frame(f), model);
            for (std::size_t b = 0; b < model.size(); ++b) {
                const int holder = tree.holder(static_cast<int>(b));
                if (holder == k_no_bone) continue;
                const auto h = static_cast<std::size_t>(holder);
                const float apart = (model[b].translation - model[h].translation).norm() -
                                    (rest[b].translation - rest[h].translation).norm();
                farthest = std::max(farthest, std::abs(apart) / found.height);
            }
        }
        MESSAGE("bones leave what they hang on by ", 100.0f * farthest, " % of the height");
        CHECK(farthest < 1e-3f);
    }
}

TEST_CASE("a bone has a holder in the body only if the file does not carry it") {
    const BodyTree diver(workshop::diver_chart());
    for (const int bone : diver.order()) CHECK(diver.holder(bone) == k_no_bone);

    const Character apart = variants::flattened(workshop::deckhand());
    const Chart found = chart(apart);
    const BodyTree tree(found);
    const Skeleton& whole = workshop::deckhand().skeleton;
    for (const char* name :
         {"dh:neck", "dh:head", "dh:l_collar", "dh:l_arm_lower", "dh:l_wrist", "dh:l_thumb_a",
          "dh:r_leg_upper", "dh:r_ankle", "dh:r_toe", "dh:pony_a", "dh:pony_c"}) {
        CAPTURE(name);
        const int bone = apart.skeleton.find(name);
        REQUIRE(bone != k_no_bone);
        CHECK(tree.holder(bone) == whole.parent(whole.find(name)));
    }
    CHECK(tree.holder(found.hips) == k_no_bone);

    // Each after its holder.
    const std::vector<int>& order = tree.order();
    REQUIRE(order.size() == apart.skeleton.size());
    for (auto at = order.begin(); at != order.end(); ++at) {
        const int holder = tree.holder(*at);
        if (holder != k_no_bone) CHECK(std::find(order.begin(), at, holder) != at);
    }
}

TEST_CASE("a body is charted alike where no bone hangs on another") {
    for (const Character* whole :
         {&workshop::diver(), &workshop::bosun(), &workshop::deckhand(), &workshop::hound()}) {
        const Chart truth = chart(*whole);
        for (const bool on_one_bone : {false, true}) {
            for (const bool named : {true, false}) {
                const Character character = named ? *whole : variants::nameless(*whole);
                const Chart found = chart(variants::flattened(character, on_one_bone));
                CAPTURE(whole->name);
                CAPTURE(on_one_bone);
                CAPTURE(named);
                const int first = on_one_bone ? 1 : 0;
                CHECK(found.hips == truth.hips + first);
                for (const Chain& chain : truth.chains) {
                    const ChainRole role = chain.role();
                    if (is_digit(role) || role == ChainRole::loose || role == ChainRole::grip) continue;
                    CAPTURE(chain.name);
                    const Chain* same = found.find(chain.name);
                    REQUIRE(same != nullptr);
                    std::vector<int> bones = chain.bones;
                    for (int& bone : bones) bone += first;
                    // Neither names nor hierarchy tell twist bones within a limb.
                    const bool has_all = std::all_of(bones.begin(), bones.end(), [&](int bone) {
                        return std::find(same->bones.begin(), same->bones.end(), bone) != same->bones.end();
                    });
                    CHECK((named ? same->bones == bones : has_all));
                }
            }
        }
    }
}

TEST_CASE("where the hips hang below the chest, the legs' roots still go where the source's go") {
    const Chart& source = workshop::diver_chart();
    crowd::Oddities chest_root;
    chest_root.chest_root = true;
    int carried_by_chest = 0;
    for (unsigned number = 1; number < 25; ++number) {
        CAPTURE(number);
        const crowd::Body body =
            crowd::plain_body(number, crowd::Kind::biped, crowd::Names::none, chest_root);
        const Pairing pairing = pair(source, chart(body.character));
        const Chart& target = pairing.target;
        if (hips_answer(pairing)) continue;
        ++carried_by_chest;
        const Transfer transfer(pairing);
        const Clip& crouch = workshop::diver().clip("crouch");
        const Clip result = transfer.apply_turns(crouch);
        std::vector<Transform> theirs(source.skeleton.size());
        std::vector<Transform> ours(target.skeleton.size());
        const auto offset = [&](std::size_t f) -> Vec3 {
            to_model_space(source.skeleton, crouch.frame(f), theirs);
            to_model_space(target.skeleton, result.frame(f), ours);
            return legs_middle(target, ours) -
                   transfer.leg_ratio() * (source_to_target(pairing) * legs_middle(source, theirs));
        };
        const Vec3 first = offset(0);
        for (std::size_t f = 0; f < crouch.frame_count(); ++f)
            CHECK((offset(f) - first).norm() < 0.01f * leg_length(target));
        CHECK(review_clip(pairing, crouch, transfer.apply(crouch))["root_motion_error_pct"].value < 1.0f);
    }
    CHECK(carried_by_chest > 0);
}

TEST_CASE("what the hips hang on in the file travels with them") {
    crowd::Oddities odd;
    odd.chest_root = true;
    for (const crowd::Kind kind : {crowd::Kind::biped, crowd::Kind::bird}) {
        for (unsigned number = 1; number <= 6; ++number) {
            CAPTURE(static_cast<int>(kind));
            CAPTURE(number);
            const crowd::Body body = crowd::plain_body(number, kind, crowd::Names::good, odd);
            const Skeleton& skeleton = body.character.skeleton;
            const Pairing pairing = pair(workshop::diver_chart(), chart(body.character));
            const Clip result = Transfer(pairing).apply(workshop::diver().clip("stroll"));
            const std::vector<Transform> rest = rest_in_model_space(skeleton);
            std::vector<Transform> model(skeleton.size());
            float worst = 0.0f;
            for (std::size_t f = 0; f < result.frame_count(); ++f) {
                to_model_space(skeleton, result.frame(f), model);
                for (std::size_t b = 0; b < skeleton.size(); ++b) {
                    if (skeleton.bones()[b].parent == k_no_bone) continue;
                    const auto parent = static_cast<std::size_t>(skeleton.bones()[b].parent);
                    if (static_cast<int>(parent) == pairing.target.root) continue;
                    const float apart = (model[b].translation - model[parent].translation).norm();
                    const float at_rest = (rest[b].translation - rest[parent].translation).norm();
                    worst = std::max(worst, std::abs(apart - at_rest));
                }
            }
            CHECK(worst < 0.001f * pairing.target.height);
        }
    }
}

TEST_CASE("a trunk leans alike whether it hangs on the hips or the hips on it") {
    crowd::Oddities odd;
    odd.chest_root = true;
    for (unsigned number = 1; number <= 6; ++number) {
        CAPTURE(number);
        const crowd::Body body = crowd::plain_body(number, crowd::Kind::bird, crowd::Names::good, odd);
        const Pairing pairing = pair(workshop::diver_chart(), chart(body.character));
        for (const Clip& clip : workshop::diver().clips) {
            CAPTURE(clip.name);
            const ClipReview review = review_clip(pairing, clip, Transfer(pairing).apply(clip));
            workshop::check_gates(
                pairing, review,
                {"root_motion_error_pct", "trunk_error_deg", "foot_slide_mm", "ground_depth_mm", "pops"});
        }
    }
}

TEST_CASE(
    "feet that hang on the root stay on the legs where a root follows the hips of a source without one") {
    const Chart rootless = chart(workshop::deckhand());
    REQUIRE(rootless.root == k_no_bone);
    const Clip walk =
        Transfer(pair(workshop::diver_chart(), rootless)).apply(workshop::diver().clip("stroll"));
    crowd::Oddities odd;
    odd.feet_on_root = true;
    std::size_t with_root = 0;
    for (unsigned number = 1; number < 9; ++number) {
        CAPTURE(number);
        const Chart target =
            chart(crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good, odd).character);
        if (target.root == k_no_bone) continue;
        ++with_root;
        const Pairing pairing = pair(rootless, target);
        workshop::check_gates(pairing, review_clip(pairing, walk, Transfer(pairing).apply(walk)),
                              {"joint_gap_pct", "foot_slide_mm", "direction_error_deg"});
    }
    CHECK(with_root > 1);
}

TEST_CASE("a rule for root motion takes the whole body along, whatever it hangs on") {
    std::array<crowd::Oddities, 3> odd;
    odd[0].feet_on_root = true;
    odd[1].many_roots = true;
    odd[2].chest_root = true;
    const Clip& stroll = workshop::diver().clip("stroll");
    for (std::size_t which = 0; which < odd.size(); ++which) {
        for (const unsigned number : {1u, 3u, 5u}) {
            const Chart target = chart(
                crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good, odd[which]).character);
            const Pairing from_diver = pair(workshop::diver_chart(), target);
            const Clip own = Transfer(from_diver).apply(stroll);
            for (const RootMotion rule : {RootMotion::copied, RootMotion::in_place}) {
                CAPTURE(which);
                CAPTURE(number);
                CAPTURE(static_cast<int>(rule));
                const auto check = [&](Pairing pairing, const Clip& source) {
                    pairing.settings.root_motion = {{"stroll", rule}};
                    workshop::check_gates(pairing,
                                          review_clip(pairing, source, Transfer(pairing).apply(source)),
                                          {"joint_gap_pct", "root_motion_error_pct"});
                };
                check(from_diver, stroll);
                check(pair(target, target), own);
            }
        }
    }
}

TEST_CASE("feet that hang elsewhere stay on legs that a person has set to reach or to match in part") {
    crowd::Oddities odd;
    odd.many_roots = true;
    const Clip& stroll = workshop::diver().clip("stroll");
    for (const unsigned number : {1u, 3u, 5u}) {
        const Chart target =
            chart(crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good, odd).character);
        for (const auto& [strength, reach] : {std::pair(0.5f, 0.0f), std::pair(1.0f, 1.0f)}) {
            CAPTURE(number);
            CAPTURE(reach);
            Pairing pairing = pair(workshop::diver_chart(), target);
            for (ChainPair& entry : pairing.chains) {
                if (!entry.target.starts_with("leg")) continue;
                entry.strength = strength;
                entry.reach = reach;
            }
            workshop::check_gates(pairing, review_clip(pairing, stroll, Transfer(pairing).apply(stroll)),
                                  {"joint_gap_pct"});
        }
    }
}
