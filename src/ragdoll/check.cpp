#include "links.hpp"
#include "masses.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/joint_ranges.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/ragdoll/check.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>
#include <algorithm>
#include <set>

namespace dendraxis {
namespace {

constexpr float k_least_overlap = 0.0017f;  // of the height
constexpr float k_most_mass_ratio = 10.0f;
constexpr float k_least_inertia = 0.25f;  // of what the shape would have at the least
constexpr float k_rest_outside = 0.5f / k_degrees;
constexpr float k_wider = 5.0f / k_degrees;
constexpr float k_free = 350.0f / k_degrees;  // a span as wide as this is no limit
constexpr float k_odd_mass = 4.0f;            // times what is usual, or a part of it
constexpr float k_unlike_volume = 2.5f;
constexpr float k_unlike_mass = 1.5f;
constexpr float k_far_off = 1.8f;  // from a shape's middle, 1 being its surface
constexpr std::ptrdiff_t k_many_bones = 12;
constexpr float k_long = 1.6f;  // times its width: a shape that has a direction
constexpr float k_tilted = 40.0f / k_degrees;
constexpr float k_middle = 0.6f;  // what of another segment a shape reaches to span it

class Checker {
 public:
    Checker(const RagdollPlan& plan, const Chart& chart) : plan_(plan), chart_(chart) {}

    Findings check() {
        segments();
        links();
        locks();
        ranges();
        weights();
        whole_weight();
        sides();
        crowded_bodies();
        tilted();
        overlaps();
        return std::move(findings_);
    }

 private:
    const RagdollBody& body(int index) const { return plan_.bodies[static_cast<std::size_t>(index)]; }
    const std::string& label(int bone) const { return chart_.skeleton.bone(bone).label; }

    void say(Severity severity, const char* code, const std::string& where, std::string message,
             std::string advice) {
        findings_.push_back({severity, code, where, std::move(message), std::move(advice)});
    }

    static bool is_segment(const Chain& chain) {
        const ChainRole role = chain.role();
        return chain.name == "spine" || role == ChainRole::head || role == ChainRole::tail || is_limb(role);
    }

    void segments() {
        const std::vector<int> owners = bodies_of_bones(chart_.skeleton, plan_);
        const std::vector<PlacedShape> shapes = shapes_at_rest(plan_, chart_);
        const std::vector<Transform> rest = rest_in_model_space(chart_.skeleton);
        const auto head = [&](int bone) {
            return Vec3(chart_.to_upright() * rest[static_cast<std::size_t>(bone)].translation);
        };
        if (chart_.hips != k_no_bone && owners[static_cast<std::size_t>(chart_.hips)] < 0)
            uncovered("the hips", chart_.hips);
        for (const Chain& chain : chart_.chains) {
            if (!is_segment(chain)) continue;
            for (std::size_t i = 0; i < chain.bones.size(); ++i) {
                const int bone = chain.bones[i];
                const int owner = owners[static_cast<std::size_t>(bone)];
                if (owner < 0 || (i == 0 && !belongs(owner, chain))) {
                    uncovered(chain.name, bone);
                } else if (is_limb(chain.role()) && body(owner).bone != bone) {
                    // Limbs break into one body a bone; a trunk or tail may be of fewer.
                    spans(owner, bone);
                } else if (is_limb(chain.role()) && i + 1 < chain.bones.size()) {
                    const Vec3 middle = head(bone) + k_middle * (head(chain.bones[i + 1]) - head(bone));
                    reaches_over(shapes, owner, bone, middle, chain);
                }
            }
        }
    }

    // Whether a body stands for any bone of the chain.
    bool belongs(int owner, const Chain& chain) const {
        return std::find(chain.bones.begin(), chain.bones.end(), body(owner).bone) != chain.bones.end() ||
               (chain.name == "head" && is_of(owner, "neck"));
    }

    bool is_of(int owner, const char* chain_name) const {
        const Chain* chain = chart_.find(chain_name);
        return chain != nullptr &&
               std::find(chain->bones.begin(), chain->bones.end(), body(owner).bone) != chain->bones.end();
    }

    void uncovered(const std::string& what, int bone) {
        say(Severity::warning, "ragdoll.uncovered", label(bone),
            what + " has a segment without a body of its own: it will be stiff",
            "add a body for this bone, or build the ragdoll again");
    }

    void spans(int owner, int bone) {
        say(Severity::fault, "ragdoll.spans-segments", body(owner).name,
            fmt::format("one body stands for '{}' and '{}': the limb breaks in the middle",
                        label(body(owner).bone), label(bone)),
            "give each of them a body, linked at the joint between them");
    }

