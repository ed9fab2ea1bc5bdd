// The ground that things fall onto, in a world that is upright and has the soles at 0.
#pragma once

#include <dendraxis/sim/drop.hpp>

namespace dendraxis::sim {

/// Where the character's model space is in that world.
inline Transform upright_stand(const Chart& chart) {
    return {chart.to_upright(), Vec3(0.0f, -chart.floor, 0.0f), Vec3::Ones()};
}

/// The triangles, told in model space, or a level floor at 0 where there are none.
inline void add_ground(World& world, const DropGround& ground, const Transform& placement) {
    if (ground.triangles.empty()) {
        world.add_floor(Vec3::Zero(), Vec3::UnitY());
        return;
    }
    std::vector<Vec3> positions;
    for (const Vec3& position : ground.positions) positions.push_back(apply(placement, position));
    world.add_ground(positions, ground.triangles);
}

}  // namespace dendraxis::sim
