// Checks of a reviewed clip against its gates.
#pragma once

#include <dendraxis/review/review.hpp>

#include <doctest/doctest.h>

#include <initializer_list>

namespace workshop {

inline void check_gates(const dendraxis::Pairing& pairing, const dendraxis::ClipReview& review,
                        std::initializer_list<const char*> measures) {
    for (const char* measure : measures) {
        CAPTURE(measure);
        CHECK(review[measure].value <= dendraxis::gate_of(pairing, measure));
    }
}

}  // namespace workshop
