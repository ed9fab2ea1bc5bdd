// A solver for a charted character, set up by itself.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/joint_ranges.hpp>
#include <dendraxis/ik/body_solver.hpp>

#include <string>
#include <string_view>
#include <vector>

namespace dendraxis {

/// All joints of the chart's chains, with the ranges in force, trunk and neck stiffer than limbs, elbows and
/// knees with their hinges; the hips are the chart's.
BodySolver body_solver(const Chart& chart);

/// What `effector_of` knows by name: `head`, `hips`, and the chart's limbs by their chain's name
/// (`arm.left`).
std::vector<std::string> effector_names(const Chart& chart);

/// An effector by the name of a limb (its hand's palm, its foot's ankle), `head`, `hips`, or a bone's label.
/// Its target is where it is at rest. Throws `Error`, naming the nearest, where there is none of that name.
Effector effector_of(const Chart& chart, std::string_view name);

/// A position as people say it (metres, as `metres_in_unit` has them, to the character's left, up from its
/// soles, forward) in model space.
Vec3 position_in_model(const Chart& chart, const Vec3& position);

/// A target in the plane in which a flat character's effector moves (`BodyShape::flat_across`): where it is,
/// but as far before or behind the plane as the effector's own target at rest. As it is for other characters.
Vec3 target_in_plane(const Chart& chart, const Effector& at_rest, const Vec3& target);

}  // namespace dendraxis
