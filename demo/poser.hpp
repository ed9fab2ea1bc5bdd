// Posing by turns: each bone is turned relative to its parent about axes of the upright model at rest.
#pragma once

#include <dendraxis/skeleton/clip.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <string>
#include <vector>

namespace harbour {

using dendraxis::Quat;
using dendraxis::Transform;
using dendraxis::Vec3;

Quat turn_x(float degrees);
Quat turn_y(float degrees);
Quat turn_z(float degrees);

class Poser {
 public:
    explicit Poser(const dendraxis::Skeleton& skeleton);

    void reset();
    /// Turns a bone on top of what it was turned by before.
    void turn(const std::string& bone, const Quat& by);
    /// Moves a bone from where it stands at rest, in the frame of its turned parent.
    void move(const std::string& bone, const Vec3& by);
    /// Bends a leg so that the ankle comes to `ankle`, the knee forward of the line (turned out by `knee_out`
    /// degrees); the foot is tilted by `pitch` degrees (toes up positive) and the toes by `toe_pitch`, both
    /// in the model.
    void place_leg(const std::string& side, const Vec3& ankle, float pitch, float toe_pitch, float knee_out);

    /// Model space, after all turns so far.
    Transform model(const std::string& bone) const;
    void write(std::span<Transform> local) const;

 private:
    std::size_t index(const std::string& bone) const;
    Quat whole_turn(int bone) const;
    Vec3 place(int bone) const;

    const dendraxis::Skeleton& skeleton_;
    std::vector<Transform> rest_;
    std::vector<Quat> turns_;
    std::vector<Vec3> moves_;
};

}  // namespace harbour
