// Sweeps against dense sub-stepping; letting go against finite differences.
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/equip/bring_sockets.hpp>
#include <dendraxis/equip/let_go.hpp>
#include <dendraxis/equip/window.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/props/props.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <doctest/doctest.h>

#include <random>

using namespace dendraxis;

namespace {

struct Swing {
    Shape a;
    Shape b;
    Motion a_moves;
    Motion b_moves;
};

Swing random_swing(std::mt19937& engine) {
    std::uniform_real_distribution<float> one(0.0f, 1.0f);
    const auto between = [&](float low, float high) { return low + (high - low) * one(engine); };
    const auto shape = [&] {
        const auto kind = static_cast<ShapeKind>(engine() % 3);
        Shape made{kind, Vec3(between(.02f, .2f), between(.02f, .3f), between(.02f, .2f))};
        if (kind == ShapeKind::sphere) made.half.setConstant(made.half.x());
        if (kind == ShapeKind::capsule)
            made.half = {made.half.x(), made.half.x() + made.half.y(), made.half.x()};
        return made;
    };
    const auto position = [&](float far) {
        return Vec3(between(-far, far), between(-far, far), between(-far, far));
    };
    const auto motion = [&](float far) {
        Motion made;
        made.from.translation = position(far);
        made.to.translation = position(far) - made.from.translation;
        made.from.rotation = Quat::UnitRandom();
        made.to.rotation =
            made.from.rotation * Quat(Eigen::AngleAxisf(between(0.0f, 1.5f), position(1).normalized()));
        return made;
    };
    return {shape(), shape(), motion(0.8f), motion(0.3f)};
}

// Whether they are in each other with `more` metres between them, found without the code under test: boxes by
// the axes that could part them (S. Gottschalk and others, "OBBTree", SIGGRAPH 1996), round ones by the
// nearest places of their middle lines.
bool touch_at(const Swing& swing, float share, float more) {
    const Transform a = swing.a_moves.at(share);
    const Transform b = swing.b_moves.at(share);
    const bool a_box = swing.a.kind == ShapeKind::box;
    const bool b_box = swing.b.kind == ShapeKind::box;
    if (a_box && b_box) {
        const Eigen::Matrix3f axes_a = a.rotation.toRotationMatrix();
        const Eigen::Matrix3f axes_b = b.rotation.toRotationMatrix();
        std::vector<Vec3> distances;
        for (int i = 0; i < 3; ++i) {
            distances.emplace_back(axes_a.col(i));
            distances.emplace_back(axes_b.col(i));
            for (int j = 0; j < 3; ++j) distances.emplace_back(axes_a.col(i).cross(axes_b.col(j)));
        }
        return std::none_of(distances.begin(), distances.end(), [&](const Vec3& distance) {
            if (distance.norm() < 1e-3f) return false;
            const Vec3 unit = distance.normalized();
            const float reach = (axes_a.transpose() * unit).cwiseAbs().dot(swing.a.half) +
                                (axes_b.transpose() * unit).cwiseAbs().dot(swing.b.half);
            return std::abs(unit.dot(a.translation - b.translation)) > reach + more;
        });
    }
    if (!a_box && !b_box) return -overlap({swing.a, a}, {swing.b, b}) <= more;
    const Shape& box = a_box ? swing.a : swing.b;
    const Shape& round = a_box ? swing.b : swing.a;
    const Transform& box_at = a_box ? a : b;
    const Transform& round_at = a_box ? b : a;
    const float distance = std::max(0.0f, round.half.y() - round.half.x());
    const auto off = [&](float t) {
        const Vec3 own = box_at.rotation.conjugate() * (apply(round_at, Vec3(0, t, 0)) - box_at.translation);
        return (own - own.cwiseMax(-box.half).cwiseMin(box.half)).norm();
    };
    // The distance of a line's places from a box has one valley.
    float low = -distance;
    float high = distance;
    for (int i = 0; i < 60; ++i) {
        const float third = (high - low) / 3.0f;
        if (off(low + third) < off(high - third))
            high -= third;
        else
            low += third;
    }
    return off(0.5f * (low + high)) <= round.half.x() + more;
}

}  // namespace

