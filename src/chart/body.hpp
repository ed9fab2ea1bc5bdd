// What is known about a skeleton while its chart is made: facts of each bone, its place in the body, then
// limbs.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <map>
#include <string>
#include <utility>
#include <vector>

namespace dendraxis::detail {

/// A branch that leaves the trunk: its main run of bones and all that hangs on it.
struct Branch {
    std::vector<int> path;    ///< from the trunk outward, as far as the other side mirrors it
    std::vector<int> bones;   ///< all of it, parents first
    int holder = k_no_bone;   ///< the trunk's bone that it hangs on
    int partner = -1;         ///< the branch on the other side, by index; -1 for none
    Vec3 tip = Vec3::Zero();  ///< where the path ends
    float length = 0.0f;      ///< from the first joint along the bones to the farthest tip
    float mass = 0.0f;
    Side side = Side::none;
};

/// Facts of each bone. Lengths are in model space at rest; masses are areas of skin (lengths where there is
/// no skin) and mean something only beside each other.
struct Body {
    explicit Body(const Skeleton& bones) : skeleton(bones) {}

    const Skeleton& skeleton;
    std::vector<NameReading> names{};
    std::map<int, std::string> declared{};  ///< roles that the file itself gives to bones
    std::vector<Vec3> position{};
    std::vector<Vec3> tip{};        ///< where each bone's own flesh (or a bone that ends it) ends
    std::vector<char> tip_known{};  ///< whether flesh or an end bone tells it; else it is only carried on
    std::vector<Vec3> middle{};     ///< of the bone's flesh
    std::vector<float> mass{};
    std::vector<float> roundness{};  ///< of its flesh: second longest extent over the longest, 0 to 1
    /// Of each bone the others that move skin with it, by index, and how much.
    std::vector<std::vector<std::pair<int, float>>> touching{};
    std::vector<std::vector<Vec3>> watched{};  ///< places of all bones in frames of the clips
    bool has_skin = false;

    std::vector<int> above{};  ///< the bone that each hangs on in the body, which may not be its parent
    std::vector<std::vector<int>> below{};  ///< the living bones that hang on each
    std::vector<int> roots{};               ///< living bones that hang on none
    std::vector<char> alive{};              ///< takes part in the body; the others are helpers
    std::vector<HelperKind> kind{};         ///< of those that do not
    std::vector<float> reach{};             ///< longest way from the bone's head to a tip along living bones
    std::vector<float> mass_below{};        ///< of the bone and all that hangs on it
    float size = 0.0f;                      ///< largest extent of the living bones and their tips
    float whole_mass = 0.0f;

    std::vector<int> trunk{};  ///< living bones of no branch, each after the one it hangs on
    std::vector<Branch> branches{};

    Vec3 lateral = Vec3::Zero();  ///< toward either side; zero where no pairs show one
    float middle_plane = 0.0f;    ///< where the body's middle lies along `lateral`
    Vec3 up = Vec3::UnitY();
    Vec3 facing = Vec3::UnitZ();
    float low = 0.0f;  ///< along `up`, of all flesh, or of the joints where there is none
    float high = 0.0f;

    std::size_t count() const { return position.size(); }
    Vec3 at(int bone) const { return position[static_cast<std::size_t>(bone)]; }
    Vec3 end(int bone) const { return tip[static_cast<std::size_t>(bone)]; }
    bool lives(int bone) const { return alive[static_cast<std::size_t>(bone)] != 0; }
    float mass_of(int bone) const { return mass[static_cast<std::size_t>(bone)]; }
    int hangs_on(int bone) const { return above[static_cast<std::size_t>(bone)]; }
    const std::vector<int>& hanging(int bone) const {
        return bone == k_no_bone ? roots : below[static_cast<std::size_t>(bone)];
    }
    const NameReading& name(int bone) const { return names[static_cast<std::size_t>(bone)]; }
    float distance(int a, int b) const { return (at(a) - at(b)).norm(); }
    float height(const Vec3& point) const { return (up.dot(point) - low) / std::max(high - low, 1e-9f); }
    /// How far off the middle plane, to either side.
    float aside(const Vec3& point) const { return std::abs(lateral.dot(point) - middle_plane); }
    bool same_position(int a, int b) const { return distance(a, b) < 0.004f * size; }
    /// Skin that both move, as a share of what the lesser of them moves.
    float shared_share(int a, int b) const;
    bool hangs_below(int bone, int other) const;  ///< `bone` is `other` or hangs somewhere below it
    int main_child(int bone) const;               ///< the living bone on the longest way on, or no bone
    bool in_trunk(int bone) const;
};

/// Names, places, flesh, tips, motion.
Body study_bones(const Character& character);

/// Measures the skin at rest: masses, middles, roundness, shared skin, tips.
void measure_flesh(const Character& character, Body& body);

/// Hangs each bone where the body has it, and tells helpers from what takes part in the body.
void hang_bones(Body& body);

/// The axis from side to side, the trunk, and the branches with their partners.
void find_branches(Body& body);

/// All bones that hang on `bone`, itself first, parents before children.
std::vector<int> hanging_from(const Body& body, int bone);

/// Evidence for what bones are: positive for, negative against; 0 where their names say nothing. Within -1
/// and 1.
float name_fit(const Body& body, const std::vector<int>& bones, std::initializer_list<Part> parts);

/// `name 'thigh_l' reads as left thigh`
std::string name_evidence(const Body& body, int bone);

/// What a branch's names say of its side: +1 for each bone that reads as left, -1 for right.
int said_side(const Body& body, const Branch& branch);

/// The axes of the file that can be up: square to `lateral`.
std::vector<Vec3> up_directions(const Body& body);

/// Sets `up` and what is measured along it.
void stand_up(Body& body, const Vec3& up);

}  // namespace dendraxis::detail
