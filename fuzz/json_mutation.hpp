// Changes of one value of a JSON document, so that most inputs get past the parser.
#pragma once

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <random>
#include <string>
#include <vector>

extern "C" std::size_t LLVMFuzzerMutate(std::uint8_t* data, std::size_t size, std::size_t most);

namespace fuzz {

using Json = nlohmann::ordered_json;

inline void collect(Json& value, std::vector<Json*>& all) {
    all.push_back(&value);
    if (!value.is_structured()) return;
    for (Json& inner : value) collect(inner, all);
}

inline Json odd_value(std::mt19937& random, const Json& now) {
    switch (random() % 10) {
        case 0:
            return -1;
        case 1:
            return 0;
        case 2:
            return now.is_number() ? Json(now.get<double>() + 1.0) : Json(1);
        case 3:
            return 4294967296.0 * static_cast<double>(1 + random() % 4);
        case 4:
            return 1e30;
        case 5:
            return "text";
        case 6:
            return nullptr;
        case 7:
            return Json::array({1, 2, 3});
        case 8:
            return Json::object();
        default:
            return static_cast<int>(random() % 64);
    }
}

/// Takes one value of the document away, doubles it, or puts an odd one in its place.
inline void mutate(Json& json, std::mt19937& random) {
    std::vector<Json*> all;
    collect(json, all);
    Json& chosen = *all[random() % all.size()];
    if (chosen.is_array() && !chosen.empty() && random() % 2 == 0) {
        if (random() % 2 == 0) {
            chosen.erase(chosen.begin());
        } else {
            chosen.push_back(Json(chosen[0]));
        }
    } else {
        chosen = odd_value(random, chosen);
    }
}

inline std::string text_of(const Json& json) {
    return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

/// The mutator of targets whose input is a JSON text after `skipped` bytes: half of the time one of its
/// values changes, half of the time its bytes.
inline std::size_t mutate_text(std::uint8_t* data, std::size_t size, std::size_t most, unsigned int seed,
                               std::size_t skipped) {
    std::mt19937 random(seed);
    if (random() % 2 == 0 || size <= skipped) return LLVMFuzzerMutate(data, size, most);
    Json json = Json::parse(data + skipped, data + size, nullptr, false);
    if (json.is_discarded()) return LLVMFuzzerMutate(data, size, most);
    mutate(json, random);
    const std::string text = text_of(json);
    if (text.size() + skipped > most) return LLVMFuzzerMutate(data, size, most);
    std::copy(text.begin(), text.end(), data + skipped);
    return skipped + text.size();
}

}  // namespace fuzz
