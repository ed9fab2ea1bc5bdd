#include "fit_body.hpp"
#include "links.hpp"
#include "masses.hpp"
#include "segments.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/geometry/segment.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace dendraxis {
namespace {

using detail::end_of_body;
using detail::fit_body;
using detail::fit_cost;
using detail::FitTask;
using detail::lines_at_rest;
using detail::Segment;
using detail::segments_of;
using detail::skin_by_body;
using detail::SkinByBody;
using detail::upright_heads;
using detail::volumes_by_body;
using detail::weigh_missing;

constexpr float k_touching =
    -0.0011f;                      // of the height: as near as this at rest, bodies would rub all the time
constexpr float k_apart = 0.012f;  // of the height: points on the skin
constexpr float k_unlike = 1.0f;   // of the fit's cost: sides differ truly
constexpr float k_farthest_swing = 160.0f / k_degrees;
constexpr float k_loose_damping = 5.0f;     // 1/s, of hair and cloth
constexpr float k_strength_reserve = 3.0f;  // times what holds all that hangs from a joint out level

Vec3 mirrored(const Vec3& position) {
    return {-position.x(), position.y(), position.z()};
}

Transform mirrored(const Transform& frame) {
    const Quat& q = frame.rotation;
    return {Quat(q.w(), q.x(), -q.y(), -q.z()), mirrored(frame.translation), frame.scale};
}

// The body that answers to this one on the other side, or -1.
int other_side(const RagdollPlan& plan, std::string name) {
    for (const auto& [from, to] : {std::pair(".left", ".right"), std::pair(".right", ".left")}) {
        const std::size_t at = name.find(from);
        if (at == std::string::npos) continue;
        return plan.find(name.replace(at, std::string_view(from).size(), to));
    }
    return -1;
}

bool is_trunk(const std::string& name) {
    return name == "hips" || name == "spine" || name == "chest";
}

// Places and shape from the bone's head.
struct Fit {
    bool wanted = false;
    PlacedShape placed;
    std::vector<Vec3> positions;
    float volume = 0.0f;

