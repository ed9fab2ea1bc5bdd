// All steps of charting in their order, so that other readings than the best can be charted too.
#pragma once

#include "charter.hpp"
#include "find_bodies.hpp"

namespace dendraxis::detail {

class ChartFinder {
 public:
    explicit ChartFinder(const Character& character, const Weights& weights = {});

    /// The chart of the best reading; of a lone hand; or an empty one.
    Chart best();
    /// The chart of one reading.
    Chart of(const Reading& reading);

    Body& body() { return body_; }
    const std::vector<Reading>& readings() const { return readings_; }
    float name_trust() const { return trust_; }
    bool is_body() const;
    /// Whether the bone belongs to another body of the file than the one that is charted.
    bool is_of_other_body(int bone) const;

 private:
    ChartFinder(const Character& character, Body all, const Weights& weights);
    Chart finished(Chart chart) const;

    const Character& character_;
    std::vector<int> bodies_;  // the topmost bones of several; the first one's is charted
    Body body_;
    std::vector<Reading> readings_;
    float trust_ = 1.0f;
};

}  // namespace dendraxis::detail
