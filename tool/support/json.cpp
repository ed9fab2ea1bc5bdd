#include "json.hpp"

#include <fmt/core.h>

namespace dendraxis::tool {

Json measures_json(std::span<const Measure> measures) {
    Json json = Json::object();
    for (const Measure& measure : measures) {
        json[measure.name] = {{"value", rounded(measure.value)},
                              {"frame", measure.frame < 0 ? Json(nullptr) : Json(measure.frame)},
                              {"where", measure.where}};
    }
    return json;
}

void print_json(const Json& document) {
    fmt::print("{}", io::text_of(document));
}

}  // namespace dendraxis::tool