    void reaches_over(const std::vector<PlacedShape>& shapes, int owner, int bone, const Vec3& middle,
                      const Chain& chain) {
        for (const int other : chain.bones) {
            const auto found = std::find_if(plan_.bodies.begin(), plan_.bodies.end(),
                                            [&](const auto& b) { return b.bone == other; });
            const int index = static_cast<int>(found - plan_.bodies.begin());
            if (other == bone || found == plan_.bodies.end() || index == owner) continue;
            const PlacedShape& shape = shapes[static_cast<std::size_t>(index)];
            const Vec3 local = shape.frame.rotation.conjugate() * (middle - shape.frame.translation);
            if (gauge(shape.shape, local) < 1.0f) spans(index, bone);
        }
    }

    void links() {
        const std::vector<int> nearest_above = detail::bodies_above(plan_, chart_);
        for (int index = 0; index < static_cast<int>(plan_.bodies.size()); ++index) {
            const auto count = std::count_if(plan_.joints.begin(), plan_.joints.end(),
                                             [&](const RagdollJoint& joint) { return joint.body == index; });
            const std::string& name = body(index).name;
            if (count > 1)
                say(Severity::fault, "ragdoll.linked-twice", name,
                    fmt::format("the body is linked upward {} times: its joints pull against each other",
                                count),
                    "leave it one joint");
            if (count == 0 && index != 0)
                say(Severity::fault, "ragdoll.unlinked", name, "the body is linked to nothing: it falls off",
                    "add a joint that links it to the body above");
            const int joint = plan_.joint_of(index);
            const int nearest = nearest_above[static_cast<std::size_t>(index)];
            if (joint < 0 || nearest < 0) continue;
            const int above = plan_.joints[static_cast<std::size_t>(joint)].above;
            if (above != nearest)
                say(Severity::warning, "ragdoll.joint-skips", name,
                    fmt::format("the body is linked to '{}', but '{}' is the nearest above it",
                                body(above).name, body(nearest).name),
                    "link it to '" + body(nearest).name + "'");
        }
    }

    void locks() {
        std::string names;
        std::size_t kinematic = 0;
        for (const RagdollBody& one : plan_.bodies) {
            if (!one.kinematic) continue;
            ++kinematic;
            names += (names.empty() ? "" : ", ") + one.name;
        }
        if (kinematic == 0) return;
        const bool all = kinematic == plan_.bodies.size();
        say(all ? Severity::fault : Severity::warning, "ragdoll.kinematic", all ? "" : names,
            all ? "every body is kinematic: the figure just stands there"
                : "kinematic bodies hang in the air while the others fall",
            "take `kinematic` out of bodies that are to fall");
    }

    void ranges() {
        const std::vector<JointRange> usual = usual_ranges(chart_);
        const RagdollPlan built = plan_with_usual(usual);
        for (std::size_t j = 0; j < plan_.joints.size(); ++j) {
            const RagdollJoint& joint = plan_.joints[j];
            const std::string& name = body(joint.body).name;
            const Range& range = joint.range;
            for (const auto& [span, axis] : {std::pair(range.twist, "twist"), std::pair(range.bend, "bend"),
                                             std::pair(range.side, "side")}) {
                if (span.to - span.from >= k_free)
                    say(Severity::warning, "ragdoll.free-axis", name,
                        fmt::format("nothing limits the joint's {}", axis), "give it a range");
            }
            const float outside = overshoot(range, Quat::Identity());
            if (outside > k_rest_outside)
                say(Severity::warning, "ragdoll.rest-outside", name,
                    fmt::format(
                        "the rest lies {:.1f} degrees outside of the joint's range: it will jerk when let go",
                        outside * k_degrees),
                    "widen the range so that 0 lies within it");
            wider_than(built.joints[j].range, range, name);
        }
    }

    RagdollPlan plan_with_usual(const std::vector<JointRange>& usual) const {
        RagdollPlan plan = plan_;
        for (RagdollJoint& joint : plan.joints) joint.range.about = Vec3::Zero();
        complete_ragdoll(plan, Character{}, chart_, {usual});
        return plan;
    }

    void wider_than(const Range& usual, const Range& own, const std::string& name) {
        const float by = std::max({usual.twist.from - own.twist.from, own.twist.to - usual.twist.to,
                                   usual.bend.from - own.bend.from, own.bend.to - usual.bend.to,
                                   usual.side.from - own.side.from, own.side.to - usual.side.to});
        const bool same_axes = usual.about.dot(own.about) > 0.98f;
        if (same_axes && by > k_wider)
            say(Severity::note, "ragdoll.range-wide", name,
                fmt::format("the joint turns {:.0f} degrees farther than anatomy allows", by * k_degrees),
                "narrow its range, or leave it if that is meant");
    }