TEST_CASE("a sweep finds what dense sub-stepping finds, no more, at the same time") {
    std::mt19937 engine(11);
    std::srand(11);
    int touched = 0;
    int boxes = 0;
    int in_passing = 0;
    for (int i = 0; i < 1000; ++i) {
        CAPTURE(i);
        const Swing swing = random_swing(engine);
        Touch touch;
        const bool found = first_touch(swing.a, swing.a_moves, swing.b, swing.b_moves, touch);
        float dense = 2.0f;
        for (int s = 0; s <= 100 && dense > 1.0f; ++s) {
            if (touch_at(swing, 0.01f * static_cast<float>(s), 0.0f)) dense = 0.01f * static_cast<float>(s);
        }
        if (dense <= 1.0f) {
            REQUIRE(found);
            CHECK(touch.share <= dense + 1e-3f);
            CHECK(touch.share > dense - 0.0201f);
            ++touched;
            if (swing.a.kind == ShapeKind::box || swing.b.kind == ShapeKind::box) ++boxes;
            if (touch.share > 0.0f) ++in_passing;
        }
        // Where it says so, they do touch, also between two of the dense steps; a moment before they do not.
        if (found) CHECK(touch_at(swing, touch.share, 1e-3f));
        if (found && touch.share > 0.0f) CHECK_FALSE(touch_at(swing, 0.999f * touch.share, -1e-3f));
    }
    MESSAGE(touched, " of 1000 swings touch, ", boxes, " of them with boxes, ", in_passing, " on the way");
    CHECK(in_passing > 150);
    CHECK(touched < 850);
    CHECK(boxes > 100);
}

TEST_CASE("boxes are swept by their corners, edges and sides") {
    const Shape box{ShapeKind::box, Vec3(0.1f, 0.2f, 0.3f)};
    Motion still;
    Motion moves;
    moves.from.translation = Vec3(0, 5, 0);
    moves.to.translation = Vec3(0, -5, 0);
    Touch touch;
    REQUIRE(first_touch(box, moves, box, still, touch));
    CHECK(touch.share == doctest::Approx(0.46f).epsilon(1e-4));
    CHECK(touch.normal.y() == doctest::Approx(1.0f).epsilon(1e-4));
    CHECK(touch.point.y() == doctest::Approx(0.2f).epsilon(1e-3));
    CHECK(touch.speed == doctest::Approx(10.0f).epsilon(1e-3));
    // Turned by 45 degrees it comes with its edge.
    moves.from.rotation = moves.to.rotation = Quat(Eigen::AngleAxisf(0.7853982f, Vec3::UnitX()));
    REQUIRE(first_touch(box, moves, box, still, touch));
    CHECK(touch.share == doctest::Approx((5.0f - 0.2f - 0.5f * std::sqrt(0.5f)) / 10.0f).epsilon(1e-3));
    // Past it, on the spot, and within.
    moves.from.translation.x() = moves.to.translation.x() = 0.21f;
    CHECK_FALSE(first_touch(box, moves, box, still, touch));
    CHECK_FALSE(first_touch(box, {moves.from, moves.from}, box, still, touch));
    REQUIRE(first_touch(box, still, box, still, touch));
    CHECK(touch.share == 0.0f);
    // A thin blade through a thin plate at the speed of a bullet.
    const Shape blade{ShapeKind::box, Vec3(0.5f, 0.001f, 0.01f)};
    Motion fast;
    fast.from.translation = Vec3(0, 400, 0);
    fast.to.translation = Vec3(0, -400, 0);
    REQUIRE(first_touch(blade, fast, blade, still, touch));
    CHECK(touch.share == doctest::Approx(0.5f).epsilon(1e-4));
}