    float cost(const PlacedShape& shape) const {
        return positions.empty() ? 0.0f : fit_cost(shape, positions, volume);
    }
};

// Of left and right the shape that does better for both, unless the sides differ truly.
void make_sides_alike(const RagdollPlan& plan, std::vector<Fit>& fits) {
    for (std::size_t i = 0; i < fits.size(); ++i) {
        const int twin = other_side(plan, plan.bodies[i].name);
        if (twin <= static_cast<int>(i) || !fits[i].wanted || !fits[static_cast<std::size_t>(twin)].wanted)
            continue;
        Fit& a = fits[i];
        Fit& b = fits[static_cast<std::size_t>(twin)];
        const PlacedShape from_a{a.placed.shape, mirrored(a.placed.frame)};
        const PlacedShape from_b{b.placed.shape, mirrored(b.placed.frame)};
        const float loss_a = b.cost(from_a) - b.cost(b.placed);  // of taking a's for both
        const float loss_b = a.cost(from_b) - a.cost(a.placed);
        if (std::min(loss_a, loss_b) > k_unlike) continue;
        if (loss_a <= loss_b)
            b.placed = from_a;
        else
            a.placed = from_b;
    }
}

void fit_missing(RagdollPlan& plan, const Character& character, const Chart& chart,
                 const std::vector<Segment>& segments) {
    const auto unfitted = [](const RagdollBody& body) { return body.shape.half.isZero(); };
    if (std::none_of(plan.bodies.begin(), plan.bodies.end(), unfitted)) return;
    const std::vector<int> owners = bodies_of_bones(chart.skeleton, plan);
    const SkinByBody skin = skin_by_body(character, chart, owners);
    const std::vector<float> volumes = volumes_by_body(skin, plan.bodies.size());
    const std::vector<Vec3> heads = upright_heads(chart);
    std::vector<Fit> fits(plan.bodies.size());
    for (std::size_t i = 0; i < plan.bodies.size(); ++i) {
        const RagdollBody& body = plan.bodies[i];
        if (!unfitted(body)) continue;
        const auto planned = std::find_if(segments.begin(), segments.end(),
                                          [&](const Segment& s) { return s.bones.front() == body.bone; });
        FitTask task;
        task.from = heads[static_cast<std::size_t>(body.bone)];
        task.to = planned != segments.end() ? Vec3(chart.to_upright() * planned->end)
                                            : end_of_body(plan, chart.skeleton, heads, static_cast<int>(i));
        task.trunk = is_trunk(body.name);
        task.boxy = task.trunk || body.name.starts_with("foot.");
        task.loose = planned != segments.end() && planned->loose;
        task.height = chart.height;
        Fit& fit = fits[i];
        fit.wanted = true;
        fit.positions = skin.positions_of(static_cast<int>(i), k_apart * chart.height);
        // A flat puppet has no inside to speak of.
        const bool solid = volumes[i] > 1e-6f * chart.height * chart.height * chart.height;
        fit.volume = solid ? volumes[i] : 0.0f;
        fit.placed = fit_body(task, fit.positions, fit.volume);
        fit.placed.frame.translation -= task.from;
        for (Vec3& position : fit.positions) position -= task.from;
    }
    make_sides_alike(plan, fits);
    for (std::size_t i = 0; i < plan.bodies.size(); ++i) {
        if (!fits[i].wanted) continue;
        plan.bodies[i].shape = fits[i].placed.shape;
        plan.bodies[i].turn = fits[i].placed.frame.rotation;
        plan.bodies[i].at = fits[i].placed.frame.translation;
    }
}

// At half a turn from rest a swing has no direction: an arm that reached it would be thrown to the other side
// of its range. What would come near is drawn in.
Range short_of_half_turn(Range range) {
    const auto middle = [](const AngleSpan& span) { return 0.5f * (span.from + span.to); };
    const auto half = [](const AngleSpan& span) { return 0.5f * (span.to - span.from); };
    const float reach =
        std::hypot(middle(range.bend), middle(range.side)) + std::max(half(range.bend), half(range.side));
    const float kept = std::min(1.0f, k_farthest_swing / reach);
    for (AngleSpan* span : {&range.bend, &range.side}) *span = {kept * span->from, kept * span->to};
    return range;
}

// The range of all bones that a body joins, summed; of bones that have none a wide one.
Range joined_range(const Chart& chart, const RagdollBody& body, std::span<const JointRange> ranges,
                   const std::vector<int>& chain_bones, bool loose) {
    const auto known = [&](int bone) {
        return std::find_if(ranges.begin(), ranges.end(), [&](const auto& r) { return r.bone == bone; });
    };
    const auto own = known(body.bone);
    if (own == ranges.end()) {
        const float cone = (loose ? 60.0f : 45.0f) / k_degrees;
        const float twist = 25.0f / k_degrees;
        return range_of(chart, body.bone, {-twist, twist}, {-cone, cone}, {-cone, cone}, Vec3::Zero());
    }
    Range sum = own->range;
    for (const int bone : chain_bones) {
        const auto other = known(bone);
        if (bone == body.bone || other == ranges.end()) continue;
        const auto add = [](AngleSpan& to, const AngleSpan& from) {
            to = {to.from + from.from, to.to + from.to};
        };
        add(sum.twist, other->range.twist);
        add(sum.bend, other->range.bend);
        add(sum.side, other->range.side);
    }
    return holding_rest(sum);
}

void range_missing(RagdollPlan& plan, const Character& character, const Chart& chart,
                   const RagdollOptions& options, const std::vector<Segment>& segments) {
    const std::vector<JointRange> ranges =
        options.ranges.empty() ? ranges_in_force(chart, character.clips) : options.ranges;
    for (RagdollJoint& joint : plan.joints) {
        if (!joint.range.about.isZero()) continue;
        const RagdollBody& body = plan.bodies[static_cast<std::size_t>(joint.body)];
        const auto planned = std::find_if(segments.begin(), segments.end(),
                                          [&](const Segment& s) { return s.bones.front() == body.bone; });
        const bool known = planned != segments.end();
        joint.range = short_of_half_turn(joined_range(
            chart, body, ranges, known ? planned->bones : std::vector<int>{}, known && planned->loose));
    }
}

void strengthen_missing(RagdollPlan& plan, const Chart& chart) {
    const std::vector<Vec3> heads = upright_heads(chart);
    std::vector<float> torque(plan.joints.size(), 0.0f);
    const float unit = metres_in_unit(chart);
    for (std::size_t b = 0; b < plan.bodies.size(); ++b) {
        const RagdollBody& body = plan.bodies[b];
        const Vec3 middle = heads[static_cast<std::size_t>(body.bone)] + body.at;
        int joint = plan.joint_of(static_cast<int>(b));
        for (std::size_t guard = 0; joint >= 0 && guard < plan.bodies.size(); ++guard) {
            const RagdollJoint& link = plan.joints[static_cast<std::size_t>(joint)];
            const int bone = plan.bodies[static_cast<std::size_t>(link.body)].bone;
            const Vec3 pivot = heads[static_cast<std::size_t>(bone)] + link.at;
            torque[static_cast<std::size_t>(joint)] += 9.81f * body.mass * unit * (middle - pivot).norm();
            joint = plan.joint_of(link.above);
        }
    }
    for (std::size_t j = 0; j < plan.joints.size(); ++j) {
        if (plan.joints[j].strength < 0.0f) plan.joints[j].strength = k_strength_reserve * torque[j];
    }
}

// Bones that move the skin more than any other does, but hang from no body, go with the body that is nearest
// to the middle of that skin.
void carry_lone_skin(RagdollPlan& plan, const Character& character, const Chart& chart) {
    const std::vector<std::pair<Vec3, Vec3>> lines = lines_at_rest(plan, chart);
    std::vector<Vec3> sums(chart.skeleton.size(), Vec3::Zero());
    std::vector<float> counts(chart.skeleton.size(), 0.0f);
    std::vector<Affine> matrices(chart.skeleton.size());
    to_model_matrices(chart.skeleton, rest_pose(chart.skeleton), matrices);
    for (const SkinnedMesh& mesh : character.meshes) {
        std::vector<Vec3> positions(mesh.positions.size());
        deform(mesh, matrices, positions);
        for (std::size_t v = 0; v < positions.size(); ++v) {
            const auto most = std::max_element(mesh.weights[v].begin(), mesh.weights[v].end());
            const auto k = static_cast<std::size_t>(most - mesh.weights[v].begin());
            const auto bone = static_cast<std::size_t>(mesh.bones[mesh.joints[v][k]]);
            sums[bone] += chart.to_upright() * positions[v];
            counts[bone] += 1.0f;
        }
    }
    std::vector<int> owners = bodies_of_bones(chart.skeleton, plan);
    for (std::size_t bone = 0; bone < sums.size(); ++bone) {
        if (counts[bone] == 0.0f || owners[bone] >= 0) continue;
        const Vec3 middle = sums[bone] / counts[bone];
        const auto best = std::min_element(lines.begin(), lines.end(), [&](const auto& a, const auto& b) {
            return distance_to_segment(middle, a.first, a.second) <
                   distance_to_segment(middle, b.first, b.second);
        });
        plan.bodies[static_cast<std::size_t>(best - lines.begin())].also.push_back(static_cast<int>(bone));
        owners = bodies_of_bones(chart.skeleton, plan);  // what hangs from it goes along
    }
}

void list_merged_bones(RagdollPlan& plan, const Skeleton& skeleton) {
    const std::vector<int> owners = bodies_of_bones(skeleton, plan);
    for (std::size_t bone = 0; bone < owners.size(); ++bone) {
        if (owners[bone] < 0) continue;
        RagdollBody& body = plan.bodies[static_cast<std::size_t>(owners[bone])];
        const bool is_listed = std::find(body.also.begin(), body.also.end(), bone) != body.also.end();
        if (body.bone != static_cast<int>(bone) && !is_listed) body.also.push_back(static_cast<int>(bone));
    }
}

}  // namespace

