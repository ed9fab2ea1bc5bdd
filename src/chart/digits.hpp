// The digits of one hand, told apart by shape.
#pragma once

#include "body.hpp"

#include <map>

namespace dendraxis::detail {

struct Digit {
    std::vector<int> bones;  ///< from the palm to the tip
    int root = k_no_bone;    ///< its first bone in the file, palm bones included
};

/// The digits that hang on a hand; palm bones that hold several are passed through.
std::vector<Digit> digits_of(const Body& body, int hand);

/// Which digit is which, `thumb` to `little`: the thumb leaves the hand nearest the wrist and points off from
/// the others, which follow from it side by side. `sureness` takes how clear that is, 0 to 1.
std::map<std::string, std::vector<int>> digits_by_shape(const Body& body, int hand, std::vector<Digit> digits,
                                                        float& sureness);

}  // namespace dendraxis::detail