TEST_CASE("a window counts each target once, only within its frames and groups") {
    const SweepVolume head{
        "head", {ShapeKind::sphere, Vec3::Constant(0.1f)}, Vec3(0, 0.4f, 0), Quat::Identity()};
    const std::vector<SweepTarget> targets{{"post", "harbour", -1, {ShapeKind::sphere, Vec3::Constant(0.1f)}},
                                           {"mate", "crew", 3, {ShapeKind::sphere, Vec3::Constant(0.1f)}}};
    std::vector<Motion> positions(2);
    positions[0].from.translation = positions[0].to.translation = Vec3(0, 0.4f, 0);
    positions[1].from.translation = positions[1].to.translation = Vec3(3, 0.4f, 0);
    // From x = -2 to 4 in six frames, and back.
    const auto play = [&](LiveWindow window) {
        for (int f = 0; f < 12; ++f) {
            const auto x = [](int frame) {
                return -2.0f + static_cast<float>(frame < 6 ? frame : 12 - frame);
            };
            Motion hand;
            hand.from.translation = Vec3(x(f), 0, 0);
            hand.to.translation = Vec3(x(f + 1), 0, 0);
            window.step(static_cast<float>(f), 30.0f, head, hand, targets, positions);
        }
        return std::vector<WindowTouch>(window.touches().begin(), window.touches().end());
    };
    const auto all = play(LiveWindow(0, 12));
    REQUIRE(all.size() == 2);
    CHECK(all[0].target == "post");
    CHECK(all[0].frame == doctest::Approx(1.8f).epsilon(1e-3));
    CHECK(all[0].speed == doctest::Approx(30.0f).epsilon(1e-3));
    CHECK(all[0].normal.x() == doctest::Approx(-1.0f).epsilon(1e-3));
    CHECK(all[1].bone == 3);
    CHECK(play(LiveWindow(0, 1.7f)).empty());
    CHECK(play(LiveWindow(2.5f, 5.5f)).size() == 1);
    const auto late = play(LiveWindow(8.0f, 12.0f));
    REQUIRE(late.size() == 1);
    CHECK(late[0].frame == doctest::Approx(9.8f).epsilon(1e-3));
    CHECK(play(LiveWindow(0, 12, {"crew"})).size() == 1);
    CHECK_THROWS_AS(LiveWindow(5, 4), Error);
}

TEST_CASE("what is let go starts where it was, as fast as it was, and can be picked up again") {
    const Prop lantern = io::load_prop(workshop::demo("lantern.glb"));
    const PropBody body = prop_body(lantern);
    CHECK(body.mass > 0.1f);
    CHECK(body.mass < 5.0f);
    const Character& diver = workshop::diver();
    const Chart chart = dendraxis::chart(diver);
    const SocketBinding sockets(suggested_sockets(diver, chart), chart);
    const Transform placement = placement_of(lantern, {});
    const Clip& clip = diver.clip("wave-lantern");
    std::vector<Transform> pose(diver.skeleton.size());
    const auto frame_at = [&](float seconds) {
        sample(clip, seconds, pose);
        to_model_space(diver.skeleton, pose, pose);
        return sockets.frame(0, pose) * placement;
    };
    const float step = 1.0f / 30.0f;
    for (const float seconds : {0.4f, 0.8f, 1.2f}) {
        const Transform now = frame_at(seconds);
        const Transform before = frame_at(seconds - step);
        const ReleasedProp thing = let_go(body, now, before, step);
        const Transform same = frame_of(thing, thing.state);
        CHECK((same.translation - now.translation).norm() < 1e-5f);
        CHECK(angle_between(same.rotation, now.rotation) * k_degrees < 0.01f);
        const Vec3 difference = (apply(now, body.at) - apply(before, body.at)) / step;
        CHECK((thing.state.velocity - difference).norm() <= 0.01f * difference.norm() + 1e-6f);
        CHECK(angle_between(Quat(Eigen::AngleAxisf(thing.state.angular_velocity.norm() * step,
                                                   thing.state.angular_velocity.stableNormalized())) *
                                before.rotation,
                            now.rotation) < 1e-3f);
        // Twice as large it has twice the size and, of the same mass, four times the inertia.
        Transform large = now;
        large.scale *= 2.0f;
        const ReleasedProp grown = let_go(body, large, large, step);
        CHECK((grown.body.shape.half - 2.0f * body.shape.half).norm() < 1e-5f);
        CHECK((grown.body.inertia - 4.0f * body.inertia).norm() < 1e-4f * body.inertia.norm());
        CHECK((frame_of(grown, grown.state).translation - now.translation).norm() < 1e-5f);
        // A push through the middle only speeds it up, one beside it turns it too.
        const ReleasedProp pushed = let_go(body, now, before, step, Vec3(0, 2, 0), thing.state.position);
        CHECK((pushed.state.velocity - thing.state.velocity - Vec3(0, 2.0f / body.mass, 0)).norm() < 1e-4f);
        CHECK((pushed.state.angular_velocity - thing.state.angular_velocity).norm() < 1e-4f);
        const ReleasedProp beside =
            let_go(body, now, before, step, Vec3(0, 2, 0), thing.state.position + Vec3(0.1f, 0, 0));
        CHECK((beside.state.angular_velocity - thing.state.angular_velocity).norm() > 0.1f);
        // Picked up by the other hand, it stays where it is and then follows.
        const Transform bone = pose[static_cast<std::size_t>(sockets.sockets()[1].bone)];
        const Transform kept = bone * offset_on_bone(now, bone);
        CHECK((kept.translation - now.translation).norm() < 1e-5f);
        CHECK(angle_between(kept.rotation, now.rotation) * k_degrees < 0.01f);
    }
}

