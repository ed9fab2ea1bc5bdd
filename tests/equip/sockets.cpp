// Sockets: where the chart puts them, whatever the character's dress; copied, mirrored, followed.
#include "crowd.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/equip/bring_sockets.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <doctest/doctest.h>

using namespace dendraxis;

namespace {

std::vector<Transform> frames_at_rest(const std::vector<Socket>& sockets, const Chart& chart) {
    const SocketBinding binding(sockets, chart);
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    std::vector<Transform> frames;
    for (std::size_t i = 0; i < sockets.size(); ++i) frames.push_back(binding.frame(i, rest));
    return frames;
}

}  // namespace

TEST_CASE("suggested sockets stand in the same places whatever names, axes and units are") {
    const Character& diver = workshop::diver();
    const Chart chart = dendraxis::chart(diver);
    const std::vector<Socket> plain = suggested_sockets(diver, chart);
    CHECK(plain.size() == 7);
    const std::vector<Transform> frames = frames_at_rest(plain, chart);
    const Quat quarter(Eigen::AngleAxisf(1.5707963f, Vec3::UnitX()));
    for (const Character& other :
         {variants::renamed(diver), variants::reaxed(diver, 5), variants::under_scaled_node(diver, 100.0f),
          variants::under_turned_node(diver, quarter), variants::nameless(diver)}) {
        const Chart other_chart = dendraxis::chart(other);
        const std::vector<Socket> sockets = suggested_sockets(other, other_chart);
        REQUIRE(sockets.size() == plain.size());
        const std::vector<Transform> same = frames_at_rest(sockets, other_chart);
        for (std::size_t i = 0; i < sockets.size(); ++i) {
            CAPTURE(sockets[i].name);
            CHECK(sockets[i].name == plain[i].name);
            CHECK((same[i].translation - frames[i].translation).norm() < 1e-3f);
            CHECK(angle_between(same[i].rotation, frames[i].rotation) * k_degrees < 0.5f);
            CHECK((same[i].scale - Vec3::Ones()).norm() < 1e-4f);
        }
    }
}

TEST_CASE("the hands' sockets lie half a handle off the palm, the thumb's way along +Y") {
    for (const auto& person : {workshop::diver, workshop::bosun, workshop::deckhand}) {
        const Character& character = person();
        CAPTURE(character.name);
        const Chart chart = dendraxis::chart(character);
        const std::vector<Socket> sockets = suggested_sockets(character, chart);
        const Socket* left = find_socket(sockets, "hand.left");
        const Socket* right = find_socket(sockets, "hand.right");
        REQUIRE(left != nullptr);
        REQUIRE(right != nullptr);
        const Socket there = mirrored_socket(*left, chart);
        CHECK(there.name == "hand.right");
        CHECK((there.at - right->at).norm() < 2e-3f);
        CHECK(angle_between(there.turn, right->turn) * k_degrees < 1.0f);
        const Socket back = mirrored_socket(there, chart);
        CHECK((back.at - left->at).norm() < 1e-6f);
        CHECK(angle_between(back.turn, left->turn) < 1e-3f);
        CHECK((left->turn * Vec3::UnitY()).z() > 0.7f);  // arms out or down: the thumb is in front
        const Surface surface = surface_of(character);
        const Vec3 position =
            rest_in_model_space(chart.skeleton)[static_cast<std::size_t>(left->bone)].translation +
            chart.to_upright().conjugate() * left->at;
        float nearest = 1e9f;
        for (int axis = 0; axis < 3; ++axis) {
            for (const float sign : {1.0f, -1.0f}) {
                const Vec3 direction = sign * Vec3::Unit(axis);
                if (const auto hit = first_hit(surface, {position - 1e-4f * direction, direction}))
                    nearest = std::min(nearest, hit->distance);
            }
        }
        CHECK(nearest > 4e-3f);
        CHECK(nearest < 1.6e-2f);
    }
}

TEST_CASE("a block figure's hands are where its arms end, and a bone for carried things takes them first") {
    crowd::Oddities odd;
    odd.block = true;
    const crowd::Body body = crowd::plain_body(1, crowd::Kind::biped, crowd::Names::good, odd);
    const Chart charted = chart(body.character);
    const std::vector<Socket> sockets = suggested_sockets(body.character, charted);
    for (const char* name : {"hand.left", "hand.right", "belt.left", "back", "chest", "head"})
        CHECK(find_socket(sockets, name) != nullptr);
    const Socket* hand = find_socket(sockets, "hand.left");
    REQUIRE(hand != nullptr);
    const int arm = charted.find("arm.left")->bones.back();
    CHECK(hand->bone == arm);
    // Within the arm's box, past its middle.
    const Surface surface = surface_of(body.character);
    const Vec3 at = charted.to_upright().conjugate() * hand->at +
                    rest_in_model_space(charted.skeleton)[static_cast<std::size_t>(arm)].translation;
    Vec3 low = Vec3::Constant(1e9f);
    Vec3 high = -low;
    for (std::size_t v = 0; v < surface.positions.size(); ++v) {
        if (surface.bones[v] != arm) continue;
        low = low.cwiseMin(surface.positions[v]);
        high = high.cwiseMax(surface.positions[v]);
    }
    CHECK((at - low).minCoeff() > 0.0f);
    CHECK((high - at).minCoeff() > 0.0f);
    const Vec3 head = rest_in_model_space(charted.skeleton)[static_cast<std::size_t>(arm)].translation;
    CHECK((at - head).norm() > 0.6f * (high - low).maxCoeff());

    // The diver has bones for what he carries.
    const Chart diver = chart(workshop::diver());
    REQUIRE(diver.find("grip.right") != nullptr);
    const std::vector<Socket> his = suggested_sockets(workshop::diver(), diver);
    const Socket* right = find_socket(his, "hand.right");
    REQUIRE(right != nullptr);
    CHECK(right->bone == diver.find("grip.right")->bones.back());
    CHECK(right->at.norm() < 1e-6f);
}

