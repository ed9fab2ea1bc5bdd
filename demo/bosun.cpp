// The bosun: wide navy coat with a belt and tails, sea boots, flat cap, grey beard.
#include "people.hpp"
#include "sculpt.hpp"

namespace harbour {
namespace {

// Arms hang 43 degrees below level: the A stance.
const std::vector<Joint> k_bosun_plan = {
    {"Bo.Base", "", {0, 0, 0}},
    {"Bo.Pelvis", "Bo.Base", {0, 0.80f, -0.010f}},
    {"Bo.Back1", "Bo.Pelvis", {0, 0.87f, -0.016f}},
    {"Bo.Back2", "Bo.Back1", {0, 0.945f, -0.018f}},
    {"Bo.Back3", "Bo.Back2", {0, 1.02f, -0.022f}},
    {"Bo.Back4", "Bo.Back3", {0, 1.10f, -0.026f}},
    {"Bo.Back5", "Bo.Back4", {0, 1.18f, -0.026f}},
    {"Bo.Nape", "Bo.Back5", {0, 1.335f, -0.014f}},
    {"Bo.Skull", "Bo.Nape", {0, 1.405f, 0.004f}},
    {"Bo.{}.Collar", "Bo.Back5", {0.035f, 1.285f, 0.000f}},
    {"Bo.{}.UpArm", "Bo.{}.Collar", {0.215f, 1.265f, -0.022f}},
    {"Bo.{}.LoArm", "Bo.{}.UpArm", {0.434f, 1.061f, -0.032f}},
    {"Bo.{}.Hand", "Bo.{}.LoArm", {0.639f, 0.870f, -0.016f}},
    {"Bo.{}.UpArmTwist", "Bo.{}.UpArm", {0.3245f, 1.163f, -0.027f}},
    {"Bo.{}.LoArmTwist", "Bo.{}.LoArm", {0.5365f, 0.9655f, -0.024f}},
    {"Bo.{}.Index1", "Bo.{}.Hand", {0.711f, 0.806f, 0.020f}},
    {"Bo.{}.Index2", "Bo.{}.Index1", {0.746f, 0.774f, 0.026f}},
    {"Bo.{}.Middle1", "Bo.{}.Hand", {0.714f, 0.805f, -0.006f}},
    {"Bo.{}.Middle2", "Bo.{}.Middle1", {0.751f, 0.770f, -0.006f}},
    {"Bo.{}.Ring1", "Bo.{}.Hand", {0.709f, 0.804f, -0.032f}},
    {"Bo.{}.Ring2", "Bo.{}.Ring1", {0.743f, 0.772f, -0.036f}},
    {"Bo.{}.Little1", "Bo.{}.Hand", {0.699f, 0.807f, -0.056f}},
    {"Bo.{}.Little2", "Bo.{}.Little1", {0.725f, 0.783f, -0.064f}},
    {"Bo.{}.Thumb1", "Bo.{}.Hand", {0.650f, 0.845f, 0.026f}},
    {"Bo.{}.Thumb2", "Bo.{}.Thumb1", {0.668f, 0.812f, 0.058f}},
    {"Bo.{}.UpLeg", "Bo.Pelvis", {0.108f, 0.765f, 0}},
    {"Bo.{}.LoLeg", "Bo.{}.UpLeg", {0.122f, 0.435f, 0.008f}},
    {"Bo.{}.Ankle", "Bo.{}.LoLeg", {0.132f, 0.110f, -0.024f}},
    {"Bo.{}.Ball", "Bo.{}.Ankle", {0.152f, 0.032f, 0.098f}},
    {"Bo.{}.UpLegTwist", "Bo.{}.UpLeg", {0.115f, 0.600f, 0.004f}},
    {"Bo.{}.LoLegTwist", "Bo.{}.LoLeg", {0.127f, 0.2725f, -0.008f}},
    {"Bo.{}.Coat1", "Bo.Pelvis", {0.098f, 0.830f, -0.187f}},
    {"Bo.{}.Coat2", "Bo.{}.Coat1", {0.103f, 0.690f, -0.200f}},
    {"Bo.{}.Coat3", "Bo.{}.Coat2", {0.108f, 0.555f, -0.213f}},
};

std::string bone(const std::string& side, const char* name) {
    return "Bo." + side + "." + name;
}

void sculpt_bosun_head(Sculptor& s) {
    const WeightsAt head = [](const Vec3& p) {
        const float share = smooth_step(1.37f, 1.43f, p.y());
        return Weights{{"Bo.Skull", share}, {"Bo.Nape", 1.0f - share}};
    };
    s.material("skin", {0.42f, 0.22f, 0.13f});
    s.tube({{{0, 1.31f, -0.014f}, {0.072f, 0, 0}, {0, 0, 0.072f}},
            {{0, 1.41f, 0.000f}, {0.066f, 0, 0}, {0, 0, 0.072f}}},
           head);
    s.tube({{{0, 1.395f, 0.030f}, {0.050f, 0, 0}, {0, 0, 0.066f}},
            {{0, 1.43f, 0.020f}, {0.076f, 0, 0}, {0, 0, 0.090f}},
            {{0, 1.48f, 0.014f}, {0.084f, 0, 0}, {0, 0, 0.099f}},
            {{0, 1.53f, 0.008f}, {0.082f, 0, 0}, {0, 0, 0.098f}},
            {{0, 1.575f, 0.002f}, {0.060f, 0, 0}, {0, 0, 0.078f}}},
           head, 20);
    s.ellipsoid({0, 1.478f, 0.116f}, {0.022f, 0.022f, 0.020f}, "Bo.Skull", 10);
    for (const float side : {-1.0f, 1.0f})
        s.ellipsoid({side * 0.086f, 1.480f, 0.004f}, {0.011f, 0.028f, 0.018f}, "Bo.Skull", 8);
    s.material("dark", {0.03f, 0.03f, 0.04f});
    for (const float side : {-1.0f, 1.0f})
        s.ellipsoid({side * 0.034f, 1.505f, 0.103f}, {0.011f, 0.009f, 0.008f}, "Bo.Skull", 8);
    s.material("beard", {0.50f, 0.50f, 0.48f});
    s.tube({{{0, 1.352f, 0.080f}, {0.030f, 0, 0}, {0, 0, 0.026f}},
            {{0, 1.392f, 0.062f}, {0.062f, 0, 0}, {0, 0, 0.058f}},
            {{0, 1.430f, 0.046f}, {0.080f, 0, 0}, {0, 0, 0.076f}},
            {{0, 1.458f, 0.030f}, {0.084f, 0, 0}, {0, 0, 0.082f}}},
           head, 18);
    s.material("coat", {0.035f, 0.06f, 0.13f});
    s.tube({{{0, 1.548f, 0.004f}, {0.089f, 0, 0}, {0, 0, 0.106f}},
            {{0, 1.575f, 0.002f}, {0.092f, 0, 0}, {0, 0, 0.110f}},
            {{0, 1.600f, 0.004f}, {0.082f, 0, 0}, {0, 0, 0.100f}}},
           head, 20);
    s.tube({{{-0.062f, 1.548f, 0.102f}, {0, 0.005f, 0}, {0, 0, 0.028f}},
            {{0, 1.552f, 0.122f}, {0, 0.006f, 0}, {0, 0, 0.038f}},
            {{0.062f, 1.548f, 0.102f}, {0, 0.005f, 0}, {0, 0, 0.028f}}},
           head, 10);
}

Weights torso_weights(const Vec3& p) {
    static constexpr std::array<float, 5> k_heights{0.86f, 0.945f, 1.02f, 1.10f, 1.18f};
    Weights weights;
    float left = 1.0f;
    const float side = smooth_step(0.12f, 0.22f, std::abs(p.x())) * smooth_step(1.17f, 1.23f, p.y());
    for (int i = 4; i >= 0; --i) {
        const float here = smooth_step(k_heights[static_cast<std::size_t>(i)] - 0.045f,
                                       k_heights[static_cast<std::size_t>(i)] + 0.045f, p.y());
        const float share = left * here;
        left *= 1.0f - here;
        const std::string name = "Bo.Back" + std::to_string(i + 1);
        if (share > 1e-4f) weights.emplace_back(name, i == 4 ? share * (1 - side) : share);
        if (i == 4 && share * side > 1e-4f)
            weights.emplace_back(p.x() > 0 ? "Bo.L.Collar" : "Bo.R.Collar", share * side);
    }
    // The skirts of the coat go with the thighs, the more the lower and the farther to the side.
    const float down = smooth_step(0.80f, 0.52f, p.y());
    const float to_left = 0.5f + 0.5f * std::clamp(p.x() / 0.14f, -1.0f, 1.0f);
    if (left > 1e-4f) {
        weights.emplace_back("Bo.Pelvis", left * (1.0f - 0.75f * down));
        weights.emplace_back("Bo.L.UpLeg", left * 0.75f * down * to_left);
        weights.emplace_back("Bo.R.UpLeg", left * 0.75f * down * (1 - to_left));
    }
    return weights;
}

void sculpt_bosun_coat(Sculptor& s) {
    s.material("coat", {0.035f, 0.06f, 0.13f});
    s.tube({{{0, 0.535f, -0.005f}, {0.262f, 0, 0}, {0, 0, 0.205f}, 2.3f},
            {{0, 0.60f, -0.005f}, {0.255f, 0, 0}, {0, 0, 0.198f}, 2.3f},
            {{0, 0.68f, -0.005f}, {0.245f, 0, 0}, {0, 0, 0.188f}, 2.3f},
            {{0, 0.76f, -0.004f}, {0.235f, 0, 0}, {0, 0, 0.182f}, 2.3f},
            {{0, 0.84f, 0.002f}, {0.222f, 0, 0}, {0, 0, 0.180f}, 2.3f},
            {{0, 0.92f, 0.010f}, {0.222f, 0, 0}, {0, 0, 0.190f}, 2.3f},
            {{0, 1.02f, 0.010f}, {0.224f, 0, 0}, {0, 0, 0.186f}, 2.4f},
            {{0, 1.12f, 0.002f}, {0.226f, 0, 0}, {0, 0, 0.170f}, 2.5f},
            {{0, 1.20f, -0.006f}, {0.224f, 0, 0}, {0, 0, 0.148f}, 2.5f},
            {{0, 1.27f, -0.010f}, {0.186f, 0, 0}, {0, 0, 0.116f}, 2.3f},
            {{0, 1.32f, -0.012f}, {0.112f, 0, 0}, {0, 0, 0.092f}, 2.0f}},
           torso_weights, 28);
    s.tube(
        {{{0, 1.305f, -0.010f}, {0.118f, 0, 0}, {0, 0, 0.100f}},
         {{0, 1.365f, -0.010f}, {0.098f, 0, 0}, {0, 0, 0.096f}}},
        [](const Vec3&) {
            return Weights{{"Bo.Back5", 1.0f}};
        },
        20);
    s.material("belt", {0.20f, 0.11f, 0.05f});
    s.tube({{{0, 0.850f, 0.003f}, {0.230f, 0, 0}, {0, 0, 0.188f}, 2.3f},
            {{0, 0.895f, 0.007f}, {0.230f, 0, 0}, {0, 0, 0.194f}, 2.3f}},
           torso_weights, 28);
    s.material("brass", {0.70f, 0.48f, 0.15f});
    s.ellipsoid({0, 0.872f, 0.196f}, {0.034f, 0.027f, 0.010f}, "Bo.Back1", 10);
    for (const auto& [y, z, name] :
         {std::tuple(0.98f, 0.200f, "Bo.Back2"), std::tuple(1.07f, 0.186f, "Bo.Back3"),
          std::tuple(1.16f, 0.160f, "Bo.Back4")}) {
        for (const float x : {-0.055f, 0.055f}) s.ellipsoid({x, y, z}, {0.012f, 0.012f, 0.007f}, name, 8);
    }
}

// Two tails that hang from under the belt over the skirts.
void sculpt_bosun_tail(Sculptor& s, const std::string& side, float x) {
    s.material("tails", {0.055f, 0.085f, 0.17f});
    s.limb({bone(side, "Coat1"), bone(side, "Coat2"), bone(side, "Coat3")}, {x * 0.112f, 0.425f, -0.221f},
           {{-0.02f, 0.066f, 0.0100f},
            {0.01f, 0.068f, 0.0104f},
            {0.04f, 0.070f, 0.0107f},
            {0.07f, 0.072f, 0.0110f},
            {0.10f, 0.074f, 0.0110f},
            {0.13f, 0.075f, 0.0110f},
            {0.16f, 0.077f, 0.0110f},
            {0.19f, 0.078f, 0.0110f},
            {0.22f, 0.079f, 0.0110f},
            {0.25f, 0.079f, 0.0110f},
            {0.28f, 0.080f, 0.0110f},
            {0.31f, 0.080f, 0.0110f},
            {0.34f, 0.080f, 0.0110f},
            {0.37f, 0.074f, 0.0102f},
            {0.40f, 0.066f, 0.0090f}},
           Vec3(x * 0.35f, 0.0f, -0.94f), 14);
}

void sculpt_bosun_arm(Sculptor& s, const std::string& side) {
    const auto b = [&](const char* name) { return bone(side, name); };
    const Vec3 wrist = s.joint(b("Hand"));
    const Vec3 along = (wrist - s.joint(b("LoArm"))).normalized();
    s.material("coat", {0.035f, 0.06f, 0.13f});
    s.limb({b("Collar"), b("UpArm"), b("UpArmTwist"), b("LoArm"), b("LoArmTwist")}, wrist,
           {{0.11f, 0.088f, 0.088f},
            {0.18f, 0.092f, 0.090f},
            {0.25f, 0.082f, 0.080f},
            {0.33f, 0.074f, 0.072f},
            {0.43f, 0.069f, 0.068f},
            {0.48f, 0.068f, 0.067f},
            {0.53f, 0.068f, 0.066f},
            {0.62f, 0.066f, 0.064f},
            {0.70f, 0.063f, 0.062f},
            {0.735f, 0.064f, 0.063f}},
           Vec3::UnitY(), 16);
    s.material("skin", {0.42f, 0.22f, 0.13f});
    const Vec3 flat = Vec3::UnitZ();
    const Vec3 thick = along.cross(flat).normalized();
    const WeightsAt hand = [&](const Vec3&) { return Weights{{b("Hand"), 1.0f}}; };
    s.tube({{wrist - 0.01f * along, thick * 0.030f, flat * 0.036f},
            {wrist + 0.03f * along + Vec3(0, 0, 0.006f), thick * 0.027f, flat * 0.044f, 2.4f},
            {wrist + 0.07f * along, thick * 0.024f, flat * 0.052f, 2.7f},
            {wrist + 0.10f * along - Vec3(0, 0, 0.002f), thick * 0.019f, flat * 0.051f, 2.7f}},
           hand, 14);
    const auto finger = [&](const char* first, const char* second, float length, float thickness) {
        const Vec3 from = s.joint(b(first));
        const Vec3 middle = s.joint(b(second));
        const Vec3 tip = middle + (middle - from).normalized() * length;
        const float whole = (middle - from).norm() + length;
        s.limb({b(first), b(second)}, tip,
               {{-0.006f, thickness, thickness},
                {0.5f * whole, thickness, thickness},
                {whole - 0.005f, 0.82f * thickness, 0.8f * thickness}},
               Vec3::UnitY(), 8);
    };
    finger("Index1", "Index2", 0.038f, 0.0135f);
    finger("Middle1", "Middle2", 0.041f, 0.0140f);
    finger("Ring1", "Ring2", 0.038f, 0.0135f);
    finger("Little1", "Little2", 0.032f, 0.0120f);
    finger("Thumb1", "Thumb2", 0.040f, 0.0165f);
}

void sculpt_bosun_leg(Sculptor& s, const std::string& side, float x) {
    const auto b = [&](const char* name) { return bone(side, name); };
    s.material("trousers", {0.16f, 0.16f, 0.17f});
    s.limb({b("UpLeg"), b("UpLegTwist"), b("LoLeg"), b("LoLegTwist")}, s.joint(b("Ankle")),
           {{0.00f, 0.098f, 0.108f},
            {0.10f, 0.096f, 0.105f},
            {0.20f, 0.087f, 0.094f},
            {0.30f, 0.077f, 0.082f},
            {0.34f, 0.075f, 0.080f},
            {0.40f, 0.075f, 0.080f},
            {0.50f, 0.075f, 0.080f}},
           Vec3::UnitZ(), 16);
    const WeightsAt boot = [&](const Vec3& p) {
        const float toe = smooth_step(0.075f, 0.125f, p.z()) * smooth_step(0.15f, 0.10f, p.y());
        const float shin = smooth_step(0.12f, 0.20f, p.y());
        const float twist = smooth_step(0.34f, 0.22f, p.y());
        return Weights{{b("Ball"), toe},
                       {b("LoLegTwist"), (1 - toe) * shin * twist},
                       {b("LoLeg"), (1 - toe) * shin * (1 - twist)},
                       {b("Ankle"), (1 - toe) * (1 - shin)}};
    };
    s.material("sea-boots", {0.42f, 0.30f, 0.05f});
    s.tube({{{x * 0.1235f, 0.400f, 0.002f}, {0.096f, 0, 0}, {0, 0, 0.102f}},
            {{x * 0.125f, 0.340f, -0.002f}, {0.089f, 0, 0}, {0, 0, 0.096f}},
            {{x * 0.128f, 0.240f, -0.010f}, {0.080f, 0, 0}, {0, 0, 0.090f}},
            {{x * 0.131f, 0.160f, -0.014f}, {0.072f, 0, 0}, {0, 0, 0.086f}},
            {{x * 0.134f, 0.100f, -0.012f}, {0.068f, 0, 0}, {0, 0, 0.086f}},
            {{x * 0.136f, 0.060f, -0.010f}, {0.066f, 0, 0}, {0, 0, 0.086f}}},
           boot, 18);
    const auto sole = [&](float y, float height, float wider, const char* material,
                          std::array<float, 3> color) {
        s.material(material, color);
        const auto ring = [&](float z, float width, float top) {
            return Ring{{x * (0.132f + 0.17f * (z + 0.024f)), y + 0.5f * top * height, z},
                        {width + wider, 0, 0},
                        {0, 0.5f * top * height, 0},
                        2.9f};
        };
        s.tube({ring(-0.092f, 0.052f, 0.90f), ring(-0.04f, 0.064f, 1.0f), ring(0.04f, 0.068f, 1.0f),
                ring(0.11f, 0.076f, 0.88f), ring(0.17f, 0.076f, 0.76f), ring(0.215f, 0.064f, 0.68f),
                ring(0.240f, 0.044f, 0.60f)},
               boot, 18);
    };
    sole(0.012f, 0.112f, 0.0f, "sea-boots", {0.42f, 0.30f, 0.05f});
    sole(0.0005f, 0.026f, 0.006f, "rubber", {0.05f, 0.05f, 0.05f});
}

}  // namespace

dendraxis::Character make_bosun() {
    const std::vector<Joint> joints = mirrored(k_bosun_plan, "L", "R");
    dendraxis::Transform above;
    above.rotation = dendraxis::Quat(Eigen::AngleAxisf(-1.57079633f, Vec3::UnitX()));
    above.scale = Vec3::Constant(0.01f);
    dendraxis::Character bosun;
    bosun.name = "bosun";
    bosun.skeleton = build_skeleton(joints, 0, above);
    std::vector<std::pair<std::string, Vec3>> positions;
    for (const Joint& joint : joints) positions.emplace_back(joint.name, joint.position);
    Sculptor s(positions);
    sculpt_bosun_head(s);
    sculpt_bosun_coat(s);
    for (const auto& [side, x] : {std::pair("L", 1.0f), std::pair("R", -1.0f)}) {
        sculpt_bosun_arm(s, side);
        sculpt_bosun_leg(s, side, x);
        sculpt_bosun_tail(s, side, x);
    }
    bosun.meshes = s.finish(bosun.skeleton);
    return bosun;
}

}  // namespace harbour