TEST_CASE("a mesh is swept by its triangles: what dense sub-stepping finds, no more") {
    std::mt19937 engine(3);
    std::uniform_real_distribution<float> any(-1.0f, 1.0f);
    const auto position = [&](float far) {
        return Vec3(far * any(engine), far * any(engine), far * any(engine));
    };
    int touched = 0;
    for (int i = 0; i < 300; ++i) {
        CAPTURE(i);
        Surface mesh;
        for (std::uint32_t t = 0; t < 6; ++t) {
            const Vec3 middle = position(0.6f);
            for (int c = 0; c < 3; ++c) mesh.positions.push_back(middle + position(0.4f));
            mesh.triangles.push_back({3 * t, 3 * t + 1, 3 * t + 2});
            mesh.bones.insert(mesh.bones.end(), 3, static_cast<int>(t));
        }
        const Shape ball{ShapeKind::sphere, Vec3::Constant(0.1f)};
        Motion flies;
        flies.from.translation = position(1.2f);
        flies.to.translation = position(1.2f);
        Motion stands;
        stands.from.translation = stands.to.translation = position(0.3f);
        stands.from.rotation = stands.to.rotation = Quat::UnitRandom();
        if (i % 2 == 1)
            stands.to.rotation = stands.to.rotation * Quat(Eigen::AngleAxisf(0.3f, Vec3::UnitX()));
        // The nearest place of a triangle by many samples of it: no code of the sweep's.
        const auto gap = [&](float share) {
            const Transform frame = stands.at(share);
            const Vec3 own = frame.rotation.conjugate() * (flies.at(share).translation - frame.translation);
            float nearest = 1e9f;
            for (const auto& corners : mesh.triangles) {
                for (int a = 0; a <= 24; ++a) {
                    for (int b = 0; a + b <= 24; ++b) {
                        const float x = static_cast<float>(a) / 24.0f;
                        const float y = static_cast<float>(b) / 24.0f;
                        nearest = std::min(nearest,
                                           (own - (1 - x - y) * mesh.positions[corners[0]] -
                                            x * mesh.positions[corners[1]] - y * mesh.positions[corners[2]])
                                               .norm());
                    }
                }
            }
            return nearest - 0.1f;
        };
        Touch touch;
        std::size_t triangle = 0;
        const bool found = first_touch(ball, flies, mesh, stands, touch, triangle);
        float dense = 2.0f;
        for (int s = 0; s <= 100 && dense > 1.0f; ++s) {
            if (gap(0.01f * static_cast<float>(s)) <= 0.0f) dense = 0.01f * static_cast<float>(s);
        }
        if (dense <= 1.0f) {
            REQUIRE(found);
            CHECK(touch.share <= dense + 1e-3f);
            ++touched;
        }
        // Never before it is there; samples of a triangle leave a few millimetres.
        if (found && touch.share > 0.0f) CHECK(std::abs(gap(touch.share)) < 0.012f);
    }
    CHECK(touched > 60);
    CHECK(touched < 290);
}