std::vector<int> bodies_of_bones(const Skeleton& skeleton, const RagdollPlan& plan) {
    std::vector<int> told(skeleton.size(), -1);
    for (std::size_t body = 0; body < plan.bodies.size(); ++body) {
        for (const int bone : plan.bodies[body].also)
            told[static_cast<std::size_t>(bone)] = static_cast<int>(body);
    }
    for (std::size_t body = 0; body < plan.bodies.size(); ++body)
        told[static_cast<std::size_t>(plan.bodies[body].bone)] = static_cast<int>(body);
    for (std::size_t bone = 0; bone < told.size(); ++bone) {
        const int parent = skeleton.parent(static_cast<int>(bone));
        if (told[bone] < 0 && parent != k_no_bone) told[bone] = told[static_cast<std::size_t>(parent)];
    }
    return told;
}

std::vector<PlacedShape> shapes_at_rest(const RagdollPlan& plan, const Chart& chart) {
    const std::vector<Vec3> heads = upright_heads(chart);
    std::vector<PlacedShape> shapes;
    for (const RagdollBody& body : plan.bodies) {
        PlacedShape placed{body.shape, {}};
        placed.frame.rotation = body.turn;
        placed.frame.translation = heads[static_cast<std::size_t>(body.bone)] + body.at;
        shapes.push_back(placed);
    }
    return shapes;
}

