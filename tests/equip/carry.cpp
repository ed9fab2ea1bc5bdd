// Things with several places, and things for two hands.
#include "allocations.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/equip/bring_sockets.hpp>
#include <dendraxis/equip/let_go.hpp>
#include <dendraxis/equip/second_hand.hpp>
#include <dendraxis/equip/sweep.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/props/props.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <doctest/doctest.h>

using namespace dendraxis;

namespace {

std::size_t index_of(const SocketBinding& binding, const std::string& name) {
    for (std::size_t i = 0; i < binding.sockets().size(); ++i) {
        if (binding.sockets()[i].name == name) return i;
    }
    FAIL("no socket " << name);
    return 0;
}

SocketBinding sockets_on(const Character& character, const Chart& chart) {
    return {suggested_sockets(character, chart), chart};
}

}  // namespace

TEST_CASE("a carried thing changes its place when it is told, and glides without a jump") {
    const Character& diver = workshop::diver();
    const Chart own = chart(diver);
    const SocketBinding sockets = sockets_on(diver, own);
    const Prop mallet = io::load_prop(workshop::demo("mallet.glb"));
    const Transform placement = placement_of(mallet, {});
    const Clip& clip = diver.clip("stroll");
    const CarryPlan plan({{index_of(sockets, "hand.right"), placement},
                          {index_of(sockets, "belt.left"), placement},
                          {index_of(sockets, "back"), placement}},
                         {{8.0f, 1, 10.0f}, {24.0f, 2, 0.0f}});
    std::vector<Transform> model(diver.skeleton.size());
    const auto in = [&](std::size_t place) {
        return sockets.frame(plan.places()[place].socket, model) * placement;
    };
    Vec3 before = Vec3::Zero();
    float jump = 0.0f;
    float fastest = 0.0f;
    for (std::size_t f = 0; f < 32; ++f) {
        to_model_space(diver.skeleton, clip.frame(f), model);
        const Transform at = plan.frame(sockets, static_cast<float>(f), model);
        if (f <= 8) CHECK((at.translation - in(0).translation).norm() < 1e-6f);
        if (f >= 18 && f < 24) CHECK((at.translation - in(1).translation).norm() < 1e-6f);
        if (f >= 24) CHECK((at.translation - in(2).translation).norm() < 1e-6f);
        const float step = (at.translation - before).norm();
        if (f == 24) jump = step;
        if (f > 0 && f != 24) fastest = std::max(fastest, step);
        before = at.translation;
    }
    // A glide over ten frames is at most 1.875 / 10 of its way a frame (the slope of the easing), and
    // walking.
    CHECK(fastest < 0.25f);
    CHECK(jump > 0.25f);
    CHECK(jump_of(plan, 1, sockets, diver.skeleton, clip) == doctest::Approx(jump).epsilon(0.2));
    CHECK(jump_of(plan, 0, sockets, diver.skeleton, clip) == 0.0f);
    CHECK_THROWS_AS(CarryPlan({}, {}), Error);
    CHECK_THROWS_AS(CarryPlan({{0, placement}}, {{1.0f, 1, 0.0f}}), Error);
    CHECK_THROWS_AS(CarryPlan({{0, placement}, {1, placement}}, {{5.0f, 1, 4.0f}, {7.0f, 0, 0.0f}}), Error);
}

