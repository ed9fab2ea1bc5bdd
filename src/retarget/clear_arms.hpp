// Arms kept out of the body, over a whole clip.
#pragma once

#include "arm_depths.hpp"

namespace dendraxis::detail {

/// Where an arm may go to come out of the body: straight out from ball to ball, or also to any other side.
enum class WaysOut { straight, any };

/// Remembers which frames are clear, so that looking again costs only what was moved since.
class ArmClearer {
 public:
    /// Arms begin to turn `ease` seconds before they must.
    ArmClearer(PassRun& run, ArmDepths& depths, WaysOut ways, float ease);

    /// Turns arms out of the body where they are deeper in it than the source's. Returns false if none had to
    /// be turned.
    bool clear();
    /// An arm was moved in this frame: it is looked at again.
    void moved(std::size_t frame) { clear_[frame] = 0; }

 private:
    /// What brings an arm out of the body: a turn about its shoulder, then a move of its hand.
    struct Relief {
        Vec3 turn = Vec3::Zero();
        Vec3 shift = Vec3::Zero();
    };

    using Choices = std::vector<Relief>;  // of one frame

    Relief from_ball_to_ball(std::size_t arm, std::size_t frame) const;
    void add_swings(std::size_t arm, std::size_t frame, Choices& choices) const;
    std::vector<std::vector<Choices>> find_reliefs();
    std::vector<Relief> steadiest(std::size_t arm, const std::vector<Choices>& choices) const;
    bool clear_once();
    void turn_arm(std::size_t arm, const std::vector<Vec3>& turns);
    void shift_hand(std::size_t arm, const std::vector<Vec3>& shifts);
    std::vector<Vec3> eased(const std::vector<Vec3>& values) const;

    PassRun& run_;
    ArmDepths& depths_;
    WaysOut ways_;
    float ease_;
    std::vector<char> clear_;  // by frame
};

}  // namespace dendraxis::detail