    void weights() {
        for (const RagdollJoint& joint : plan_.joints) {
            const float a = body(joint.body).mass;
            const float b = body(joint.above).mass;
            if (std::max(a, b) > k_most_mass_ratio * std::min(a, b))
                say(Severity::warning, "ragdoll.mass-ratio", body(joint.body).name,
                    fmt::format("linked bodies of {:.2f} kg and {:.2f} kg ('{}'): the joint will stretch", a,
                                b, body(joint.above).name),
                    "make the lighter one heavier, at the most ten to one");
        }
        for (int index = 0; index < static_cast<int>(plan_.bodies.size()); ++index) {
            const RagdollBody& one = body(index);
            const Vec3 steady = steady_inertia(plan_, index);
            if ((one.inertia.array() < k_least_inertia * steady.array()).any())
                say(Severity::warning, "ragdoll.tiny-inertia", one.name,
                    "the body has so little inertia that it will spin and shake",
                    "take `inertia` out of the sheet: it is then worked out from shape and mass");
        }
    }

    // Against what the same bodies would be given.
    void whole_weight() {
        RagdollPlan usual = plan_;
        for (RagdollBody& one : usual.bodies) one.mass = 0.0f;
        detail::weigh_missing(usual, chart_.height, metres_in_unit(chart_));
        float own = 0.0f;
        float expected = 0.0f;
        for (std::size_t b = 0; b < plan_.bodies.size(); ++b) {
            own += plan_.bodies[b].mass;
            expected += usual.bodies[b].mass;
        }
        if (own < k_odd_mass * expected && expected < k_odd_mass * own) return;
        say(Severity::warning, "ragdoll.odd-mass", "",
            fmt::format("the bodies weigh {:.3g} kg together; a figure {:.3g} m tall like this weighs about "
                        "{:.3g} kg",
                        own, chart_.height * metres_in_unit(chart_), expected),
            "if its unit is not the metre, tell its height: `ragdoll build --rebuild --height-metres`");
    }

    void sides() {
        for (const RagdollBody& left : plan_.bodies) {
            const std::size_t at = left.name.find(".left");
            if (at == std::string::npos) continue;
            std::string name = left.name;
            const int other = plan_.find(name.replace(at, 5, ".right"));
            if (other < 0) continue;
            const RagdollBody& right = body(other);
            const auto differ = [](float a, float b, float times) {
                return std::max(a, b) > times * std::min(a, b);
            };
            const bool sizes = differ(volume_of(left.shape), volume_of(right.shape), k_unlike_volume);
            const bool masses = differ(left.mass, right.mass, k_unlike_mass);
            if (!sizes && !masses) continue;
            say(Severity::warning, "ragdoll.sides-differ", left.name,
                sizes ? fmt::format("'{}' and '{}' are not of one size", left.name, right.name)
                      : fmt::format("'{}' weighs {:.2f} kg and '{}' {:.2f} kg", left.name, left.mass,
                                    right.name, right.mass),
                "take one side over: `ragdoll build --mirror left`; leave it if the sides do differ");
        }
    }

    // A body that moves bones far from it, as where half a skeleton was left to one body.
    void crowded_bodies() {
        const std::vector<PlacedShape> shapes = shapes_at_rest(plan_, chart_);
        const std::vector<Vec3> heads = detail::upright_heads(chart_);
        for (std::size_t b = 0; b < plan_.bodies.size(); ++b) {
            const RagdollBody& one = plan_.bodies[b];
            const PlacedShape& shape = shapes[b];
            const auto far = std::count_if(one.also.begin(), one.also.end(), [&](int bone) {
                const Vec3 offset = heads[static_cast<std::size_t>(bone)] - shape.frame.translation;
                return gauge(shape.shape, shape.frame.rotation.conjugate() * offset) > k_far_off;
            });
            if (far < k_many_bones) continue;
            say(Severity::warning, "ragdoll.many-bones", one.name,
                fmt::format(
                    "the body moves {} bones, {} of them far outside of its shape: they will be stiff",
                    one.also.size() + 1, far),
                "give them bodies, or chart the chains that they belong to");
        }
    }

    // Whether most of a line lies within a shape or just outside.
    static bool covers(const PlacedShape& placed, const std::pair<Vec3, Vec3>& line) {
        int within = 0;
        for (int i = 0; i < 9; ++i) {
            const float share = 0.1f * static_cast<float>(i + 1);
            const Vec3 offset = line.first + share * (line.second - line.first) - placed.frame.translation;
            within += gauge(placed.shape, placed.frame.rotation.conjugate() * offset) < 1.3f ? 1 : 0;
        }
        return within > 4;
    }