TEST_CASE("in the file, too, a carried thing is in one place at a time, and goes without a trace") {
    workshop::Scratch scratch;
    const Prop mallet = io::load_prop(workshop::demo("mallet.glb"));
    for (const char* name : {"diver.glb", "bosun.glb"}) {
        Character who = io::load_character(workshop::demo(name));
        if (who.clips.empty()) {
            Clip clip{"sway", 30.0f, who.skeleton.size(), {}};
            for (int f = 0; f < 40; ++f) {
                std::vector<Transform> pose = rest_pose(who.skeleton);
                for (Transform& bone : pose)
                    bone.rotation =
                        bone.rotation * Quat(Eigen::AngleAxisf(0.02f * std::sin(0.3f * static_cast<float>(f)),
                                                               Vec3::UnitX()));
                clip.transforms.insert(clip.transforms.end(), pose.begin(), pose.end());
            }
            const io::OutputFile moving{scratch / "moving.glb",
                                        io::glb_with_clips(who, std::span<const Clip>(&clip, 1))};
            io::write_files({&moving, 1});
            who = io::load_character(moving.path);
        }
        const Chart own = chart(who);
        const SocketBinding sockets = sockets_on(who, own);
        const Clip& clip = who.clips.front();
        CarriedProp carried{
            &mallet, {index_of(sockets, "hand.right"), index_of(sockets, "belt.left")}, {"grip", 0.9f}, {}};
        carried.switches[clip.name] = {{10.0f, 1, 0.0f}, {20.0f, 0, 8.0f}};
        const io::OutputFile file{
            scratch / "carried.glb",
            io::glb_with_props(who, sockets, {}, std::span<const CarriedProp>(&carried, 1))};
        io::write_files({&file, 1});
        if (workshop::has_validator()) CHECK(workshop::validator_errors(file.path) == "");
        const Character back = io::load_character(file.path);
        CHECK(back.skeleton.size() == who.skeleton.size());
        REQUIRE(back.prop_motions.size() == 1);

        const Transform placement = placement_of(mallet, carried.fit);
        const CarryPlan plan({{carried.sockets[0], placement}, {carried.sockets[1], placement}},
                             carried.switches[clip.name]);
        const Surface at_rest = surface_of(mallet.model);
        const std::size_t meshes = back.props.size() / 2;
        REQUIRE(meshes * 2 == back.props.size());
        for (std::size_t f = 0; f < 34; ++f) {
            CAPTURE(f);
            const std::vector<SkinnedMesh> props = props_at(back, clip.name, f);
            std::vector<Transform> model(who.skeleton.size());
            std::vector<Affine> matrices(who.skeleton.size());
            to_model_space(who.skeleton, clip.frame(f), model);
            to_model_matrices(back.skeleton, back.clip(clip.name).frame(f), matrices);
            const Transform wanted = plan.frame(sockets, static_cast<float>(f), model);
            const std::size_t place = plan.at(static_cast<float>(f)).to;
            std::size_t v = 0;
            for (std::size_t m = 0; m < props.size(); ++m) {
                const bool shows = m / meshes == place;
                const float size = std::abs(props[m].inverse_bind[0].linear().determinant());
                CHECK((shows ? size > 1e-3f : size == 0.0f));
                if (!shows) continue;
                std::vector<Vec3> places(props[m].positions.size());
                deform(props[m], matrices, places);
                for (std::size_t i = 0; i < places.size(); ++i, ++v)
                    CHECK((places[i] - apply(wanted, at_rest.positions[v])).norm() < 2e-5f);
            }
        }
        CHECK(io::glb_without_props(file.path) == io::glb_with_clips(who, {}));
    }
}

