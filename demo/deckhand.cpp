// The deckhand: a child in yellow oilskins and a sou'wester, with a pony tail and mittens.
#include "people.hpp"
#include "sculpt.hpp"

namespace harbour {
namespace {

// Arms hang 62 degrees below level. No root; one spine bone; a mitten and a thumb.
const std::vector<Joint> k_deckhand_plan = {
    {"dh:pelvis", "", {0, 0.600f, 0.000f}},
    {"dh:back", "dh:pelvis", {0, 0.690f, -0.010f}},
    {"dh:neck", "dh:back", {0, 0.945f, -0.012f}},
    {"dh:head", "dh:neck", {0, 1.005f, 0.002f}},
    {"dh:{}_collar", "dh:back", {0.022f, 0.905f, -0.002f}},
    {"dh:{}_arm_upper", "dh:{}_collar", {0.118f, 0.895f, -0.012f}},
    {"dh:{}_arm_lower", "dh:{}_arm_upper", {0.204f, 0.733f, -0.016f}},
    {"dh:{}_wrist", "dh:{}_arm_lower", {0.280f, 0.590f, -0.002f}},
    {"dh:{}_mitten_a", "dh:{}_wrist", {0.306f, 0.535f, 0.000f}},
    {"dh:{}_mitten_b", "dh:{}_mitten_a", {0.322f, 0.500f, 0.001f}},
    {"dh:{}_thumb_a", "dh:{}_wrist", {0.284f, 0.570f, 0.022f}},
    {"dh:{}_thumb_b", "dh:{}_thumb_a", {0.292f, 0.544f, 0.040f}},
    {"dh:{}_leg_upper", "dh:pelvis", {0.068f, 0.570f, 0}},
    {"dh:{}_leg_lower", "dh:{}_leg_upper", {0.070f, 0.315f, 0.006f}},
    {"dh:{}_ankle", "dh:{}_leg_lower", {0.072f, 0.068f, -0.014f}},
    {"dh:{}_toe", "dh:{}_ankle", {0.078f, 0.020f, 0.074f}},
    {"dh:pony_a", "dh:head", {0, 1.060f, -0.080f}},
    {"dh:pony_b", "dh:pony_a", {0, 1.030f, -0.125f}},
    {"dh:pony_c", "dh:pony_b", {0, 0.965f, -0.145f}},
    {"dh:pony_d", "dh:pony_c", {0, 0.900f, -0.148f}},
};

constexpr std::array<float, 3> k_oilskin{0.75f, 0.48f, 0.03f};
constexpr std::array<float, 3> k_wool{0.10f, 0.20f, 0.35f};

void sculpt_deckhand_head(Sculptor& s) {
    const WeightsAt head = [](const Vec3& p) {
        const float share = smooth_step(0.975f, 1.02f, p.y());
        return Weights{{"dh:head", share}, {"dh:neck", 1.0f - share}};
    };
    s.material("skin", {0.70f, 0.44f, 0.31f});
    s.tube({{{0, 0.92f, -0.010f}, {0.040f, 0, 0}, {0, 0, 0.042f}},
            {{0, 1.00f, 0.000f}, {0.040f, 0, 0}, {0, 0, 0.046f}}},
           head);
    s.tube({{{0, 0.998f, 0.024f}, {0.036f, 0, 0}, {0, 0, 0.050f}},
            {{0, 1.030f, 0.014f}, {0.066f, 0, 0}, {0, 0, 0.078f}},
            {{0, 1.085f, 0.008f}, {0.080f, 0, 0}, {0, 0, 0.092f}},
            {{0, 1.140f, 0.002f}, {0.076f, 0, 0}, {0, 0, 0.088f}},
            {{0, 1.175f, -0.002f}, {0.050f, 0, 0}, {0, 0, 0.062f}}},
           head, 20);
    s.ellipsoid({0, 1.062f, 0.100f}, {0.012f, 0.012f, 0.012f}, "dh:head", 8);
    for (const float side : {-1.0f, 1.0f})
        s.ellipsoid({side * 0.080f, 1.070f, 0.0f}, {0.010f, 0.022f, 0.015f}, "dh:head", 8);
    s.material("dark", {0.03f, 0.03f, 0.04f});
    for (const float side : {-1.0f, 1.0f})
        s.ellipsoid({side * 0.031f, 1.090f, 0.094f}, {0.011f, 0.011f, 0.007f}, "dh:head", 8);
    s.material("oilskin", k_oilskin);
    s.tube({{{0, 1.108f, -0.030f}, {0.118f, 0, 0}, {0, -0.035f, 0.135f}},
            {{0, 1.128f, -0.004f}, {0.094f, 0, 0}, {0, -0.015f, 0.112f}},
            {{0, 1.170f, 0.000f}, {0.084f, 0, 0}, {0, 0, 0.098f}},
            {{0, 1.205f, -0.006f}, {0.044f, 0, 0}, {0, 0, 0.052f}}},
           head, 22);
}

void sculpt_deckhand_hair(Sculptor& s) {
    s.material("hair", {0.33f, 0.13f, 0.04f});
    s.limb({"dh:pony_a", "dh:pony_b", "dh:pony_c", "dh:pony_d"}, {0, 0.835f, -0.146f},
           {{-0.015f, 0.020f, 0.020f},
            {0.03f, 0.022f, 0.021f},
            {0.06f, 0.031f, 0.027f},
            {0.12f, 0.034f, 0.029f},
            {0.18f, 0.028f, 0.024f},
            {0.235f, 0.014f, 0.012f}},
           Vec3::UnitX(), 12);
}

void sculpt_deckhand_body(Sculptor& s) {
    const WeightsAt torso = [](const Vec3& p) {
        const float back = smooth_step(0.64f, 0.76f, p.y());
        const float side = smooth_step(0.07f, 0.125f, std::abs(p.x())) * smooth_step(0.84f, 0.88f, p.y());
        const float leg = 0.6f * smooth_step(0.58f, 0.46f, p.y());
        const float to_left = 0.5f + 0.5f * std::clamp(p.x() / 0.08f, -1.0f, 1.0f);
        return Weights{{"dh:back", back * (1 - side)},
                       {p.x() > 0 ? "dh:l_collar" : "dh:r_collar", back * side},
                       {"dh:pelvis", (1 - back) * (1 - leg)},
                       {"dh:l_leg_upper", (1 - back) * leg * to_left},
                       {"dh:r_leg_upper", (1 - back) * leg * (1 - to_left)}};
    };
    s.material("oilskin", k_oilskin);
    s.tube({{{0, 0.455f, -0.002f}, {0.150f, 0, 0}, {0, 0, 0.118f}, 2.3f},
            {{0, 0.54f, -0.002f}, {0.140f, 0, 0}, {0, 0, 0.110f}, 2.3f},
            {{0, 0.62f, 0.000f}, {0.130f, 0, 0}, {0, 0, 0.102f}, 2.3f},
            {{0, 0.72f, 0.000f}, {0.122f, 0, 0}, {0, 0, 0.096f}, 2.4f},
            {{0, 0.82f, -0.004f}, {0.122f, 0, 0}, {0, 0, 0.088f}, 2.5f},
            {{0, 0.88f, -0.008f}, {0.110f, 0, 0}, {0, 0, 0.074f}, 2.4f},
            {{0, 0.93f, -0.010f}, {0.060f, 0, 0}, {0, 0, 0.056f}, 2.0f}},
           torso, 24);
    s.material("wool", k_wool);
    s.tube(
        {{{0, 0.915f, -0.006f}, {0.066f, 0, 0}, {0, 0, 0.064f}},
         {{0, 0.960f, -0.004f}, {0.056f, 0, 0}, {0, 0, 0.058f}}},
        [](const Vec3&) {
            return Weights{{"dh:back", 0.5f}, {"dh:neck", 0.5f}};
        },
        18);
}

void sculpt_deckhand_arm(Sculptor& s, const std::string& side) {
    const auto b = [&](const char* name) { return "dh:" + side + "_" + name; };
    const Vec3 wrist = s.joint(b("wrist"));
    const Vec3 along = (s.joint(b("mitten_a")) - wrist).normalized();
    s.material("oilskin", k_oilskin);
    s.limb({b("collar"), b("arm_upper"), b("arm_lower")}, wrist,
           {{0.06f, 0.050f, 0.050f},
            {0.11f, 0.052f, 0.052f},
            {0.18f, 0.045f, 0.045f},
            {0.26f, 0.041f, 0.041f},
            {0.30f, 0.041f, 0.041f},
            {0.38f, 0.040f, 0.040f},
            {0.435f, 0.041f, 0.041f}},
           Vec3::UnitZ(), 14);
    s.material("wool", k_wool);
    const Vec3 flat = Vec3::UnitZ();
    const Vec3 thick = along.cross(flat).normalized();
    const Vec3 tip = s.joint(b("mitten_b")) + 0.032f * along;
    const WeightsAt hand = [&](const Vec3& p) {
        const float at = (p - wrist).dot(along);
        const float a = smooth_step(0.052f, 0.070f, at);
        const float c = smooth_step(0.088f, 0.106f, at);
        return Weights{{b("mitten_b"), c}, {b("mitten_a"), a * (1 - c)}, {b("wrist"), (1 - a) * (1 - c)}};
    };
    s.tube({{wrist - 0.015f * along, thick * 0.026f, flat * 0.028f},
            {wrist + 0.025f * along, thick * 0.022f, flat * 0.034f, 2.3f},
            {wrist + 0.060f * along, thick * 0.020f, flat * 0.036f, 2.4f},
            {wrist + 0.100f * along, thick * 0.018f, flat * 0.032f, 2.4f},
            {tip, thick * 0.012f, flat * 0.018f}},
           hand, 14);
    const Vec3 thumb_tip =
        s.joint(b("thumb_b")) + (s.joint(b("thumb_b")) - s.joint(b("thumb_a"))).normalized() * 0.026f;
    s.limb({b("thumb_a"), b("thumb_b")}, thumb_tip,
           {{-0.006f, 0.0135f, 0.0135f}, {0.03f, 0.0130f, 0.0130f}, {0.053f, 0.010f, 0.010f}}, Vec3::UnitX(),
           8);
}

void sculpt_deckhand_leg(Sculptor& s, const std::string& side, float x) {
    const auto b = [&](const char* name) { return "dh:" + side + "_" + name; };
    s.material("wool", k_wool);
    s.limb({b("leg_upper"), b("leg_lower")}, s.joint(b("ankle")),
           {{0.0f, 0.060f, 0.064f},
            {0.12f, 0.055f, 0.058f},
            {0.25f, 0.045f, 0.048f},
            {0.36f, 0.044f, 0.047f},
            {0.46f, 0.040f, 0.043f}},
           Vec3::UnitZ(), 14);
    const WeightsAt boot = [&](const Vec3& p) {
        const float toe = smooth_step(0.058f, 0.090f, p.z()) * smooth_step(0.09f, 0.06f, p.y());
        const float shin = smooth_step(0.08f, 0.13f, p.y());
        return Weights{
            {b("toe"), toe}, {b("leg_lower"), (1 - toe) * shin}, {b("ankle"), (1 - toe) * (1 - shin)}};
    };
    s.material("rubber", {0.05f, 0.09f, 0.06f});
    s.tube({{{x * 0.071f, 0.250f, 0.000f}, {0.056f, 0, 0}, {0, 0, 0.060f}},
            {{x * 0.072f, 0.160f, -0.006f}, {0.050f, 0, 0}, {0, 0, 0.054f}},
            {{x * 0.072f, 0.090f, -0.009f}, {0.043f, 0, 0}, {0, 0, 0.051f}},
            {{x * 0.073f, 0.040f, -0.006f}, {0.040f, 0, 0}, {0, 0, 0.054f}}},
           boot, 16);
    const auto ring = [&](float z, float width, float top) {
        return Ring{{x * (0.073f + 0.07f * (z + 0.014f)), 0.5f * top + 0.0005f, z},
                    {width, 0, 0},
                    {0, 0.5f * top, 0},
                    2.8f};
    };
    s.tube({ring(-0.056f, 0.032f, 0.070f), ring(-0.02f, 0.040f, 0.074f), ring(0.03f, 0.043f, 0.072f),
            ring(0.075f, 0.047f, 0.062f), ring(0.115f, 0.042f, 0.052f), ring(0.135f, 0.028f, 0.042f)},
           boot, 16);
}

}  // namespace

dendraxis::Character make_deckhand() {
    const std::vector<Joint> joints = mirrored(k_deckhand_plan, "l", "r");
    dendraxis::Character deckhand;
    deckhand.name = "deckhand";
    deckhand.skeleton = scrambled_axes(build_skeleton(joints, 1, {}), 20);
    std::vector<std::pair<std::string, Vec3>> positions;
    for (const Joint& joint : joints) positions.emplace_back(joint.name, joint.position);
    Sculptor s(positions);
    sculpt_deckhand_head(s);
    sculpt_deckhand_hair(s);
    sculpt_deckhand_body(s);
    for (const auto& [side, x] : {std::pair("l", 1.0f), std::pair("r", -1.0f)}) {
        sculpt_deckhand_arm(s, side);
        sculpt_deckhand_leg(s, side, x);
    }
    deckhand.meshes = s.finish(deckhand.skeleton);
    return deckhand;
}

}  // namespace harbour
