// Pieces of clothing of the crew: a chest pad, and guards for arms and legs. Modeled as on a body that stands
// straight, arms level out, with the part of the body that they cover running through their origins.
#include "people.hpp"
#include "sculpt.hpp"

#include <cmath>

namespace harbour {
namespace {

constexpr std::array<float, 3> k_canvas{0.55f, 0.50f, 0.40f};
constexpr std::array<float, 3> k_leather{0.36f, 0.20f, 0.10f};
constexpr std::array<float, 3> k_brass{0.62f, 0.45f, 0.14f};
constexpr int k_steps = 9;

struct Plate {
    Vec3 along;  ///< half its length, along the part
    Vec3 out;    ///< from the middle line to the plate's middle
    Vec3 side;   ///< from the middle line to where the plate would be a quarter turn on
    float half_angle;
    float half_thickness;
    float taper;  ///< how much shorter it is at its sides
};

// A plate bent around a limb, moved along it by `at`.
void bent(Sculptor& sculptor, const Plate& plate, const Vec3& at, const WeightsAt& weights) {
    std::vector<Ring> rings;
    for (int i = -k_steps; i <= k_steps; ++i) {
        const float share = static_cast<float>(i) / k_steps;
        const float angle = share * plate.half_angle;
        const Vec3 out = std::cos(angle) * plate.out + std::sin(angle) * plate.side;
        rings.push_back({at + out, (1.0f - plate.taper * share * share) * plate.along,
                         plate.half_thickness * out.normalized(), 4.0f});
    }
    sculptor.tube(rings, weights, 20);
}

// A cuff around a limb that runs along `way`, wider at its start.
void cuff(Sculptor& sculptor, const Vec3& from, const Vec3& direction, float start, float end,
          float thickness, const WeightsAt& weights) {
    const Vec3 across = direction.normalized().unitOrthogonal();
    const Vec3 along = direction.normalized().cross(across);
    std::vector<Ring> rings;
    for (int i = 0; i <= k_steps; ++i) {
        const float share = static_cast<float>(i) / k_steps;
        const float radius = start + share * (end - start) + thickness;
        rings.push_back({from + share * direction, radius * across, radius * along});
    }
    for (int i = k_steps; i >= 0; --i) {
        const float share = static_cast<float>(i) / k_steps;
        const float radius = start + share * (end - start);
        rings.push_back({from + share * direction, radius * across, radius * along});
    }
    sculptor.cuff(rings, weights);
}

class Pieces {
 public:
    Pieces(std::string name, const std::vector<std::string>& nodes)
        : name_(std::move(name)), sculptor_(joints(name_, nodes)) {
        add(name_, -1);
        for (const std::string& node : nodes) add(node, 0);
    }

    Sculptor& of(const char* material, std::array<float, 3> color) {
        sculptor_.material(material, color);
        return sculptor_;
    }

    static WeightsAt weights(const std::string& node) {
        return [node](const Vec3&) { return Weights{{node, 1.0f}}; };
    }

    void place(const std::string& node, const Vec3& at, const dendraxis::Quat& turn) {
        add(node, 0);
        bones_.back().rest.translation = at;
        bones_.back().rest.rotation = turn;
    }

    dendraxis::Character finish() const {
        dendraxis::Character all;
        all.name = name_;
        all.skeleton = dendraxis::Skeleton(bones_);
        all.meshes = sculptor_.finish(all.skeleton);
        return all;
    }

 private:
    static std::vector<std::pair<std::string, Vec3>> joints(const std::string& name,
                                                            const std::vector<std::string>& nodes) {
        std::vector<std::pair<std::string, Vec3>> all{{name, Vec3::Zero()}};
        for (const std::string& node : nodes) all.emplace_back(node, Vec3::Zero());
        return all;
    }

    void add(const std::string& name, int parent) {
        dendraxis::Bone bone;
        bone.name = bone.label = name;
        bone.parent = parent;
        bones_.push_back(bone);
    }

    std::string name_;
    Sculptor sculptor_;
    std::vector<dendraxis::Bone> bones_;
};

}  // namespace

std::vector<dendraxis::Character> make_pieces() {
    // The trunk runs through its origin; its grip lies on its back, for those who hang it on a socket.
    Pieces pad("chest-pad", {});
    pad.place("grip", {0, 0, 0.125f}, dendraxis::Quat::Identity());
    bent(pad.of("canvas", k_canvas), {{0, 0.105f, 0}, {0, 0, 0.135f}, {0.16f, 0, 0}, 0.95f, 0.012f, 0.25f},
         Vec3::Zero(), Pieces::weights("chest-pad"));

    Pieces guards("guards", {"upper-arm.left", "forearm.left", "thigh.left", "shin.left"});
    bent(guards.of("leather", k_leather), {{0.085f, 0, 0}, {0, 0.06f, 0}, {0, 0, 0.06f}, 1.25f, 0.006f, 0.3f},
         Vec3::Zero(), Pieces::weights("upper-arm.left"));
    cuff(guards.of("leather of the cuff", k_leather), {-0.085f, 0, 0}, {0.17f, 0, 0}, 0.050f, 0.042f, 0.006f,
         Pieces::weights("forearm.left"));
    bent(guards.of("canvas", k_canvas), {{0, 0.11f, 0}, {0, 0, 0.085f}, {0.085f, 0, 0}, 1.1f, 0.008f, 0.3f},
         Vec3::Zero(), Pieces::weights("thigh.left"));
    bent(guards.of("brass", k_brass), {{0, 0.13f, 0}, {0, 0, 0.062f}, {0.062f, 0, 0}, 1.2f, 0.006f, 0.25f},
         Vec3::Zero(), Pieces::weights("shin.left"));
    return {pad.finish(), guards.finish()};
}

}  // namespace harbour
