// The people of the demo world: a small harbour salvage crew.
#pragma once

#include <dendraxis/skeleton/character.hpp>

#include <utility>
#include <vector>

namespace harbour {

/// One joint as a person is planned: where it stands in the upright model, metres, +Y up, facing +Z.
struct Joint {
    std::string name;
    std::string parent;  ///< empty for the first
    dendraxis::Vec3 position;
};

/// Tall, T stance, metres, full fingers, a root, plain names; bones point along their local +Y.
dendraxis::Character make_diver();

/// Stocky, A stance, data in centimetres and Z-up under a scaled and turned node, other names, five spine
/// bones, twist bones, two-bone fingers, long arms, big boots, a wide coat; bones point along their local +X.
dendraxis::Character make_bosun();

/// Child-sized, arms nearly down, no root, one spine bone, mittens, bone axes turned every which way.
dendraxis::Character make_deckhand();

/// Four legs, tail, ears, jaw; a root.
dendraxis::Character make_hound();

/// Broad, in an apron, and built the awkward way: controls, hands below goals, feet below the root, doubled
/// elbows, thighs in two bones, palm bones, misleading names, decimetres, facing +X, origin at the pelvis;
/// with clips shovel and trudge, in which joints slide.
dendraxis::Character make_stoker();

/// Bare bones with the diver's stroll as a capture system writes it: at rest the hips are at the origin.
dendraxis::Character make_capture();

/// A flat puppet in the plane that it faces, a quad a part; clips bow and step.
dendraxis::Character make_lantern_man();

/// Ground: level, up ten degrees, level; and a flight of six low steps. Both lead along +Z.
dendraxis::Character make_slipway();
dendraxis::Character make_steps();

/// Lantern, mallet, boat hook, oilskin hat and mooring post, with their grips as bones.
std::vector<dendraxis::Character> make_things();

/// Clothing: a chest pad, and guards for arms and legs in one file, a node each.
std::vector<dendraxis::Character> make_pieces();

/// The same skeleton with each bone's local axes turned at random.
dendraxis::Skeleton scrambled_axes(const dendraxis::Skeleton& skeleton, unsigned seed);

/// The same skeleton with tassels of five bones hung on trunk and limbs until there are `count` bones.
dendraxis::Skeleton with_tassels(const dendraxis::Skeleton& skeleton, std::size_t count);

/// A skeleton from planned joints: each bone's local axis number `axis` points at its first child.
dendraxis::Skeleton build_skeleton(const std::vector<Joint>& joints, int axis,
                                   const dendraxis::Transform& above);

/// Left and right: a joint whose name holds `{}` stands for two, mirrored, with `left` and `right` put in its
/// place.
std::vector<Joint> mirrored(const std::vector<Joint>& plan, const std::string& left,
                            const std::string& right);

}  // namespace harbour
