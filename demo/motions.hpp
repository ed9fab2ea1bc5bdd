// The clips of the demo world. All are keyless: every frame is worked out from where the motion stands in
// time.
#pragma once

#include <dendraxis/skeleton/character.hpp>

#include <vector>

namespace harbour {

dendraxis::Clip make_idle(const dendraxis::Skeleton& diver);
/// Two steps and a bit; over the floor, or on the spot as on a treadmill.
dendraxis::Clip make_stroll(const dendraxis::Skeleton& diver, bool travels);
dendraxis::Clip make_wave_lantern(const dendraxis::Skeleton& diver);
/// Down from a ledge 0.35 m high, landing in the knees.
dendraxis::Clip make_hop_down(const dendraxis::Skeleton& diver);
/// Down to look under something, one hand on the thigh, and up again.
dendraxis::Clip make_crouch(const dendraxis::Skeleton& diver);
/// Both hands on one rope, 0.26 m apart, hauling twice.
dendraxis::Clip make_haul_rope(const dendraxis::Skeleton& diver);
/// A mallet swung with the right hand, from over the shoulder onto a post.
dendraxis::Clip make_swing_mallet(const dendraxis::Skeleton& diver);

dendraxis::Clip make_stand(const dendraxis::Skeleton& hound);
dendraxis::Clip make_trot(const dendraxis::Skeleton& hound);

/// Coal from the floor to the left, both hands on one shaft.
dendraxis::Clip make_shovel(const dendraxis::Skeleton& stoker);
/// Two heavy steps and a bit.
dendraxis::Clip make_trudge(const dendraxis::Skeleton& stoker);

/// All clips of one person.
std::vector<dendraxis::Clip> clips_of_diver(const dendraxis::Skeleton& diver);
std::vector<dendraxis::Clip> clips_of_hound(const dendraxis::Skeleton& hound);
std::vector<dendraxis::Clip> clips_of_stoker(const dendraxis::Skeleton& stoker);

}  // namespace harbour
