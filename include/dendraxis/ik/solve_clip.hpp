// A whole clip solved, frame by frame from the clip's own poses: ground first, then looks, then reaches.
#pragma once

#include <dendraxis/ik/aim.hpp>
#include <dendraxis/ik/body_setup.hpp>
#include <dendraxis/ik/ground_adaptation.hpp>

#include <string>
#include <vector>

namespace dendraxis {

struct NamedEffector {
    std::string name;
    Effector effector;
};

struct NamedAim {
    std::string name;
    Aim aim;
    Vec3 target = Vec3::Zero();  ///< in model space
};

/// What helps a hand or foot to its target. What is near is reached by the limb alone whatever may help.
enum class ReachWith {
    limb,        ///< nothing
    upper_body,  ///< shoulders and spine, as an arm nears its full length; then all that is charted above it
    body,        ///< the hips, too, while the feet stay
};

/// What is asked of every frame.
struct SolveTask {
    std::vector<NamedEffector> effectors;
    std::vector<NamedAim> aims;
    Ground ground;  ///< none: the clip's own floor
    SolveOptions options;
    ReachWith with = ReachWith::upper_body;
    /// If the hips move, the feet that no effector is for are held where the clip has them.
    bool hold_feet = true;
};

struct SolvedClip {
    /// The worst that is left of one effector or look.
    struct Residual {
        std::string name;
        float worst = 0.0f;  ///< metres; of a look, radians
        std::size_t frame = 0;
        bool is_look = false;
    };
    /// A joint that stood at a limit of its range.
    struct HeldBack {
        int bone = k_no_bone;
        std::size_t frames = 0;
    };
    Clip clip;
    std::vector<Residual> residuals;
    std::vector<HeldBack> held_back;  ///< the most often first
    double mean_iterations = 0.0;
    std::size_t frames_reached = 0;
};

/// Throws `Error` where the clip is not one of this character, or its body cannot do what is asked.
SolvedClip solve_clip(const Chart& chart, const Clip& clip, const SolveTask& task);

}  // namespace dendraxis
