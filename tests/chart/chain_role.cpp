#include <dendraxis/chart/chain_role.hpp>
#include <dendraxis/chart/chart.hpp>

#include <doctest/doctest.h>

using namespace dendraxis;

TEST_CASE("a chain's name gives its role and side, and only whole words count") {
    CHECK(role_of("arm.left") == ChainRole::arm);
    CHECK(role_of("leg.back.right") == ChainRole::leg);
    CHECK(role_of("spine.back") == ChainRole::spine);
    CHECK(role_of("loose.12") == ChainRole::loose);
    CHECK(role_of("armor.left") == ChainRole::other);
    CHECK(role_of("") == ChainRole::other);
    CHECK(side_of("leg.back.right") == Side::right);
    CHECK(side_of("arm.left") == Side::left);
    CHECK(side_of("spine") == Side::none);
    Chain finger;
    finger.name = "index.left";
    CHECK(finger.side() == Side::left);
    CHECK(is_digit(finger.role()));
    CHECK_FALSE(is_limb(finger.role()));
    for (int i = 0; i <= static_cast<int>(ChainRole::other); ++i) {
        const auto role = static_cast<ChainRole>(i);
        CHECK(role_of(to_string(role)) == role);
    }
}
