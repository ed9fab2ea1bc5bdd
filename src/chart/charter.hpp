// From a reading of the body to the chains of its chart.
#pragma once

#include "limb_joints.hpp"
#include "search.hpp"

namespace dendraxis::detail {

/// What all parts of a chart are written from and to.
struct Charter {
    const Body& body;
    const Reading& reading;
    const std::vector<Reading>& others;  ///< all readings that were found, the best first
    float name_trust;
    Chart& chart;

    /// How sure a chain is: by the margin of its role over the best reading without it and by the margin of
    /// its bones over the next best choice of bones; both in the unit of scores.
    float confidence(float role_margin, float bone_margin) const;
    /// The margin to the best reading in which this branch has another role, or up is another way.
    float role_margin(int branch) const;
    /// Adds a chain unless there is one of its name; names of its bones are listed as evidence.
    void add(const std::string& name, std::vector<int> bones, float confidence,
             std::vector<std::string> evidence);
    bool charted(int bone) const;
};

/// Hips, spine, neck, head, tail, jaw.
void chart_trunk(Charter& charter);

/// Shoulders, arms, hands, legs, toes, wings, ears, eyes.
void chart_limbs(Charter& charter);

/// Thumb and fingers of a hand.
void chart_digits(Charter& charter, int hand, Side side, float confidence);

/// Digits of this branch that hang elsewhere than on the hand; their names say which they are.
void chart_stray_digits(Charter& charter, const Branch& branch, float confidence);

/// A hand or an arm without a body. False where it is none.
bool chart_lone_hand(const Body& body, Chart& chart);

/// Hair, cloth, tails of coats: rows of bones with flesh that belong to no other chain.
void chart_loose(Charter& charter);

}  // namespace dendraxis::detail