TEST_CASE("copied as they were and back again, sockets come home") {
    const Character& diver = workshop::diver();
    const Character& bosun = workshop::bosun();
    const Chart from = dendraxis::chart(diver);
    const Chart to = dendraxis::chart(bosun);
    const std::vector<Socket> sockets = suggested_sockets(diver, from);
    const BroughtSockets there = bring_sockets(sockets, diver, from, bosun, to, SocketPlacing::as_it_was);
    REQUIRE(there.sockets.size() == sockets.size());
    const BroughtSockets back =
        bring_sockets(there.sockets, bosun, to, diver, from, SocketPlacing::as_it_was);
    REQUIRE(back.sockets.size() == sockets.size());
    for (std::size_t i = 0; i < sockets.size(); ++i) {
        CAPTURE(sockets[i].name);
        CHECK(back.sockets[i].bone == sockets[i].bone);
        CHECK((back.sockets[i].at - sockets[i].at).norm() < 5e-4f);
        CHECK(angle_between(back.sockets[i].turn, sockets[i].turn) * k_degrees < 0.1f);
    }
}

TEST_CASE("copied in proportion they stand where the other's own would") {
    const Character& diver = workshop::diver();
    const Chart from = dendraxis::chart(diver);
    const std::vector<Socket> sockets = suggested_sockets(diver, from);
    for (const auto& person : {workshop::bosun, workshop::deckhand}) {
        const Character& other = person();
        CAPTURE(other.name);
        const Chart to = dendraxis::chart(other);
        const BroughtSockets brought = bring_sockets(sockets, diver, from, other, to);
        CHECK(brought.findings.empty());
        const std::vector<Socket> own = suggested_sockets(other, to);
        for (const char* name : {"hand.left", "hand.right"}) {
            const Socket* a = find_socket(brought.sockets, name);
            const Socket* b = find_socket(own, name);
            REQUIRE(a != nullptr);
            REQUIRE(b != nullptr);
            CHECK(a->bone == b->bone);
            const float scale = to.height / from.height;
            MESSAGE(other.name, " ", std::string(name), ": ", 1000.0f * (a->at - b->at).norm() / scale,
                    " mm, ", angle_between(a->turn, b->turn) * k_degrees, " degrees");
            CHECK((a->at - b->at).norm() <
                  25e-3f * scale);  // his bones for carried things against our estimate
            CHECK(angle_between(a->turn, b->turn) * k_degrees < 1.0f);
        }
    }
    // A hand and a paw have nothing in common.
    const Character& hound = workshop::hound();
    const BroughtSockets paws = bring_sockets(sockets, diver, from, hound, dendraxis::chart(hound));
    CHECK(paws.sockets.size() + paws.findings.size() == sockets.size());
}

TEST_CASE("what is wrong with sockets is told, and what makes no sense is refused") {
    const Chart chart = dendraxis::chart(workshop::diver());
    const int hips = chart.hips;
    const std::vector<Socket> wrong{{"a", hips, SocketKind::holster, Vec3(0, 50, 0)},
                                    {"a", hips, SocketKind::holster},
                                    {"b", 4000, SocketKind::worn}};
    const Findings findings = check_sockets(wrong, chart);
    CHECK(workshop::has(findings, "socket.far-off"));
    CHECK(workshop::has(findings, "socket.name-twice"));
    CHECK(workshop::has(findings, "socket.no-bone"));
    CHECK_THROWS_AS(require_sound(wrong, chart), Error);
    const std::vector<Socket> nameless{{"", hips}};
    CHECK_THROWS_AS(SocketBinding(nameless, chart), Error);
    const std::vector<Socket> endless{{"c", hips, SocketKind::worn, Vec3(NAN, 0, 0)}};
    CHECK_THROWS_AS(SocketBinding(endless, chart), Error);
    CHECK_THROWS_AS(mirrored_socket({"d", chart.skeleton.find("head_end")}, chart), Error);
}

TEST_CASE("a bone below a negative scale is told, wherever the scale stands") {
    Character diver = workshop::diver();
    std::vector<Bone> bones(diver.skeleton.bones().begin(), diver.skeleton.bones().end());
    const int shoulder = diver.skeleton.find("shoulder_left");
    bones[static_cast<std::size_t>(shoulder)].rest.scale = Vec3(-1, 1, 1);
    diver.skeleton = Skeleton(bones);
    const Chart chart = dendraxis::chart(diver);
    const std::vector<Socket> sockets{{"left", diver.skeleton.find("hand_left")},
                                      {"right", diver.skeleton.find("hand_right")}};
    const Findings findings = check_sockets(sockets, chart);
    REQUIRE(findings.size() == 1);
    CHECK(findings[0].code == "socket.mirrored-bone");
    CHECK(findings[0].where == "left");
}

TEST_CASE("a ray tells which bone it meets first") {
    const Character& diver = workshop::diver();
    const Chart chart = dendraxis::chart(diver);
    const Surface surface = surface_of(diver);
    const auto hit = first_hit(surface, {Vec3(0, 1.72f, 2), Vec3(0, 0, -3)});
    REQUIRE(hit.has_value());
    CHECK(chart.skeleton.bone(hit->bone).label == "head");
    CHECK(hit->distance == doctest::Approx(2.0f - hit->point.z()).epsilon(1e-4));
    CHECK(hit->normal.z() > 0.3f);
    CHECK_FALSE(first_hit(surface, {Vec3(0, 1.7f, 2), Vec3(0, 0, 1)}).has_value());
}