    void tilted() {
        const std::vector<PlacedShape> shapes = shapes_at_rest(plan_, chart_);
        const std::vector<std::pair<Vec3, Vec3>> lines = detail::lines_at_rest(plan_, chart_);
        for (std::size_t b = 0; b < plan_.bodies.size(); ++b) {
            const RagdollBody& one = plan_.bodies[b];
            const Vec3& half = one.shape.half;
            Eigen::Index longest = 0;
            const float most = half.maxCoeff(&longest);
            const bool is_tip = std::none_of(plan_.joints.begin(), plan_.joints.end(),
                                             [&](const auto& j) { return j.above == static_cast<int>(b); });
            const Vec3 line = lines[b].second - lines[b].first;
            const float second = half.sum() - most - half.minCoeff();
            if (is_tip || b == 0 || most < k_long * second || line.norm() < 2.0f * second) continue;
            const Vec3 axis = one.turn * Vec3(Vec3::Unit(longest));
            const float cosine = std::abs(axis.dot(line.normalized()));
            if (cosine > std::cos(k_tilted) || covers(shapes[b], lines[b])) continue;
            say(Severity::warning, "ragdoll.tilted", one.name,
                fmt::format("the body lies {:.0f} degrees across its bone",
                            std::acos(std::min(1.0f, cosine)) * k_degrees),
                "turn it along the bone, or take its `size` out of the sheet: it is then fitted");
        }
    }

    void overlaps() {
        for (const Overlap& pair : overlaps_at_rest(plan_, chart_, k_least_overlap * chart_.height)) {
            if (!plan_.may_touch(pair.a, pair.b)) continue;
            say(Severity::warning, "ragdoll.overlap", body(pair.a).name,
                fmt::format(
                    "'{}' and '{}' are {:.1f} % of the height in each other at rest and will fly apart",
                    body(pair.a).name, body(pair.b).name, 100.0f * pair.depth / chart_.height),
                "make one smaller, or list the two under `pass_through`");
        }
    }

    const RagdollPlan& plan_;
    const Chart& chart_;
    Findings findings_;
};

}  // namespace

Findings check_ragdoll(const RagdollPlan& plan, const Chart& chart) {
    return Checker(plan, chart).check();
}

void require_sound(const RagdollPlan& plan, const Chart& chart) {
    const auto fail = [&](const std::string& problem, const std::string& where, const std::string& advice) {
        throw Error(chart.character, problem, where, advice);
    };
    if (plan.bodies.empty())
        fail("the ragdoll has no bodies", "ragdoll", "build it: `dendraxis ragdoll build`");
    if (plan.bodies.size() > k_most_bodies)
        fail(fmt::format("the ragdoll has {} bodies", plan.bodies.size()), "ragdoll",
             fmt::format("{} is the most; leave small bones to the bodies above them", k_most_bodies));
    std::set<std::string> names;
    for (const RagdollBody& body : plan.bodies) {
        if (!names.insert(body.name).second)
            fail("two bodies have the name '" + body.name + "'", "ragdoll", "rename one");
        if (body.bone < 0 || static_cast<std::size_t>(body.bone) >= chart.skeleton.size())
            fail("the body '" + body.name + "' has no bone", "ragdoll", "name the bone that carries it");
        const bool sized = body.shape.half.allFinite() && body.shape.half.minCoeff() > 0.0f &&
                           body.shape.half.maxCoeff() < 1e4f && body.at.allFinite();
        if (!sized)
            fail("the body '" + body.name + "' has no size", "ragdoll", "all sizes must be above zero");
        const bool weighs = std::isfinite(body.mass) && body.mass > 0.0f && body.inertia.allFinite() &&
                            body.inertia.minCoeff() > 0.0f;
        if (!weighs) fail("the body '" + body.name + "' has no mass", "ragdoll", "masses must be above zero");
    }
    const int count = static_cast<int>(plan.bodies.size());
    for (const RagdollJoint& joint : plan.joints) {
        if (joint.body < 0 || joint.above < 0 || joint.body >= count || joint.above >= count)
            fail("a joint links a body that does not exist", "ragdoll", "name bodies of this ragdoll");
        if (joint.body == joint.above)
            fail("the body '" + plan.bodies[static_cast<std::size_t>(joint.body)].name +
                     "' is linked to itself",
                 "ragdoll", "name the body above it");
        for (const AngleSpan& span : {joint.range.twist, joint.range.bend, joint.range.side}) {
            if (!(span.from <= span.to))
                fail("the range of '" + plan.bodies[static_cast<std::size_t>(joint.body)].name +
                         "' goes from more to less",
                     "ragdoll", "write the smaller angle first");
        }
    }
    for (int body = 0; body < count; ++body) {
        int steps = 0;
        for (int joint = plan.joint_of(body); joint >= 0;
             joint = plan.joint_of(plan.joints[static_cast<std::size_t>(joint)].above)) {
            if (++steps > count)
                fail(
                    "the joints above '" + plan.bodies[static_cast<std::size_t>(body)].name + "' form a loop",
                    "ragdoll", "link each body to one that is nearer to the hips");
        }
    }
}

}  // namespace dendraxis
