// What is known about a skeleton while its chart is made: facts of each bone, then limbs, then directions.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <map>
#include <string>
#include <vector>

namespace dendraxis {

/// A run of bones that branches off the trunk, from its root along its longest way to a leaf.
struct Limb {
    std::vector<int> path;
    int holder = k_no_bone;   ///< the trunk's bone that it hangs on
    int partner = -1;         ///< the limb on the other side, by index; -1 for none
    Vec3 tip = Vec3::Zero();  ///< where it ends
    float length = 0.0f;      ///< along the bones, tip included
    std::string role;         ///< `leg`, `arm`, `wing`, `ear`, `eye`; empty: nothing that is charted
    Side side = Side::none;
    float confidence = 0.0f;
    std::vector<std::string> evidence;
};

struct Body {
    const Skeleton& skeleton;
    std::vector<NameReading> names;
    std::vector<Vec3> place{};       ///< at rest, model space
    std::vector<Vec3> tip{};         ///< where each bone's own flesh (or a bone that ends it) ends
    std::vector<char> tip_known{};   ///< whether flesh or an end bone tells it; else it is only carried on
    std::vector<float> weight{};     ///< skin weight of the bone itself
    std::vector<char> alive{};       ///< takes part in the body's shape; the others are helpers
    std::vector<HelperKind> kind{};  ///< of those that do not
    std::vector<float> reach{};      ///< longest way from the bone's head to a leaf's tip, along alive bones
    std::map<int, std::string> declared{};     ///< roles that the file itself gives to bones
    std::vector<std::vector<Vec3>> watched{};  ///< places of all bones in frames of the clips, model space
    bool has_skin = false;
    float size = 0.0f;  ///< largest extent of the alive bones

    std::vector<int> trunk{};  ///< alive bones of no limb, parents first
    std::vector<Limb> limbs{};

    Vec3 up = Vec3::UnitY();
    Vec3 lateral = Vec3::Zero();  ///< toward either side; zero where no pairs show one
    Vec3 facing = Vec3::UnitZ();
    float facing_certainty = 0.0f;  ///< how much geometry speaks for it, 0 to 1
    float low = 0.0f;               ///< along up, of all alive bones and tips
    float high = 0.0f;

    std::size_t count() const { return place.size(); }
    Vec3 at(int bone) const { return place[static_cast<std::size_t>(bone)]; }
    bool lives(int bone) const { return alive[static_cast<std::size_t>(bone)] != 0; }
    const NameReading& name(int bone) const { return names[static_cast<std::size_t>(bone)]; }
    float height(const Vec3& point) const { return (up.dot(point) - low) / std::max(high - low, 1e-9f); }
    std::vector<int> alive_children(int bone) const;  ///< of the root where `bone` is no bone
    int next(int bone) const;                         ///< the alive child on the longest way, or no bone
};

/// Names, places, weights, tips; which bones are helpers.
Body study_bones(const Character& character);

/// The axis from side to side, the trunk, and the limbs with their partners.
void find_limbs(Body& body);

/// Up, from where limbs hang; then heights.
void find_up(Body& body);

/// What each limb is.
void label_limbs(Body& body);

/// Which way it faces, then which limb is left and which right. Adds a finding where names say otherwise.
void find_facing(Body& body, Chart& chart);

/// Hub, spine, neck, head, tail, jaw.
void chart_trunk(Body& body, Chart& chart);

/// Shoulders, arms, hands, fingers, legs, toes, ears, eyes, wings, carried-item bones.
void chart_limbs(Body& body, Chart& chart);

/// How many of `bones` have names of one of these parts, 0 to 1.
float named_share(const Body& body, const std::vector<int>& bones, std::initializer_list<Part> parts);

/// `name 'thigh_l' reads as left thigh`
std::string name_evidence(const Body& body, int bone);

}  // namespace dendraxis
