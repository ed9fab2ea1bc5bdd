// What has touched in a step.
#pragma once

#include <dendraxis/sim/world.hpp>

#include <BulletCollision/CollisionDispatch/btCollisionDispatcher.h>

namespace dendraxis::sim {

/// Adds the contacts that the engine's last step solved: one entry for each two things, whose impulse is the
/// sum of theirs and whose position that of the strongest. No more than `k_most_contacts`.
void note_contacts(btCollisionDispatcher& dispatcher, std::vector<Contact>& contacts);

}  // namespace dendraxis::sim
