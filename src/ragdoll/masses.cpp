// P. de Leva, "Adjustments to Zatsiorsky-Seluyanov's segment inertia parameters", Journal of Biomechanics 29
// (1996): the mean of women's and men's shares of the body's mass.
#include "masses.hpp"

#include <dendraxis/ragdoll/build.hpp>

#include <algorithm>
#include <array>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_density = 1000.0f;     // kg/m3
constexpr float k_least_mass = 0.02f;    // kg
constexpr float k_most_ratio = 5.0f;     // between linked bodies
constexpr float k_thin = 16.0f;          // kg/m2, the body-mass index (WHO) of very thin people
constexpr float k_stout = 30.0f;         // and of stout ones
constexpr float k_more_inertia = 1.8f;   // times the solid shape's: joints hold better, falls look the same
constexpr float k_inertia_floor = 0.5f;  // of the body's largest moment
constexpr float k_most_inertia_ratio = 20.0f;  // between linked bodies
constexpr float k_tip_inertia = 3.0f;          // hands', feet's and other tips', the same
constexpr float k_light = 0.03f;               // of the whole: what a tip weighs at the most

struct Share {
    const char* part;
    float percent;
};
constexpr std::array<Share, 10> k_shares{{{"hips", 11.8f},
                                          {"spine", 15.5f},
                                          {"chest", 15.7f},
                                          {"head", 6.8f},
                                          {"upper-arm", 2.63f},
                                          {"forearm", 1.5f},
                                          {"hand", 0.59f},
                                          {"thigh", 14.47f},
                                          {"shin", 4.57f},
                                          {"foot", 1.33f}}};

float mass_share(const std::string& name) {
    const std::string part = name.substr(0, name.find('.'));
    for (const Share& share : k_shares) {
        if (part == share.part) return share.percent;
    }
    return 0.0f;
}

bool is_a_person(const RagdollPlan& plan) {
    const auto has = [&](const char* name) { return plan.find(name) >= 0; };
    return has("thigh.left") && has("thigh.right") && has("upper-arm.left") && has("upper-arm.right") &&
           has("chest") && has("head");
}

// A hand, a paw, the end of a tail: nothing hangs from it and it is light.
bool is_tip(const RagdollPlan& plan, int body) {
    const auto has_above = [&](const RagdollJoint& joint) { return joint.above == body; };
    float total = 0.0f;
    for (const RagdollBody& other : plan.bodies) total += other.mass;
    return std::none_of(plan.joints.begin(), plan.joints.end(), has_above) &&
           plan.bodies[static_cast<std::size_t>(body)].mass < k_light * total;
}

// Hair and tassels hang from bodies a hundred times as heavy; each is only kept near its neighbour.
void even_out(const RagdollPlan& plan, std::vector<float>& masses) {
    for (std::size_t round = 0; round < plan.bodies.size(); ++round) {
        for (const RagdollJoint& joint : plan.joints) {
            float& a = masses[static_cast<std::size_t>(joint.above)];
            float& b = masses[static_cast<std::size_t>(joint.body)];
            a = std::max(a, b / k_most_ratio);
            b = std::max(b, a / k_most_ratio);
        }
    }
}

}  // namespace

Vec3 steady_inertia(const RagdollPlan& plan, int body) noexcept {
    const RagdollBody& one = plan.bodies[static_cast<std::size_t>(body)];
    const Vec3 own = k_more_inertia * inertia_of(one.shape, one.mass);
    float floor = k_inertia_floor * own.maxCoeff();
    if (const int joint = plan.joint_of(body); joint >= 0) {
        const RagdollBody& above =
            plan.bodies[static_cast<std::size_t>(plan.joints[static_cast<std::size_t>(joint)].above)];
        floor = std::max(floor, inertia_of(above.shape, above.mass).maxCoeff() / k_most_inertia_ratio);
    }
    const Vec3 floored = own.cwiseMax(floor);
    return is_tip(plan, body) ? Vec3(k_tip_inertia * floored) : floored;
}

void detail::weigh_missing(RagdollPlan& plan, float height, float unit) {
    const float tall = unit * height;
    const auto by_volume = [&](const RagdollBody& body) {
        return k_density * unit * unit * unit * volume_of(body.shape);
    };
    float total = 0.0f;
    for (const RagdollBody& body : plan.bodies) total += by_volume(body);
    std::vector<float> masses;
    float shares = 0.0f;
    float by_table = 0.0f;  // what the bodies of the table weigh by volume
    const bool person = is_a_person(plan);
    const bool whole_trunk_is_chest = plan.find("spine") < 0;
    const auto share = [&](const RagdollBody& body) {
        if (!person) return 0.0f;
        const float own = mass_share(body.name);
        return body.name == "chest" && whole_trunk_is_chest ? own + k_shares[1].percent : own;
    };
    for (const RagdollBody& body : plan.bodies) {
        if (share(body) > 0.0f) shares += share(body), by_table += by_volume(body);
    }
    // Coats and boots are not solid: a person weighs what people of that height do.
    if (person) by_table = std::clamp(by_table, k_thin * tall * tall, k_stout * tall * tall);
    for (const RagdollBody& body : plan.bodies) {
        const float own = share(body) > 0.0f ? by_table * share(body) / shares : by_volume(body);
        masses.push_back(std::max(own, k_least_mass * std::min(1.0f, total)));
    }
    even_out(plan, masses);
    for (std::size_t i = 0; i < plan.bodies.size(); ++i) {
        RagdollBody& body = plan.bodies[i];
        if (body.mass <= 0.0f) body.mass = masses[i];
    }
    for (std::size_t i = 0; i < plan.bodies.size(); ++i) {
        RagdollBody& body = plan.bodies[i];
        if (body.inertia.isZero()) body.inertia = steady_inertia(plan, static_cast<int>(i));
    }
}

}  // namespace dendraxis
