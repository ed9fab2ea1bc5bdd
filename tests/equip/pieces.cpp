// Pieces of clothing: the skin stays under them, at rest and in motion, on every character alike.
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/equip/fit_piece.hpp>
#include <dendraxis/io/props/props.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <doctest/doctest.h>

#include <random>

using namespace dendraxis;

namespace {

const std::filesystem::path k_guards = workshop::demo("guards.glb");

struct Worn {
    Prop piece;
    FittedPiece fitted;
};

Worn wear(const char* node, const std::string& part, const Character& character, const Chart& chart,
          PieceOptions options = {}) {
    Worn worn{io::load_piece(*node == 0 ? workshop::demo("chest-pad.glb") : k_guards, node), {}};
    worn.fitted = fit_piece(worn.piece, part, character, chart, options);
    return worn;
}

// The piece's triangles in model space while the bones stand so.
Surface placed(const Worn& worn, const Chart& chart, std::span<const Transform> model) {
    Surface surface = surface_of(worn.piece.model);
    const SocketBinding binding({worn.fitted.socket}, chart);
    const Transform frame = binding.frame(0, model) * placement_of(worn.piece, worn.fitted.fit);
    const Affine mirror = mirror_of(worn.piece, worn.fitted.fit);
    for (Vec3& position : surface.positions) position = apply(frame, mirror * position);
    return surface;
}

// Seen from all around: how often a look at the piece from two centimetres before it meets the skin first.
// Lines go to the middle of the bone's line, so this knows nothing of how the fit was made.
float seen_through(const Worn& worn, const Character& character, const Chart& chart,
                   std::span<const Transform> pose, const std::array<int, 2>& bones) {
    std::vector<Transform> model(character.skeleton.size());
    to_model_space(character.skeleton, pose, model);
    const Surface piece = placed(worn, chart, model);
    const Surface skin = surface_of(character, pose);
    const Vec3 head = model[static_cast<std::size_t>(bones[0])].translation;
    const Vec3 along = model[static_cast<std::size_t>(bones[1])].translation - head;
    std::mt19937 engine(5);
    std::uniform_real_distribution<float> any(0.0f, 1.0f);
    int seen = 0;
    int through = 0;
    for (int i = 0; i < 300; ++i) {
        const Vec3 middle = head + (0.1f + 0.8f * any(engine)) * along;
        const Vec3 side = along.normalized().unitOrthogonal();
        const Vec3 out = Eigen::AngleAxisf(6.2831853f * any(engine), along.normalized()) * side;
        const auto hit = first_hit(piece, {middle + 0.5f * out, -out});
        if (!hit || hit->distance > 0.5f) continue;
        ++seen;
        const auto skin_hit = first_hit(skin, {hit->point + 0.02f * out, -out});
        if (!skin_hit || skin_hit->distance >= 0.0199f) continue;
        // The other hand on the sleeve is not what is under it.
        through +=
            skin_hit->bone == bones[0] || character.skeleton.is_above(bones[0], skin_hit->bone) ? 1 : 0;
    }
    REQUIRE(seen > 40);
    return static_cast<float>(through) / static_cast<float>(seen);
}

struct Actor {
    Character character;
    Chart chart;
};

// With the diver's clips.
Actor actor(const Character& character) {
    Actor made{character, chart(character)};
    if (!made.character.clips.empty()) return made;
    const Transfer transfer(pair(chart(workshop::diver()), made.chart));
    for (const Clip& clip : workshop::diver().clips) made.character.clips.push_back(transfer.apply(clip));
    return made;
}

const std::array<std::pair<const char*, const char*>, 9> k_outfit{{{"", "chest"},
                                                                   {"upper-arm.left", "upper-arm.left"},
                                                                   {"upper-arm.left", "upper-arm.right"},
                                                                   {"forearm.left", "forearm.left"},
                                                                   {"forearm.left", "forearm.right"},
                                                                   {"thigh.left", "thigh.left"},
                                                                   {"thigh.left", "thigh.right"},
                                                                   {"shin.left", "shin.left"},
                                                                   {"shin.left", "shin.right"}}};

}  // namespace

TEST_CASE("pieces cover the crew without the body poking through, at rest and in all clips") {
    for (const Character* who : {&workshop::diver(), &workshop::bosun(), &workshop::deckhand()}) {
        CAPTURE(who->name);
        const Actor one = actor(*who);
        for (const auto& worn_on : k_outfit) {
            const char* const node = worn_on.first;
            const char* const part = worn_on.second;
            CAPTURE(part);
            PieceOptions options;
            options.mirrored = std::string(part).ends_with(".right");
            const Worn worn = wear(node, part, one.character, one.chart, options);
            CHECK(worn.fitted.covered.size() > 300);
            CHECK(worn.fitted.through_at_rest <= 0.02f);
            float share = 0.0f;
            std::size_t frames = 0;
            std::vector<PieceInClip> clips;
            for (const Clip& clip : one.character.clips) {
                clips.push_back(piece_in_clip(worn.piece, worn.fitted, one.character, one.chart, clip));
                share += clips.back().through * static_cast<float>(clip.frame_count());
                frames += clip.frame_count();
            }
            CHECK(share / static_cast<float>(frames) <= 0.05f);
            // A long coat hangs over the thighs and does not follow them: that is told.
            const Findings told = check_piece(worn.piece, worn.fitted, clips);
            const bool coat = who != &workshop::diver() && std::string(part).starts_with("thigh");
            CHECK(told.empty() != coat);
            for (const Finding& finding : told) CHECK(finding.code == "piece.comes-off");
        }
    }
}

