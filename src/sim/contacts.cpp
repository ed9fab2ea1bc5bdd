#include "contacts.hpp"

#include "bullet_types.hpp"

#include <algorithm>

namespace dendraxis::sim {
namespace {

// Bodies carry their ragdoll and number, things their handle; the ground carries none.
Touching touching(const btCollisionObject& object) {
    return {RagdollHandle{object.getUserIndex()}, object.getUserIndex2(),
            LooseHandle{object.getUserIndex3()}};
}

}  // namespace

void note_contacts(btCollisionDispatcher& dispatcher, std::vector<Contact>& contacts) {
    for (int m = 0; m < dispatcher.getNumManifolds(); ++m) {
        const btPersistentManifold& manifold = *dispatcher.getManifoldByIndexInternal(m);
        Contact now;
        float strongest = 0.0f;
        for (int c = 0; c < manifold.getNumContacts(); ++c) {
            const btManifoldPoint& point = manifold.getContactPoint(c);
            const float impulse = point.getAppliedImpulse();
            now.impulse += impulse;
            if (impulse <= strongest) continue;
            strongest = impulse;
            now.position = from_bullet(point.getPositionWorldOnB());
            now.normal = from_bullet(point.m_normalWorldOnB);
        }
        if (strongest <= 0.0f) continue;
        now.one = touching(*manifold.getBody0());
        now.other = touching(*manifold.getBody1());
        if (now.one.is_ground()) {
            std::swap(now.one, now.other);
            now.normal = -now.normal;
        }
        const auto known = std::find_if(contacts.begin(), contacts.end(), [&](const Contact& contact) {
            return (contact.one == now.one && contact.other == now.other) ||
                   (contact.one == now.other && contact.other == now.one);
        });
        if (known != contacts.end()) {
            known->impulse += now.impulse;
        } else if (contacts.size() < k_most_contacts) {
            contacts.push_back(now);
        }
    }
}

}  // namespace dendraxis::sim
