#include "json.hpp"

#include <fmt/core.h>

namespace dendraxis::tool {

void print_json(const Json& document) {
    fmt::print("{}", io::text_of(document));
}

}  // namespace dendraxis::tool