TEST_CASE("the second hand comes to its grip and nothing else changes") {
    const Prop mallet = io::load_prop(workshop::demo("mallet.glb"));
    for (const Character* who : {&workshop::diver(), &workshop::bosun(), &workshop::deckhand()}) {
        CAPTURE(who->name);
        const Chart own = chart(*who);
        const SocketBinding sockets = sockets_on(*who, own);
        const std::size_t first = index_of(sockets, "hand.right");
        const std::size_t second = index_of(sockets, "hand.left");
        // The diver's blow, a mallet of each one's size.
        const Transfer transfer(pair(chart(workshop::diver()), own));
        const Clip clip = transfer.apply(workshop::diver().clip("swing-mallet"));
        PropFit fit;
        fit.scale = own.height / chart(workshop::diver()).height;
        const TwoHanded held{first, placement_of(mallet, fit), second, mallet.grip("grip.second")};
        const TwoHandedClip done = bring_second_hand(own, sockets, held, clip);
        std::vector<Transform> model(who->skeleton.size());
        const Chain& other = *own.find("arm.left");
        float worst = 0.0f;
        std::size_t reached = 0;
        for (std::size_t f = 0; f < clip.frame_count(); ++f) {
            to_model_space(who->skeleton, done.clip.frame(f), model);
            const Transform prop = sockets.frame(first, model) * held.placement;
            const Transform hand = sockets.frame(second, model);
            const float off = (hand.translation - apply(prop, held.grip.at)).norm();
            worst = std::max(worst, off);
            // It is there, or the arm is as long as it gets.
            const auto joint = [&](std::size_t b) {
                return model[static_cast<std::size_t>(other.bones[b])].translation;
            };
            const Vec3 upper = joint(1) - joint(0);
            const Vec3 fore = joint(2) - joint(1);
            const float length = upper.norm() + fore.norm();
            CHECK((off < 0.002f || (upper + fore).norm() > 0.98f * length));
            reached += off < 0.002f ? 1 : 0;
            const Vec3 handle = prop.rotation * held.grip.turn * Vec3::UnitY();
            CHECK((hand.rotation * Vec3::UnitY()).dot(handle) > 0.999f);
            for (std::size_t b = 0; b < who->skeleton.size(); ++b) {
                const Transform& before = clip.frame(f)[b];
                const Transform& after = done.clip.frame(f)[b];
                CHECK((after.translation - before.translation).norm() < 1e-6f);
                const bool is_arm = std::find(other.bones.begin(), other.bones.end(), static_cast<int>(b)) !=
                                    other.bones.end();
                if (!is_arm) CHECK(angle_between(after.rotation, before.rotation) < 1e-3f);
            }
        }
        MESSAGE(who->name, ": in ", reached, " of ", clip.frame_count(), " frames, at most ", worst,
                " m off");
        CHECK(done.worst == doctest::Approx(worst).epsilon(1e-3));
        CHECK(reached * 3 > clip.frame_count());
        // Out of reach: told, not torn.
        TwoHanded far = held;
        far.grip.at = Vec3(0, 3.0f, 0);
        const TwoHandedClip torn = bring_second_hand(own, sockets, far, clip);
        CHECK(torn.out_of_reach == clip.frame_count());
        REQUIRE(check_second_hand(torn, mallet, sockets.sockets()[second]).size() == 1);
        TwoHanded wrong = held;
        wrong.second = index_of(sockets, "head");
        CHECK_THROWS_AS(bring_second_hand(own, sockets, wrong, clip), Error);
    }
}

TEST_CASE("what a game asks every frame asks for no memory") {
    const Character& diver = workshop::diver();
    const Chart own = chart(diver);
    const SocketBinding sockets = sockets_on(diver, own);
    const Prop mallet = io::load_prop(workshop::demo("mallet.glb"));
    const Transform placement = placement_of(mallet, {});
    const CarryPlan plan({{0, placement}, {1, placement}}, {{10.0f, 1, 10.0f}});
    const PropBody body = prop_body(mallet);
    const Surface surface = surface_of(diver);
    const Clip& clip = diver.clip("swing-mallet");
    std::vector<Transform> model(diver.skeleton.size());
    LiveWindow window(0.0f, 70.0f, {"float"});
    const std::vector<SweepTarget> targets{{"far", "float", -1, {ShapeKind::sphere, Vec3::Constant(0.1f)}},
                                           {"mesh", "float", -1, {}, &surface}};
    Motion far;
    far.from.translation = far.to.translation = Vec3(0, 9, 0);
    const std::vector<Motion> places{far, far};
    const long before = workshop::allocations();
    Transform last;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(diver.skeleton, clip.frame(f), model);
        const Transform now = plan.frame(sockets, static_cast<float>(f), model);
        if (f > 0)
            window.step(static_cast<float>(f - 1), clip.fps, mallet.volumes[0], {last, now}, targets, places);
        const ReleasedProp thing = let_go(body, now, last, 1.0f / clip.fps, Vec3(0, 1, 0), now.translation);
        (void)offset_on_bone(frame_of(thing, thing.state), model[0]);
        (void)first_hit(surface, {now.translation, Vec3(0, 1, 0)});
        last = now;
    }
    CHECK(workshop::allocations() == before);
    CHECK(window.touches().empty());
}
