// Posing by turns: each bone is turned relative to its parent about axes of the upright model at rest.
#pragma once

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/clip.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <array>
#include <optional>
#include <string>
#include <vector>

namespace harbour {

using dendraxis::k_degrees;
using dendraxis::k_pi;
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
    /// A limb of three bones: bends the first two so that the third comes to `end`, the middle joint toward
    /// `ahead` (at rest it would bend toward `rest_ahead`). The third is turned as a whole by `end_turn`, or
    /// goes straight on with the second where there is none. An end out of reach is come as near to as may
    /// be.
    void place_limb(const std::array<std::string, 3>& bones, const Vec3& end, const Vec3& ahead,
                    const Vec3& rest_ahead, const std::optional<Quat>& end_turn);
    /// Bends a person's leg so that the ankle comes to `ankle`, the knee forward of the line (turned out by
    /// `knee_out` degrees); the foot is tilted by `pitch` degrees (toes up positive) and the toes by
    /// `toe_pitch`, both in the model.
    void place_leg(const std::string& side, const Vec3& ankle, float pitch, float toe_pitch, float knee_out);

    /// Model space, after all turns so far.
    Transform model(const std::string& bone) const;
    Quat rest(const std::string& bone) const { return rest_[index(bone)].rotation; }
    Vec3 rest_position(const std::string& bone) const { return rest_[index(bone)].translation; }
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
