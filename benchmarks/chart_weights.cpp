// How charting's weights stand: each is scaled while the others stay, and the crowd is charted anew. A weight
// that is well set loses whichever way it goes. Usage: chart_weights [BODIES]
#include "../src/chart/chart_finder.hpp"

#include "crowd.hpp"

#include <fmt/core.h>

#include <cstdlib>
#include <utility>
#include <vector>

namespace {

using dendraxis::detail::Weights;

double share_right(const std::vector<crowd::Body>& bodies, const Weights& weights) {
    std::size_t right = 0;
    std::size_t all = 0;
    for (const crowd::Body& body : bodies) {
        const crowd::Score score =
            crowd::judge_either_side(body, dendraxis::detail::ChartFinder(body.character, weights).best());
        right += score.right;
        all += score.all + score.made_up.size();  // what is made up counts as wrong
    }
    return 100.0 * static_cast<double>(right) / static_cast<double>(all);
}

}  // namespace

int main(int count, char** arguments) {
    std::vector<crowd::Body> bodies;
    const int wanted = count > 1 ? std::atoi(arguments[1]) : 2000;
    for (int number = 0; number < wanted; ++number)
        bodies.push_back(crowd::make_body(100'000u + static_cast<unsigned>(number)));
    const std::vector<std::pair<const char*, float Weights::*>> all{
        {"floor", &Weights::floor},   {"hang", &Weights::hang},     {"level", &Weights::level},
        {"length", &Weights::length}, {"digits", &Weights::digits}, {"order", &Weights::order},
        {"apart", &Weights::apart},   {"head", &Weights::head},     {"flat", &Weights::flat},
        {"names", &Weights::names}};
    fmt::print(
        "{} bodies, as set: {:.2f} % of chains right\n| weight | set to | x 0 | x 0.5 | x 2 "
        "|\n|---|---|---|---|---|\n",
        wanted, share_right(bodies, {}));
    for (const auto& [name, weight] : all) {
        fmt::print("| {} | {:g} |", name, Weights{}.*weight);
        for (const float factor : {0.0f, 0.5f, 2.0f}) {
            Weights changed;
            changed.*weight *= factor;
            fmt::print(" {:.2f} |", share_right(bodies, changed));
        }
        fmt::print("\n");
    }
}
