// A crowd of made-up bodies, each another: bipeds, quadrupeds, birds, and things that are no body; with skin
// and clothes, built the ways that rigs are built in practice. The truth about each is known.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <map>
#include <set>
#include <string>
#include <vector>

namespace crowd {

/// What may be odd about a body; each is drawn with its own chance unless it is forced.
struct Oddities {
    bool hip_pieces = false;      ///< a bone from the middle to each hip
    bool second_thighs = false;   ///< the thigh in two bones
    bool twist_halves = false;    ///< the upper arm in two bones
    bool twist_leaves = false;    ///< bones beside the limbs that spread their twist
    bool goals = false;           ///< hands hang below control bones under the spine
    bool feet_on_root = false;    ///< feet hang below the root
    bool loose_roots = false;     ///< controls are roots of their own
    bool doubled_joints = false;  ///< a joint without flesh in the place of the next one
    bool control_hips = false;    ///< a control above the hips, turned by half a turn
    bool sword = false;           ///< a bone with flesh that goes on from the right hand
    bool cape = false;            ///< a row of bones down the back
    bool skirt = false;           ///< pairs of bones around the hips
    bool hair = false;            ///< a row of bones from the head
    bool face = false;            ///< jaw and eyes
    bool ears = false;
    bool tail = false;
    bool pelvis_origin = false;  ///< the origin is at the hips
    bool block = false;          ///< one bone a limb, boxes for flesh
    bool hard = false;           ///< every vertex moved by one bone
    bool no_skin = false;
    bool ends = false;  ///< bones without flesh that end the others
    bool palm_bones = false;
    bool posed = false;         ///< at rest one arm is lifted, the other bent: no mirror image
    bool uneven = false;        ///< the sides differ by some percent
    bool many_roots = false;    ///< chest, head, hands and feet are roots of their own
    bool chest_root = false;    ///< the chest stands above the hips in the file
    bool flat_fingers = false;  ///< all bones of the fingers hang on the hand
    bool nose = false;          ///< a heavy row of bones from the face downward
    bool wings = false;         ///< wings beside the arms
    bool hat = false;
    bool shield = false;      ///< a bone with flesh on the left forearm
    bool dress = false;       ///< the hips move a long skirt
    bool two_spines = false;  ///< on four legs: the body is carried in its middle
    bool long_ears = false;
};

enum class Kind { biped, quadruped, bird, none };
enum class Names { none, good, sideless, misleading };

struct Body {
    dendraxis::Character character;
    Kind kind = Kind::biped;
    Names names = Names::none;
    Oddities odd;
    std::map<std::string, std::vector<std::string>> chains;  ///< by the labels of bones; legs with their toes
    std::set<std::string> hips;                              ///< any of these
    std::set<std::string> optional;  ///< bones that may stand in a neighboring chain or in none
    dendraxis::Vec3 facing;
};

/// The body of this number; the same for the same number. `forced` oddities are there whatever is drawn.
Body make_body(unsigned number, const Oddities& forced = {});

/// As `make_body`, of this kind and with names of this kind, without any oddity but the forced ones.
Body plain_body(unsigned number, Kind kind, Names names, const Oddities& forced = {});

/// Builds that few bodies have, each hard in its own way.
enum class Build {
    theropod,      ///< a level trunk on two legs, small arms, a heavy tail
    crouching,     ///< folded legs, a low trunk, hands on the floor
    short_legs,    ///< legs of a sixth of the height
    walker,        ///< a block on two legs whose knees bend backward, with nothing else
    armed_walker,  ///< the same with arms, without a head
    legless,       ///< arms and head on a trunk that ends in a tail
    sleeves,       ///< long sleeves hang on the forearms
    horse,         ///< on four legs, its tail hangs straight down
    two_people,    ///< two bodies below one root; those of the second are marked `.2`
    rider,         ///< a small body on a horse that does not hang on it; its bones are marked `.2`
};

/// A body of this build, with a skin or without.
Body strange_body(unsigned number, Build build, Names names, bool skin = true);

/// The bone with this label.
int by_label(const dendraxis::Skeleton& skeleton, const std::string& label);

struct Score {
    std::size_t right = 0;
    std::size_t all = 0;
    std::vector<std::string> wrong;    ///< names of chains
    std::vector<std::string> made_up;  ///< arms, legs and heads that it does not have
    bool hips = false;
    bool facing = false;
    std::vector<std::pair<float, bool>>
        sureness;  ///< of each found chain that has a truth: confidence, right
};

/// How well a chart agrees with the truth: chains bone by bone, optional ones aside.
Score judge(const Body& body, const dendraxis::Chart& chart);

/// The same; of block figures, which look alike from the front and from behind, sides may be swapped
/// throughout where no name tells them.
Score judge_either_side(const Body& body, dendraxis::Chart chart);

}  // namespace crowd