TEST_CASE("windows are checked against their clips, and a swing is swept whole") {
    const Character& diver = workshop::diver();
    const Chart own = chart(diver);
    std::vector<ClipWindow> windows{{"swing-mallet", "mallet.head", 10.0f, 30.0f, false, {}},
                                    {"swing-mallet", "mallet.head", 0.5f, 900.0f, true, {}},
                                    {"swing-malet", "mallet.head", 0.0f, 1.0f, false, {}}};
    const Findings told = check_windows(windows, diver.clips);
    REQUIRE(told.size() == 2);
    CHECK(told[0].code == "window.outside-clip");
    CHECK(told[1].code == "window.no-clip");
    CHECK(told[1].advice.find("swing-mallet") != std::string::npos);
    const Clip& clip = diver.clip("swing-mallet");
    CHECK(live_window({"", "", 0.5f, 1.0f, true, {}}, clip).first() == doctest::Approx(0.5f * clip.fps));
    CHECK_THROWS_AS(live_window({"", "", 3.0f, 1.0f, false, {}}, clip), Error);

    // Swept through the whole clip, a ball on the hand touches its own way's points and no place far off.
    const int hand = own.find("arm.right")->bones[2];
    const SweptVolume swept{
        {"ball", {ShapeKind::sphere, Vec3::Constant(0.05f)}, Vec3::Zero(), Quat::Identity()}, hand, {}};
    std::vector<Transform> model(diver.skeleton.size());
    std::vector<SweepTarget> targets;
    std::vector<Transform> where;
    for (std::size_t f = 5; f < clip.frame_count(); f += 6) {
        to_model_space(diver.skeleton, clip.frame(f), model);
        targets.push_back({"frame " + std::to_string(f), "", -1, {ShapeKind::sphere, Vec3::Constant(0.01f)}});
        where.push_back({Quat::Identity(), model[static_cast<std::size_t>(hand)].translation, Vec3::Ones()});
    }
    targets.push_back({"far", "", -1, {ShapeKind::sphere, Vec3::Constant(0.01f)}});
    where.push_back({Quat::Identity(), Vec3(0, 9, 0), Vec3::Ones()});
    LiveWindow window(0.0f, static_cast<float>(clip.frame_count()) - 1.0f);
    sweep_clip(window, diver.skeleton, clip, swept, targets,
               [&](std::size_t, std::span<Transform> positions) {
                   std::copy(where.begin(), where.end(), positions.begin());
               });
    CHECK(window.touches().size() == targets.size() - 1);
    for (const WindowTouch& touch : window.touches()) CHECK(touch.target != "far");
}

TEST_CASE("a ray tells the hat from the head") {
    workshop::Scratch scratch;
    const Character& diver = workshop::diver();
    const Chart own = chart(diver);
    const SocketBinding sockets(suggested_sockets(diver, own), own);
    const Prop hat = io::load_prop(workshop::demo("oilskin-hat.glb"));
    std::size_t head = 0;
    while (sockets.sockets()[head].name != "head") ++head;
    const PropMount mount{&hat, head, {}};
    const io::OutputFile file{scratch / "hat.glb",
                              io::glb_with_props(diver, sockets, std::span<const PropMount>(&mount, 1))};
    io::write_files({&file, 1});
    const Character wearing = io::load_character(file.path);
    const Surface surface = surface_with_props(wearing);
    const Vec3 up = own.to_upright().conjugate() * Vec3::UnitY();
    const Vec3 top = (own.floor + own.height) * up;
    const Vec3 ahead = own.facing * 3.0f;
    const auto brim = first_hit(surface, {top + ahead - 0.02f * up, -ahead});
    REQUIRE(brim.has_value());
    REQUIRE(brim->prop >= 0);
    CHECK(wearing.props[static_cast<std::size_t>(brim->prop)].name == "oilskin-hat");
    const auto face = first_hit(surface, {top + ahead - 0.2f * up, -ahead});
    REQUIRE(face.has_value());
    CHECK(face->prop == -1);
    CHECK(wearing.skeleton.bone(face->bone).label.find("head") != std::string::npos);
}
