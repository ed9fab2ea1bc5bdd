// The hound: four legs, a tail, hanging ears; brown and white, with a collar.
#include "people.hpp"
#include "sculpt.hpp"

namespace harbour {
namespace {

const std::vector<Joint> k_hound_plan = {
    {"floor", "", {0, 0, 0}},
    {"pelvis", "floor", {0, 0.560f, -0.300f}},
    {"loin", "pelvis", {0, 0.575f, -0.170f}},
    {"ribs", "loin", {0, 0.570f, 0.020f}},
    {"withers", "ribs", {0, 0.590f, 0.200f}},
    {"neck_low", "withers", {0, 0.640f, 0.320f}},
    {"neck_high", "neck_low", {0, 0.720f, 0.400f}},
    {"skull", "neck_high", {0, 0.790f, 0.460f}},
    {"jaw", "skull", {0, 0.765f, 0.480f}},
    {"tail_1", "pelvis", {0, 0.575f, -0.400f}},
    {"tail_2", "tail_1", {0, 0.590f, -0.490f}},
    {"tail_3", "tail_2", {0, 0.630f, -0.570f}},
    {"tail_4", "tail_3", {0, 0.690f, -0.630f}},
    {"ear_{}", "skull", {0.062f, 0.835f, 0.455f}},
    {"ear_{}_b", "ear_{}", {0.098f, 0.790f, 0.460f}},
    {"hind_thigh_{}", "pelvis", {0.085f, 0.520f, -0.320f}},
    {"hind_shin_{}", "hind_thigh_{}", {0.095f, 0.330f, -0.250f}},
    {"hind_foot_{}", "hind_shin_{}", {0.095f, 0.170f, -0.400f}},
    {"hind_toes_{}", "hind_foot_{}", {0.095f, 0.035f, -0.360f}},
    {"fore_blade_{}", "withers", {0.060f, 0.585f, 0.150f}},
    {"fore_upper_{}", "fore_blade_{}", {0.085f, 0.440f, 0.230f}},
    {"fore_lower_{}", "fore_upper_{}", {0.090f, 0.310f, 0.160f}},
    {"fore_foot_{}", "fore_lower_{}", {0.090f, 0.110f, 0.175f}},
    {"fore_toes_{}", "fore_foot_{}", {0.090f, 0.032f, 0.190f}},
};

constexpr std::array<float, 3> k_brown{0.30f, 0.16f, 0.07f};
constexpr std::array<float, 3> k_white{0.75f, 0.71f, 0.64f};

// Weights along the trunk by how far forward a point lies.
Weights along_trunk(const Vec3& p) {
    static const std::array<std::pair<const char*, float>, 6> k_bones{{{"pelvis", -9.0f},
                                                                       {"loin", -0.19f},
                                                                       {"ribs", 0.00f},
                                                                       {"withers", 0.19f},
                                                                       {"neck_low", 0.315f},
                                                                       {"neck_high", 0.395f}}};
    Weights weights;
    float left = 1.0f;
    for (std::size_t i = k_bones.size(); i-- > 0;) {
        const float here =
            i == 0 ? 1.0f : smooth_step(k_bones[i].second - 0.05f, k_bones[i].second + 0.05f, p.z());
        if (left * here > 1e-4f) weights.emplace_back(k_bones[i].first, left * here);
        left *= 1.0f - here;
    }
    return weights;
}

void sculpt_hound_trunk(Sculptor& s) {
    const auto ring = [](float z, float y, float half_width, float half_height, float lean = 0.0f) {
        return Ring{{0, y, z}, {half_width, 0, 0}, {0, half_height, -lean * half_height}, 2.2f};
    };
    s.material("brown", k_brown);
    s.tube({ring(-0.395f, 0.535f, 0.050f, 0.065f), ring(-0.36f, 0.525f, 0.088f, 0.100f),
            ring(-0.28f, 0.525f, 0.104f, 0.112f), ring(-0.16f, 0.535f, 0.094f, 0.098f),
            ring(-0.04f, 0.520f, 0.106f, 0.116f), ring(0.08f, 0.500f, 0.122f, 0.142f),
            ring(0.18f, 0.500f, 0.122f, 0.148f), ring(0.25f, 0.530f, 0.100f, 0.125f, 0.3f),
            ring(0.305f, 0.600f, 0.074f, 0.096f, 0.6f), ring(0.36f, 0.670f, 0.062f, 0.080f, 0.7f),
            ring(0.42f, 0.740f, 0.058f, 0.068f, 0.7f)},
           along_trunk, 22);
    s.material("collar", {0.50f, 0.05f, 0.04f});
    s.tube({ring(0.335f, 0.640f, 0.071f, 0.091f, 0.7f), ring(0.355f, 0.664f, 0.067f, 0.086f, 0.7f)},
           along_trunk, 20);
    s.material("brown", k_brown);
    s.limb({"tail_1", "tail_2", "tail_3", "tail_4"}, {0, 0.760f, -0.665f},
           {{-0.03f, 0.036f, 0.036f},
            {0.09f, 0.030f, 0.030f},
            {0.20f, 0.024f, 0.024f},
            {0.30f, 0.017f, 0.017f},
            {0.36f, 0.010f, 0.010f}},
           Vec3::UnitX(), 10);
}

void sculpt_hound_head(Sculptor& s) {
    const WeightsAt skull = [](const Vec3&) { return Weights{{"skull", 1.0f}}; };
    s.material("brown", k_brown);
    s.tube({{{0, 0.800f, 0.405f}, {0.046f, 0, 0}, {0, 0.052f, 0.01f}},
            {{0, 0.812f, 0.450f}, {0.074f, 0, 0}, {0, 0.074f, 0}},
            {{0, 0.812f, 0.500f}, {0.072f, 0, 0}, {0, 0.068f, 0}},
            {{0, 0.800f, 0.540f}, {0.054f, 0, 0}, {0, 0.048f, 0}}},
           skull, 18);
    s.material("white", k_white);
    s.tube({{{0, 0.792f, 0.530f}, {0.046f, 0, 0}, {0, 0.034f, 0}},
            {{0, 0.788f, 0.590f}, {0.038f, 0, 0}, {0, 0.028f, 0}},
            {{0, 0.786f, 0.640f}, {0.032f, 0, 0}, {0, 0.024f, 0}}},
           skull, 14);
    s.tube(
        {{{0, 0.752f, 0.500f}, {0.036f, 0, 0}, {0, 0.014f, 0}},
         {{0, 0.748f, 0.560f}, {0.031f, 0, 0}, {0, 0.014f, 0}},
         {{0, 0.750f, 0.620f}, {0.024f, 0, 0}, {0, 0.011f, 0}}},
        [](const Vec3&) {
            return Weights{{"jaw", 1.0f}};
        },
        12);
    s.material("dark", {0.03f, 0.03f, 0.04f});
    s.ellipsoid({0, 0.800f, 0.652f}, {0.016f, 0.013f, 0.013f}, "skull", 8);
    for (const float side : {-1.0f, 1.0f})
        s.ellipsoid({side * 0.044f, 0.832f, 0.532f}, {0.010f, 0.010f, 0.009f}, "skull", 8);
}

void sculpt_hound_limbs(Sculptor& s, const std::string& side, float x) {
    const auto n = [&](const char* name) { return std::string(name) + "_" + side; };
    s.material("brown", k_brown);
    s.limb(
        {n("ear"), n("ear") + "_b"}, {x * 0.105f, 0.715f, 0.466f},
        {{0.0f, 0.012f, 0.026f}, {0.05f, 0.010f, 0.036f}, {0.10f, 0.009f, 0.034f}, {0.13f, 0.007f, 0.020f}},
        Vec3::UnitZ(), 10);
    s.limb({n("hind_thigh"), n("hind_shin"), n("hind_foot")}, s.joint(n("hind_toes")),
           {{-0.03f, 0.066f, 0.095f},
            {0.06f, 0.064f, 0.096f},
            {0.15f, 0.050f, 0.070f},
            {0.22f, 0.040f, 0.052f},
            {0.32f, 0.032f, 0.038f},
            {0.41f, 0.027f, 0.031f}},
           Vec3::UnitX(), 14);
    s.limb({n("fore_blade"), n("fore_upper"), n("fore_lower")}, s.joint(n("fore_foot")),
           {{0.02f, 0.052f, 0.080f},
            {0.10f, 0.055f, 0.078f},
            {0.19f, 0.048f, 0.062f},
            {0.28f, 0.040f, 0.046f},
            {0.36f, 0.034f, 0.036f},
            {0.48f, 0.028f, 0.030f}},
           Vec3::UnitX(), 14);
    s.material("white", k_white);
    s.limb({n("hind_foot"), n("hind_toes")}, {x * 0.095f, 0.026f, -0.285f},
           {{0.02f, 0.027f, 0.030f},
            {0.10f, 0.026f, 0.028f},
            {0.135f, 0.030f, 0.032f},
            {0.17f, 0.025f, 0.040f},
            {0.205f, 0.020f, 0.030f}},
           Vec3::UnitX(), 12);
    s.limb({n("fore_lower"), n("fore_foot"), n("fore_toes")}, {x * 0.090f, 0.026f, 0.275f},
           {{0.12f, 0.029f, 0.031f},
            {0.20f, 0.027f, 0.029f},
            {0.26f, 0.031f, 0.031f},
            {0.30f, 0.025f, 0.040f},
            {0.345f, 0.020f, 0.030f}},
           Vec3::UnitX(), 12);
}

}  // namespace

dendraxis::Character make_hound() {
    const std::vector<Joint> joints = mirrored(k_hound_plan, "left", "right");
    dendraxis::Character hound;
    hound.name = "hound";
    hound.skeleton = build_skeleton(joints, 2, {});
    std::vector<std::pair<std::string, Vec3>> positions;
    for (const Joint& joint : joints) positions.emplace_back(joint.name, joint.position);
    Sculptor s(positions);
    sculpt_hound_trunk(s);
    sculpt_hound_head(s);
    sculpt_hound_limbs(s, "left", 1.0f);
    sculpt_hound_limbs(s, "right", -1.0f);
    hound.meshes = s.finish(hound.skeleton);
    return hound;
}

}  // namespace harbour
