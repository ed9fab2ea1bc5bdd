// A clip may begin anywhere, and face anywhere: the body moves alike.
#include "crowd.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/retarget/transfer.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <string>

using namespace dendraxis;
using crowd::Build;
using crowd::Names;

namespace {

Clip elsewhere(const Chart& chart, const Clip& clip) {
    Transform moved;
    moved.rotation = Quat(Eigen::AngleAxisf(2.3f, chart.up));
    moved.translation = 2.0f * chart.height * chart.facing;
    Clip result = clip;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        for (std::size_t bone = 0; bone < clip.bone_count; ++bone) {
            if (chart.skeleton.parent(static_cast<int>(bone)) == k_no_bone)
                result.frame(f)[bone] = moved * result.frame(f)[bone];
        }
    }
    return result;
}

// Degrees, of any joint below the hips.
float most_apart(const Chart& chart, const Clip& a, const Clip& b) {
    float most = 0.0f;
    for (std::size_t bone = 0; bone < a.bone_count; ++bone) {
        if (!chart.skeleton.is_above(chart.hips, static_cast<int>(bone)) ||
            static_cast<int>(bone) == chart.hips)
            continue;
        for (std::size_t f = 0; f < a.frame_count(); ++f)
            most = std::max(most, angle_between(a.frame(f)[bone].rotation, b.frame(f)[bone].rotation));
    }
    return most * k_degrees;
}

void check_alike(const Character& character, const Character& other,
                 std::initializer_list<const char*> clips) {
    CAPTURE(other.name);
    const Chart source = chart(character);
    const Pairing pairing = pair(source, chart(other));
    const Transfer transfer(pairing);
    for (const std::string name : clips) {
        CAPTURE(name);
        const Clip& clip = character.clip(name);
        const Clip here = transfer.apply(clip);
        CHECK(most_apart(pairing.target, here, transfer.apply(elsewhere(source, clip))) < 0.5f);
    }
}

}  // namespace

TEST_CASE("a clip that begins elsewhere and faces elsewhere moves a body alike") {
    const Character& diver = workshop::diver();
    const Character& hound = workshop::hound();
    for (unsigned number = 1; number <= 3; ++number) {
        CAPTURE(number);
        check_alike(diver, crowd::plain_body(number, crowd::Kind::biped, Names::good).character,
                    {"stroll", "crouch"});
        check_alike(hound, crowd::plain_body(number, crowd::Kind::quadruped, Names::good).character,
                    {"stand"});
        check_alike(hound, crowd::strange_body(number, Build::crouching, Names::good).character, {"stand"});
        check_alike(diver, crowd::strange_body(number, Build::horse, Names::good).character, {"stroll"});
        check_alike(diver, crowd::strange_body(number, Build::theropod, Names::good).character, {"stroll"});
    }
}
