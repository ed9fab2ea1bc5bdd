// What a person may set about how motion is carried: all of it has a sensible value to start with.
#pragma once

#include <dendraxis/chart/posture.hpp>

#include <map>
#include <string>
#include <vector>

namespace dendraxis {

/// How a character's way over the floor is carried.
enum class RootMotion {
    scaled,   ///< as far as its legs are long
    copied,   ///< as many metres as the source
    in_place  ///< not at all: the floor runs under it
};

struct RootMotionRule {
    std::string clips;  ///< a clip's name; `*` stands for anything
    RootMotion root_motion = RootMotion::scaled;
};

/// How joints that slide in their sockets and bones that change their size are carried, where both skeletons
/// are one build.
enum class Positions {
    scaled,   ///< as far as the target's bones are longer
    carried,  ///< as many metres as the source
    dropped   ///< not at all: bones keep their lengths and sizes
};

struct PositionRule {
    std::string clips;         ///< a clip's name; `*` stands for anything
    std::string chains = "*";  ///< likewise a chain of the target; bones of no chain fit `*` alone
    Positions positions = Positions::scaled;
};

/// Frames of a clip in which a foot stands, decided by a person: `first` to `last`, both included.
struct ContactSpan {
    std::string clip;
    std::string leg;  ///< the source's chain
    int first = 0;
    int last = 0;
};

/// The end of a limb moved by hand.
struct EffectorOffset {
    std::string chain;           ///< the target's: `arm.left`, `leg.right`
    Vec3 metres = Vec3::Zero();  ///< in the target's upright frame: to its left, up, forward
};

/// The source pose that the target is matched to.
struct SourceStance {
    std::string name;  ///< `rest`, or a stance of the source's sheet; empty: its rest
    std::string clip;  ///< else a frame of this clip
    int frame = 0;
};

struct PairingSettings {
    SourceStance source_stance;
    std::string target_stance;    ///< a stance of the target's sheet that goes on top; empty: none
    std::vector<BoneTurn> turns;  ///< of the target's bones in its matched stance, on top of that
    std::vector<RootMotionRule> root_motion;  ///< the first that fits a clip counts; none: scaled
    std::vector<PositionRule> positions;      ///< the first that fits clip and chain counts; none: scaled
    std::vector<ContactSpan> contacts;
    std::vector<EffectorOffset> offsets;
    bool feet = true;                   ///< stand where the source's stand
    bool hands = true;                  ///< stay together and on the body where the source's do
    bool clearance = true;              ///< arms stay out of the body
    bool ranges = true;                 ///< joints stay within the ranges of the target's sheet
    std::map<std::string, float> gate;  ///< by measure (`foot_slide_mm`), the most that passes

    RootMotion root_motion_of(const std::string& clip) const;
    /// `chain` is empty for a bone of no chain.
    Positions positions_of(const std::string& clip, const std::string& chain) const;
};

/// Whether `name` fits `pattern`, in which `*` stands for any run of letters.
bool fits_pattern(const std::string& name, const std::string& pattern) noexcept;

}  // namespace dendraxis