std::vector<Overlap> overlaps_at_rest(const RagdollPlan& plan, const Chart& chart, float least) {
    const std::vector<PlacedShape> shapes = shapes_at_rest(plan, chart);
    std::vector<Overlap> found;
    for (std::size_t a = 0; a < shapes.size(); ++a) {
        for (std::size_t b = a + 1; b < shapes.size(); ++b) {
            const float reach = shapes[a].shape.half.norm() + shapes[b].shape.half.norm() - least;
            if ((shapes[a].frame.translation - shapes[b].frame.translation).norm() > reach) continue;
            if (plan.are_linked(static_cast<int>(a), static_cast<int>(b))) continue;
            const float depth = overlap(shapes[a], shapes[b]);
            if (depth > least) found.push_back({static_cast<int>(a), static_cast<int>(b), depth});
        }
    }
    return found;
}

void complete_ragdoll(RagdollPlan& plan, const Character& character, const Chart& chart,
                      const RagdollOptions& options) {
    const std::vector<Segment> segments = segments_of(chart);
    fit_missing(plan, character, chart, segments);
    weigh_missing(plan, chart.height, metres_in_unit(chart));
    range_missing(plan, character, chart, options, segments);
    strengthen_missing(plan, chart);
}

RagdollPlan build_ragdoll(const Character& character, const Chart& chart, const RagdollOptions& options) {
    if (chart.skeleton.empty())
        throw Error(chart.character, "has no bones to build a ragdoll from", "",
                    "name a file that has bones");
    RagdollPlan plan;
    std::vector<int> loose;
    std::vector<int> all;
    for (const Segment& segment : segments_of(chart)) {
        RagdollBody body;
        body.name = segment.name;
        body.bone = segment.bones.front();
        const int index = static_cast<int>(plan.bodies.size());
        all.push_back(index);
        if (segment.loose) loose.push_back(index);
        plan.bodies.push_back(std::move(body));
    }
    if (plan.bodies.empty())
        throw Error(chart.character, "has no bone that a body could stand for", "",
                    "its bones have no length; see `dendraxis survey`");
    carry_lone_skin(plan, character, chart);
    list_merged_bones(plan, chart.skeleton);
    link_ragdoll(plan, chart);
    for (RagdollJoint& joint : plan.joints) {
        if (std::find(loose.begin(), loose.end(), joint.body) != loose.end()) joint.damping = k_loose_damping;
    }
    complete_ragdoll(plan, character, chart, options);
    for (const Overlap& pair : overlaps_at_rest(plan, chart, k_touching * chart.height))
        plan.pass_through.emplace_back(pair.a, pair.b);
    plan.profiles["fall"] = all;
    if (!loose.empty()) plan.profiles["alive"] = loose;
    return plan;
}

int mirror_ragdoll(RagdollPlan& plan, const Chart& chart, std::string_view from_side) {
    const auto axial = [](const Vec3& v) { return Vec3(v.x(), -v.y(), -v.z()); };
    int changed = 0;
    for (std::size_t i = 0; i < plan.bodies.size(); ++i) {
        const RagdollBody& from = plan.bodies[i];
        if (from.name.find(fmt::format(".{}", from_side)) == std::string::npos) continue;
        const int other = other_side(plan, from.name);
        if (other < 0) continue;
        RagdollBody& to = plan.bodies[static_cast<std::size_t>(other)];
        to.shape = from.shape;
        const Transform placed = mirrored(Transform{from.turn, from.at, Vec3::Ones()});
        to.at = placed.translation;
        to.turn = placed.rotation;
        to.mass = from.mass;
        to.inertia = from.inertia;
        to.kinematic = from.kinematic;
        ++changed;
        const int a = plan.joint_of(static_cast<int>(i));
        const int b = plan.joint_of(other);
        if (a < 0 || b < 0) continue;
        const RagdollJoint& source = plan.joints[static_cast<std::size_t>(a)];
        RagdollJoint& target = plan.joints[static_cast<std::size_t>(b)];
        const auto turned = [](const AngleSpan& span) { return AngleSpan{-span.to, -span.from}; };
        target.at = mirrored(source.at);
        target.range = range_of(chart, to.bone, turned(source.range.twist), source.range.bend,
                                turned(source.range.side), axial(source.range.about));
        target.strength = source.strength;
        target.damping = source.damping;
    }
    return changed;
}

}  // namespace dendraxis