TEST_CASE("what is measured is what is seen") {
    for (const Character* who : {&workshop::diver(), &workshop::bosun(), &workshop::deckhand()}) {
        CAPTURE(who->name);
        const Actor one = actor(*who);
        const Chain& arm = *one.chart.find("arm.left");
        const Chain& leg = *one.chart.find("leg.left");
        const Worn cuff = wear("forearm.left", "forearm.left", one.character, one.chart);
        const Worn guard = wear("shin.left", "shin.left", one.character, one.chart);
        const std::vector<Transform> rest = rest_pose(one.character.skeleton);
        const Clip& crouch = one.character.clip("crouch");
        const Clip& haul = one.character.clip("haul-rope");
        for (const std::span<const Transform> pose :
             {std::span<const Transform>(rest), crouch.frame(crouch.frame_count() / 2), haul.frame(20)}) {
            CHECK(seen_through(cuff, one.character, one.chart, pose, {arm.bones[1], arm.bones[2]}) <= 0.05f);
            CHECK(seen_through(guard, one.character, one.chart, pose, {leg.bones[1], leg.bones[2]}) <= 0.05f);
        }
        // Made too small, it is seen and told.
        PieceOptions small;
        small.scale = 0.75f;
        const Worn tight = wear("forearm.left", "forearm.left", one.character, one.chart, small);
        CHECK(seen_through(tight, one.character, one.chart, rest, {arm.bones[1], arm.bones[2]}) > 0.02f);
    }
}

TEST_CASE("a piece sits alike whatever the character's unit, axes and names and its own size") {
    Character diver = workshop::diver();
    diver.clips.clear();
    const Chart own = chart(diver);
    const Worn here = wear("shin.left", "shin.left", diver, own);
    const Surface wanted = placed(here, own, rest_in_model_space(diver.skeleton));
    const Quat quarter(Eigen::AngleAxisf(1.5707963f, Vec3::UnitX()));
    for (const Character& other : {variants::reaxed(diver, 7), variants::under_scaled_node(diver, 100.0f),
                                   variants::under_turned_node(diver, quarter)}) {
        const Chart there = chart(other);
        const Worn worn = wear("shin.left", "shin.left", other, there);
        const Surface found = placed(worn, there, rest_in_model_space(other.skeleton));
        const Quat to_own = own.to_upright().conjugate() * there.to_upright();
        for (std::size_t v = 0; v < wanted.positions.size(); v += 11)
            CHECK((to_own * found.positions[v] - wanted.positions[v]).norm() < 2e-3f);
    }
    Worn large{here.piece, {}};
    for (SkinnedMesh& mesh : large.piece.model.meshes) {
        for (Vec3& position : mesh.positions) position *= 30.0f;
    }
    large.fitted = fit_piece(large.piece, "shin.left", diver, own);
    const Surface found = placed(large, own, rest_in_model_space(diver.skeleton));
    for (std::size_t v = 0; v < wanted.positions.size(); v += 11)
        CHECK((found.positions[v] - wanted.positions[v]).norm() < 2e-3f);

    // Mirrored for the other side of a body that is alike on both.
    PieceOptions mirrored;
    mirrored.mirrored = true;
    const Worn right = wear("shin.left", "shin.right", diver, own, mirrored);
    const Surface other_side = placed(right, own, rest_in_model_space(diver.skeleton));
    for (std::size_t v = 0; v < wanted.positions.size(); v += 11)
        CHECK((other_side.positions[v] - Vec3(-1, 1, 1).cwiseProduct(wanted.positions[v])).norm() < 3e-3f);
}

TEST_CASE("what makes no sense is refused, what spans a joint or pokes through is told") {
    const Character& diver = workshop::diver();
    const Chart own = chart(diver);
    CHECK_THROWS_WITH_AS(wear("shin.left", "shin.lefft", diver, own), doctest::Contains("shin.left"), Error);
    CHECK_THROWS_WITH_AS(wear("shin.lfet", "shin.left", diver, own), doctest::Contains("shin.left"), Error);
    PieceOptions none;
    none.scale = 0.0f;
    CHECK_THROWS_AS(wear("shin.left", "shin.left", diver, own, none), Error);
    CHECK_THROWS_AS(io::load_piece(workshop::demo("lantern.glb"), "grip"), Error);

    Worn sleeve{io::load_piece(k_guards, "forearm.left"), {}};
    for (SkinnedMesh& mesh : sleeve.piece.model.meshes) {
        for (Vec3& position : mesh.positions) position.x() *= 3.5f;
    }
    sleeve.fitted = fit_piece(sleeve.piece, "upper-arm.left", diver, own);
    const Findings spans = check_piece(sleeve.piece, sleeve.fitted, {});
    REQUIRE(!spans.empty());
    CHECK(spans[0].code == "piece.spans-two");
    CHECK(spans[0].message.find("forearm.left") != std::string::npos);
    CHECK(spans[0].advice.find("split") != std::string::npos);

    PieceOptions small;
    small.scale = 0.7f;
    const Worn tight = wear("forearm.left", "forearm.left", diver, own, small);
    const std::vector<PieceInClip> stroll{
        piece_in_clip(tight.piece, tight.fitted, diver, own, diver.clip("stroll"))};
    const Findings told = check_piece(tight.piece, tight.fitted, stroll);
    REQUIRE(told.size() == 2);
    CHECK(told[0].code == "piece.pokes-through");
    CHECK(told[1].message.find("stroll") != std::string::npos);
}
