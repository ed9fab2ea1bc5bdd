// Things of the crew: a lantern, a mallet, a boat hook, an oilskin hat, a chest pad, a mooring post.
#include "people.hpp"
#include "sculpt.hpp"

namespace harbour {
namespace {

using dendraxis::Character;
using dendraxis::Quat;

// Where the thing is held: +Y along the handle to the thumb, +X to the fingertips.
struct Grip {
    const char* name;
    Vec3 at;
    Vec3 fingertips;
    Vec3 thumb;
};

struct Round {
    float at;
    float radius;
    float squareness = 2.0f;
};

class Thing {
 public:
    explicit Thing(std::string name, const std::vector<Grip>& grips)
        : name_(std::move(name)), sculptor_({{name_, Vec3::Zero()}}) {
        dendraxis::Bone root;
        root.name = root.label = name_;
        bones_.push_back(root);
        for (const Grip& grip : grips) {
            dendraxis::Bone bone;
            bone.name = bone.label = grip.name;
            bone.parent = 0;
            Eigen::Matrix3f axes;
            axes.col(0) = grip.fingertips;
            axes.col(1) = grip.thumb;
            axes.col(2) = grip.fingertips.cross(grip.thumb);
            bone.rest.rotation = Quat(axes).normalized();
            bone.rest.translation = grip.at;
            bones_.push_back(bone);
        }
    }

    // Round about a line from `from` in direction `way`.
    Thing& turned(const char* material, std::array<float, 3> color, const Vec3& from, const Vec3& direction,
                  const std::vector<Round>& rounds) {
        sculptor_.material(material, color);
        const Vec3 across = direction.unitOrthogonal();
        std::vector<Ring> rings;
        for (const Round& round : rounds)
            rings.push_back({from + round.at * direction, round.radius * across,
                             round.radius * direction.cross(across), round.squareness});
        sculptor_.tube(rings, [this](const Vec3&) { return Weights{{name_, 1.0f}}; });
        return *this;
    }

    // A flat or bent plate: rings given whole.
    Thing& shaped(const char* material, std::array<float, 3> color, const std::vector<Ring>& rings) {
        sculptor_.material(material, color);
        sculptor_.tube(rings, [this](const Vec3&) { return Weights{{name_, 1.0f}}; });
        return *this;
    }

    Character finish() const {
        Character thing;
        thing.name = name_;
        thing.skeleton = dendraxis::Skeleton(bones_);
        thing.meshes = sculptor_.finish(thing.skeleton);
        return thing;
    }

 private:
    std::string name_;
    Sculptor sculptor_;
    std::vector<dendraxis::Bone> bones_;
};

constexpr std::array<float, 3> k_wood{0.45f, 0.29f, 0.15f};
constexpr std::array<float, 3> k_iron{0.20f, 0.21f, 0.23f};
constexpr std::array<float, 3> k_brass{0.62f, 0.45f, 0.14f};
constexpr std::array<float, 3> k_flame{0.95f, 0.75f, 0.28f};
constexpr std::array<float, 3> k_oilskin{0.75f, 0.58f, 0.10f};
const Vec3 k_up = Vec3::UnitY();

}  // namespace

std::vector<Character> make_things() {
    std::vector<Character> things;
    // Hangs from its handle, which runs fore and aft.
    things.push_back(
        Thing("lantern", {{"grip", {0, 0, 0}, -k_up, Vec3::UnitZ()}})
            .turned("handle", k_wood, {0, 0, -0.055f}, Vec3::UnitZ(), {{0, .012f}, {.11f, .012f}})
            .turned("wire", k_iron, {0, 0, -0.05f}, -k_up, {{0, .004f}, {.12f, .004f}})
            .turned("wire", k_iron, {0, 0, 0.05f}, -k_up, {{0, .004f}, {.12f, .004f}})
            .turned("brass", k_brass, {0, -0.10f, 0}, -k_up,
                    {{0, .02f}, {.02f, .055f}, {.035f, .06f}, {.04f, .05f}})
            .turned("glass", k_flame, {0, -0.14f, 0}, -k_up, {{0, .045f}, {.06f, .05f}, {.12f, .045f}})
            .turned("brass", k_brass, {0, -0.26f, 0}, -k_up, {{0, .055f}, {.02f, .065f}, {.03f, .065f}})
            .finish());
    things.push_back(
        Thing("mallet", {{"grip", {0, 0.08f, 0}, Vec3::UnitX(), k_up},
                         {"grip.second", {0, 0.24f, 0}, Vec3::UnitX(), k_up}})
            .turned("wood", k_wood, {0, 0, 0}, k_up, {{0, .016f}, {.2f, .014f}, {.42f, .015f}})
            .turned("iron", k_iron, {-0.09f, 0.42f, 0}, Vec3::UnitX(),
                    {{0, .045f, 3.0f}, {.02f, .05f, 3.0f}, {.16f, .05f, 3.0f}, {.18f, .045f, 3.0f}})
            .finish());
    things.push_back(
        Thing("boat-hook", {{"grip", {0, 0.75f, 0}, Vec3::UnitX(), k_up},
                            {"grip.second", {0, 1.10f, 0}, Vec3::UnitX(), k_up}})
            .turned("wood", k_wood, {0, 0, 0}, k_up, {{0, .016f}, {1.9f, .016f}})
            .turned("iron", k_iron, {0, 1.88f, 0}, k_up, {{0, .02f}, {.10f, .018f}, {.26f, .004f}})
            .turned("iron", k_iron, {0, 1.98f, 0}, Vec3(0.75f, 0.25f, 0).normalized(),
                    {{0, .014f}, {.07f, .011f}})
            .turned("iron", k_iron, {0.065f, 2.0f, 0}, Vec3(0.25f, -0.75f, 0).normalized(),
                    {{0, .011f}, {.08f, .004f}})
            .finish());
    // Its grip is where the top of the head comes to lie.
    things.push_back(Thing("oilskin-hat", {{"grip", {0, 0.11f, 0}, Vec3::UnitX(), k_up}})
                         .shaped("oilskin", k_oilskin,
                                 {{{0, 0.012f, -0.05f}, {.19f, 0, 0}, {0, -.02f, .23f}},
                                  {{0, 0.025f, -0.045f}, {.188f, 0, 0}, {0, -.02f, .225f}},
                                  {{0, 0.03f, -0.01f}, {.12f, 0, 0}, {0, 0, .14f}},
                                  {{0, 0.09f, -0.005f}, {.112f, 0, 0}, {0, 0, .13f}},
                                  {{0, 0.14f, 0}, {.075f, 0, 0}, {0, 0, .085f}}})
                         .finish());
    things.push_back(Thing("mooring-post", {})
                         .turned("iron", k_iron, {0, 0, 0}, k_up,
                                 {{0, .20f},
                                  {.05f, .20f},
                                  {.08f, .13f},
                                  {.55f, .12f},
                                  {.60f, .19f},
                                  {.68f, .19f},
                                  {.72f, .14f}})
                         .finish());
    return things;
}

}  // namespace harbour
