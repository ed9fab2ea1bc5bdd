// The joint search: whole charts are proposed and scored, and the best is taken.
#pragma once

#include "body.hpp"

namespace dendraxis::detail {

/// What the terms of a chart's score weigh, in the unit of log-likelihoods. Set by hand, and checked on
/// generated bodies by scaling each (docs/charting.md); a term's value lies within -1 and 1.
struct Weights {
    float floor = 1.5f;   ///< a leg's end is the lowest part of the body, an arm's is not
    float hang = 0.8f;    ///< a leg leads down
    float level = 0.8f;   ///< arms begin in the upper half
    float length = 1.2f;  ///< legs and arms are long
    float digits = 0.8f;  ///< arms end in several digits
    float motion = 0.5f;  ///< in the clips legs are what comes down to the floor
    float order = 0.8f;   ///< legs, arms and head follow each other along the trunk, upward
    float apart = 1.2f;   ///< two pairs of legs stand apart from each other
    float head = 1.0f;    ///< a heavy, round end of the trunk
    float flat = 1.5f;    ///< a body does not lie flat on the floor
    float names = 1.6f;   ///< what names say, as far as they agree with the shape elsewhere
};

/// A role of a pair of branches.
enum class Role { loose, leg, arm };

/// One way to read a body.
struct Reading {
    Vec3 up = Vec3::UnitY();
    std::vector<Role> roles;   ///< one a branch; those of a pair are alike
    std::vector<int> legs;     ///< branches, one of each pair, hind legs first
    int arms = -1;             ///< one branch of the pair
    int hind = k_no_bone;      ///< the trunk's bone that the (hind) legs hang on
    int fore = k_no_bone;      ///< the one that arms or forelegs hang on
    int head_end = k_no_bone;  ///< the trunk's end on the head's side
    float score = 0.0f;
};

/// What one piece of evidence adds to a pair of branches' scores as legs and as arms.
struct RoleTerm {
    const char* what = "";
    float leg = 0.0f;
    float arm = 0.0f;
};

/// What speaks for and against the roles of a branch, with `up` this way.
std::vector<RoleTerm> role_terms(Body& body, const Weights& weights, float name_trust, const Vec3& up,
                                 int branch);

/// The best readings of a body, the best first: at most `most`. Empty where nothing pairs.
std::vector<Reading> read_body(Body& body, const Weights& weights, float name_trust, std::size_t most = 24);

/// How far names agree with a reading, from 0 to 1; 1 where no name says anything.
float trust_in_names(const Body& body, const Reading& reading);

/// Bones of the trunk from one to another, both included; empty where they are not joined.
std::vector<int> path_between(const Body& body, int from, int to);

/// The ends of the trunk that lie on the far side of `fore` as seen from `hind`, or all where both are one.
std::vector<int> trunk_ends(const Body& body);

}  // namespace dendraxis::detail
