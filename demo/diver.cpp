// The diver: canvas suit, copper collar, red wool cap, lead-soled boots.
#include "people.hpp"
#include "sculpt.hpp"

namespace harbour {
namespace {

const std::vector<Joint> k_diver_plan = {
    {"ground", "", {0, 0, 0}},
    {"hips", "ground", {0, 0.98f, 0}},
    {"spine_1", "hips", {0, 1.08f, -0.008f}},
    {"spine_2", "spine_1", {0, 1.20f, -0.014f}},
    {"chest", "spine_2", {0, 1.33f, -0.016f}},
    {"neck", "chest", {0, 1.535f, -0.012f}},
    {"head", "neck", {0, 1.63f, 0.008f}},
    {"head_end", "head", {0, 1.85f, 0.008f}},
    {"shoulder_{}", "chest", {0.03f, 1.475f, 0.005f}},
    {"upper_arm_{}", "shoulder_{}", {0.19f, 1.475f, -0.018f}},
    {"forearm_{}", "upper_arm_{}", {0.485f, 1.475f, -0.026f}},
    {"hand_{}", "forearm_{}", {0.745f, 1.475f, -0.014f}},
    {"index_{}_1", "hand_{}", {0.838f, 1.477f, 0.022f}},
    {"index_{}_2", "index_{}_1", {0.882f, 1.477f, 0.027f}},
    {"index_{}_3", "index_{}_2", {0.908f, 1.477f, 0.029f}},
    {"middle_{}_1", "hand_{}", {0.842f, 1.480f, -0.001f}},
    {"middle_{}_2", "middle_{}_1", {0.890f, 1.480f, -0.001f}},
    {"middle_{}_3", "middle_{}_2", {0.920f, 1.480f, -0.001f}},
    {"ring_{}_1", "hand_{}", {0.837f, 1.477f, -0.024f}},
    {"ring_{}_2", "ring_{}_1", {0.880f, 1.477f, -0.028f}},
    {"ring_{}_3", "ring_{}_2", {0.908f, 1.477f, -0.030f}},
    {"little_{}_1", "hand_{}", {0.828f, 1.471f, -0.045f}},
    {"little_{}_2", "little_{}_1", {0.862f, 1.471f, -0.052f}},
    {"little_{}_3", "little_{}_2", {0.883f, 1.471f, -0.055f}},
    {"thumb_{}_1", "hand_{}", {0.772f, 1.462f, 0.022f}},
    {"thumb_{}_2", "thumb_{}_1", {0.803f, 1.452f, 0.050f}},
    {"thumb_{}_3", "thumb_{}_2", {0.832f, 1.446f, 0.064f}},
    {"grip_{}", "hand_{}", {0.815f, 1.447f, 0.005f}},
    {"thigh_{}", "hips", {0.098f, 0.935f, 0}},
    {"shin_{}", "thigh_{}", {0.103f, 0.51f, 0.008f}},
    {"foot_{}", "shin_{}", {0.106f, 0.088f, -0.022f}},
    {"toes_{}", "foot_{}", {0.116f, 0.024f, 0.112f}},
    {"toes_{}_end", "toes_{}", {0.120f, 0.022f, 0.200f}},
};

void sculpt_diver_head(Sculptor& s) {
    const WeightsAt head = [](const Vec3& p) {
        const float share = smooth_step(1.60f, 1.66f, p.y());
        return Weights{{"head", share}, {"neck", 1.0f - share}};
    };
    s.material("skin", {0.62f, 0.38f, 0.26f});
    s.tube({{{0, 1.52f, -0.008f}, {0.057f, 0, 0}, {0, 0, 0.060f}},
            {{0, 1.57f, -0.002f}, {0.054f, 0, 0}, {0, 0, 0.058f}},
            {{0, 1.625f, 0.004f}, {0.056f, 0, 0}, {0, 0, 0.064f}}},
           head);
    s.tube({{{0, 1.618f, 0.040f}, {0.036f, 0, 0}, {0, 0, 0.052f}},
            {{0, 1.645f, 0.026f}, {0.060f, 0, 0}, {0, 0, 0.080f}},
            {{0, 1.69f, 0.018f}, {0.073f, 0, 0}, {0, 0, 0.093f}},
            {{0, 1.74f, 0.013f}, {0.077f, 0, 0}, {0, 0, 0.098f}},
            {{0, 1.79f, 0.006f}, {0.072f, 0, 0}, {0, 0, 0.094f}},
            {{0, 1.825f, 0.002f}, {0.050f, 0, 0}, {0, 0, 0.068f}}},
           head, 20);
    s.tube({{{0, 1.745f, 0.104f}, {0.010f, 0, 0}, {0, 0, 0.010f}},
            {{0, 1.722f, 0.113f}, {0.013f, 0, 0}, {0, 0, 0.015f}},
            {{0, 1.702f, 0.116f}, {0.018f, 0, 0}, {0, 0, 0.017f}}},
           head, 8);
    for (const float side : {-1.0f, 1.0f})
        s.ellipsoid({side * 0.079f, 1.715f, 0.004f}, {0.010f, 0.030f, 0.018f}, "head", 8);
    s.material("dark", {0.03f, 0.03f, 0.04f});
    for (const float side : {-1.0f, 1.0f})
        s.ellipsoid({side * 0.031f, 1.742f, 0.103f}, {0.011f, 0.009f, 0.008f}, "head", 8);
    s.tube({{{-0.036f, 1.672f, 0.108f}, {0, 0.010f, 0}, {0, 0, 0.008f}},
            {{0, 1.684f, 0.118f}, {0, 0.013f, 0}, {0, 0, 0.010f}},
            {{0.036f, 1.672f, 0.108f}, {0, 0.010f, 0}, {0, 0, 0.008f}}},
           head, 8);
    s.material("wool", {0.45f, 0.05f, 0.04f});
    s.tube({{{0, 1.770f, 0.006f}, {0.083f, 0, 0}, {0, 0, 0.104f}},
            {{0, 1.800f, 0.003f}, {0.083f, 0, 0}, {0, 0, 0.103f}},
            {{0, 1.835f, -0.002f}, {0.064f, 0, 0}, {0, 0, 0.080f}},
            {{0, 1.858f, -0.004f}, {0.034f, 0, 0}, {0, 0, 0.042f}}},
           head, 20);
}

void sculpt_diver_torso(Sculptor& s) {
    const WeightsAt torso = [](const Vec3& p) {
        const float chest = smooth_step(1.26f, 1.38f, p.y());
        const float upper = smooth_step(1.14f, 1.25f, p.y());
        const float lower = smooth_step(1.02f, 1.12f, p.y());
        const float side = smooth_step(0.11f, 0.19f, std::abs(p.x())) * smooth_step(1.36f, 1.42f, p.y());
        const std::string shoulder = p.x() > 0 ? "shoulder_left" : "shoulder_right";
        const float leg =
            0.5f * smooth_step(0.96f, 0.86f, p.y()) * smooth_step(0.02f, 0.08f, std::abs(p.x()));
        const float hips = (1 - chest) * (1 - upper) * (1 - lower);
        return Weights{
            {"chest", chest * (1 - side)},    {shoulder, chest * side},
            {"spine_2", (1 - chest) * upper}, {"spine_1", (1 - chest) * (1 - upper) * lower},
            {"hips", hips * (1 - leg)},       {p.x() > 0 ? "thigh_left" : "thigh_right", hips * leg}};
    };
    s.material("canvas", {0.46f, 0.37f, 0.20f});
    s.tube({{{0, 0.875f, -0.004f}, {0.120f, 0, 0}, {0, 0, 0.088f}, 2.4f},
            {{0, 0.92f, -0.006f}, {0.172f, 0, 0}, {0, 0, 0.112f}, 2.6f},
            {{0, 0.98f, -0.006f}, {0.176f, 0, 0}, {0, 0, 0.116f}, 2.5f},
            {{0, 1.06f, -0.002f}, {0.160f, 0, 0}, {0, 0, 0.108f}, 2.4f},
            {{0, 1.14f, 0.000f}, {0.154f, 0, 0}, {0, 0, 0.106f}, 2.4f},
            {{0, 1.24f, 0.002f}, {0.168f, 0, 0}, {0, 0, 0.115f}, 2.4f},
            {{0, 1.34f, 0.002f}, {0.184f, 0, 0}, {0, 0, 0.121f}, 2.5f},
            {{0, 1.43f, -0.006f}, {0.186f, 0, 0}, {0, 0, 0.110f}, 2.5f},
            {{0, 1.49f, -0.010f}, {0.150f, 0, 0}, {0, 0, 0.090f}, 2.3f},
            {{0, 1.53f, -0.010f}, {0.085f, 0, 0}, {0, 0, 0.074f}, 2.0f}},
           torso, 24);
    s.material("copper", {0.55f, 0.25f, 0.10f});
    s.tube(
        {{{0, 1.475f, 0.000f}, {0.152f, 0, 0}, {0, 0, 0.122f}},
         {{0, 1.505f, -0.002f}, {0.132f, 0, 0}, {0, 0, 0.110f}},
         {{0, 1.528f, -0.004f}, {0.094f, 0, 0}, {0, 0, 0.092f}},
         {{0, 1.552f, -0.004f}, {0.086f, 0, 0}, {0, 0, 0.087f}}},
        [](const Vec3&) {
            return Weights{{"chest", 1.0f}};
        },
        24);
    s.material("leather", {0.12f, 0.07f, 0.04f});
    s.tube({{{0, 1.010f, -0.005f}, {0.176f, 0, 0}, {0, 0, 0.120f}, 2.5f},
            {{0, 1.050f, -0.003f}, {0.172f, 0, 0}, {0, 0, 0.118f}, 2.5f}},
           torso, 24);
    s.material("brass", {0.70f, 0.48f, 0.15f});
    s.ellipsoid({0, 1.030f, 0.118f}, {0.030f, 0.024f, 0.010f}, "hips", 10);
}

void sculpt_diver_arm(Sculptor& s, const std::string& side, float x) {
    const auto name = [&](const char* bone) { return std::string(bone) + "_" + side; };
    const Vec3 up = Vec3::UnitY();
    s.material("canvas", {0.46f, 0.37f, 0.20f});
    const Vec3 wrist = s.joint(name("hand"));
    s.limb({name("shoulder"), name("upper_arm"), name("forearm")}, wrist,
           {{0.10f, 0.070f, 0.070f},
            {0.16f, 0.073f, 0.074f},
            {0.22f, 0.066f, 0.066f},
            {0.32f, 0.060f, 0.058f},
            {0.43f, 0.053f, 0.052f},
            {0.46f, 0.052f, 0.051f},
            {0.49f, 0.052f, 0.050f},
            {0.56f, 0.051f, 0.048f},
            {0.66f, 0.043f, 0.041f},
            {0.705f, 0.041f, 0.038f}},
           up, 16);
    s.material("leather", {0.12f, 0.07f, 0.04f});
    s.tube(
        {{{x * 0.705f, 1.475f, -0.016f}, {0, 0.038f, 0}, {0, 0, 0.042f}},
         {{x * 0.735f, 1.475f, -0.015f}, {0, 0.037f, 0}, {0, 0, 0.041f}}},
        [&](const Vec3&) {
            return Weights{{name("forearm"), 1.0f}};
        },
        14);
    s.material("skin", {0.62f, 0.38f, 0.26f});
    s.tube(
        {{{x * 0.735f, 1.475f, -0.014f}, {0, 0.024f, 0}, {0, 0, 0.030f}},
         {{x * 0.770f, 1.473f, -0.010f}, {0, 0.022f, 0}, {0, 0, 0.038f}, 2.4f},
         {{x * 0.810f, 1.474f, -0.010f}, {0, 0.019f, 0}, {0, 0, 0.045f}, 2.8f},
         {{x * 0.842f, 1.475f, -0.011f}, {0, 0.015f, 0}, {0, 0, 0.044f}, 2.8f}},
        [&](const Vec3&) {
            return Weights{{name("hand"), 1.0f}};
        },
        14);
    const auto finger = [&](const char* kind, float length, float thick) {
        const std::string base = std::string(kind) + "_" + side + "_";
        const Vec3 tip =
            s.joint(base + "3") + (s.joint(base + "3") - s.joint(base + "2")).normalized() * length;
        const float whole = (s.joint(base + "2") - s.joint(base + "1")).norm() +
                            (s.joint(base + "3") - s.joint(base + "2")).norm() + length;
        s.limb({base + "1", base + "2", base + "3"}, tip,
               {{-0.004f, thick, thick},
                {0.35f * whole, thick, thick},
                {0.65f * whole, 0.93f * thick, 0.93f * thick},
                {whole - 0.004f, 0.8f * thick, 0.75f * thick}},
               up, 8);
    };
    finger("index", 0.022f, 0.0105f);
    finger("middle", 0.023f, 0.0110f);
    finger("ring", 0.022f, 0.0105f);
    finger("little", 0.019f, 0.0092f);
    finger("thumb", 0.024f, 0.0130f);
}

void sculpt_diver_leg(Sculptor& s, const std::string& side, float x) {
    const auto name = [&](const char* bone) { return std::string(bone) + "_" + side; };
    s.material("canvas", {0.46f, 0.37f, 0.20f});
    s.limb({name("thigh"), name("shin")}, s.joint(name("foot")),
           {{0.00f, 0.088f, 0.100f},
            {0.08f, 0.090f, 0.100f},
            {0.20f, 0.083f, 0.090f},
            {0.34f, 0.068f, 0.072f},
            {0.41f, 0.062f, 0.066f},
            {0.45f, 0.060f, 0.064f},
            {0.52f, 0.060f, 0.066f},
            {0.60f, 0.061f, 0.068f},
            {0.72f, 0.054f, 0.058f}},
           Vec3::UnitZ(), 16);
    s.material("boots", {0.07f, 0.06f, 0.06f});
    const WeightsAt boot = [&, name](const Vec3& p) {
        const float toe = smooth_step(0.095f, 0.130f, p.z()) * smooth_step(0.12f, 0.08f, p.y());
        const float shin = smooth_step(0.10f, 0.17f, p.y());
        return Weights{
            {name("toes"), toe}, {name("shin"), (1 - toe) * shin}, {name("foot"), (1 - toe) * (1 - shin)}};
    };
    s.tube({{{x * 0.105f, 0.27f, -0.012f}, {0.066f, 0, 0}, {0, 0, 0.074f}},
            {{x * 0.105f, 0.20f, -0.015f}, {0.062f, 0, 0}, {0, 0, 0.069f}},
            {{x * 0.106f, 0.13f, -0.016f}, {0.054f, 0, 0}, {0, 0, 0.063f}},
            {{x * 0.106f, 0.085f, -0.013f}, {0.049f, 0, 0}, {0, 0, 0.062f}},
            {{x * 0.107f, 0.045f, -0.010f}, {0.046f, 0, 0}, {0, 0, 0.064f}}},
           boot, 16);
    s.tube({{{x * 0.106f, 0.045f, -0.066f}, {0.038f, 0, 0}, {0, 0.042f, 0}, 2.8f},
            {{x * 0.107f, 0.049f, -0.030f}, {0.045f, 0, 0}, {0, 0.047f, 0}, 2.9f},
            {{x * 0.110f, 0.049f, 0.030f}, {0.048f, 0, 0}, {0, 0.047f, 0}, 2.9f},
            {{x * 0.114f, 0.043f, 0.080f}, {0.053f, 0, 0}, {0, 0.041f, 0}, 2.9f},
            {{x * 0.117f, 0.036f, 0.125f}, {0.055f, 0, 0}, {0, 0.034f, 0}, 2.8f},
            {{x * 0.119f, 0.033f, 0.165f}, {0.050f, 0, 0}, {0, 0.031f, 0}, 2.7f},
            {{x * 0.119f, 0.030f, 0.195f}, {0.038f, 0, 0}, {0, 0.026f, 0}, 2.5f}},
           boot, 16);
    s.material("lead", {0.25f, 0.26f, 0.28f});
    s.tube({{{x * 0.107f, 0.0095f, -0.078f}, {0.040f, 0, 0}, {0, 0.009f, 0}, 3.5f},
            {{x * 0.109f, 0.0095f, 0.000f}, {0.050f, 0, 0}, {0, 0.009f, 0}, 3.5f},
            {{x * 0.115f, 0.0095f, 0.090f}, {0.057f, 0, 0}, {0, 0.009f, 0}, 3.5f},
            {{x * 0.118f, 0.0095f, 0.125f}, {0.058f, 0, 0}, {0, 0.009f, 0}, 3.5f},
            {{x * 0.120f, 0.0095f, 0.175f}, {0.049f, 0, 0}, {0, 0.009f, 0}, 3.5f},
            {{x * 0.120f, 0.0095f, 0.205f}, {0.030f, 0, 0}, {0, 0.009f, 0}, 3.5f}},
           boot, 16);
}

}  // namespace

dendraxis::Character make_diver() {
    const std::vector<Joint> joints = mirrored(k_diver_plan, "left", "right");
    dendraxis::Character diver;
    diver.name = "diver";
    diver.skeleton = build_skeleton(joints, 1, {});
    std::vector<std::pair<std::string, Vec3>> positions;
    for (const Joint& joint : joints) positions.emplace_back(joint.name, joint.position);
    Sculptor s(positions);
    sculpt_diver_head(s);
    sculpt_diver_torso(s);
    for (const auto& [side, x] : {std::pair("left", 1.0f), std::pair("right", -1.0f)}) {
        sculpt_diver_arm(s, side, x);
        sculpt_diver_leg(s, side, x);
    }
    diver.meshes = s.finish(diver.skeleton);
    return diver;
}

}  // namespace harbour
