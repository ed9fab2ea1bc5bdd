// A page taken apart again.
#pragma once

#include <dendraxis/base/transform.hpp>

#include <doctest/doctest.h>
#include <nlohmann/json.hpp>

#include <cstdint>
#include <cstring>
#include <string>
#include <vector>

namespace workshop {

using dendraxis::Vec3;
using nlohmann::json;

inline std::string between(const std::string& text, const std::string& from, const std::string& to) {
    const std::size_t start = text.find(from);
    REQUIRE(start != std::string::npos);
    const std::size_t end = text.find(to, start + from.size());
    return text.substr(start + from.size(), end - start - from.size());
}

inline std::vector<std::uint8_t> bytes_of_base64(const std::string& text) {
    std::vector<std::uint8_t> bytes;
    std::uint32_t group = 0;
    int bits = 0;
    for (const char letter : text) {
        const std::size_t value =
            std::string_view("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/").find(letter);
        if (value == std::string_view::npos) break;
        group = group << 6 | static_cast<std::uint32_t>(value);
        bits += 6;
        if (bits >= 8) bytes.push_back(static_cast<std::uint8_t>(group >> (bits -= 8)));
    }
    return bytes;
}

// A page taken apart again.
struct PageReader {
    explicit PageReader(const std::string& html)
        : document(json::parse(between(html, "id=\"document\">", "</script>"))),
          bytes(bytes_of_base64(between(html, "id=\"numbers\">", "</script>"))) {}

    // What a server sends: the document's length, the document, the numbers.
    explicit PageReader(const std::vector<std::uint8_t>& data) {
        REQUIRE(data.size() >= 4);
        const std::size_t length = data[0] | data[1] << 8 | data[2] << 16 | data[3] << 24;
        REQUIRE(data.size() >= 4 + length);
        document = json::parse(data.begin() + 4, data.begin() + 4 + static_cast<std::ptrdiff_t>(length));
        bytes.assign(data.begin() + 4 + static_cast<std::ptrdiff_t>(length), data.end());
    }

    template <class Number>
    std::vector<Number> numbers(const json& reference) const {
        std::vector<Number> values(reference["count"].get<std::size_t>());
        const auto at = reference["at"].get<std::size_t>();
        REQUIRE(at + values.size() * sizeof(Number) <= bytes.size());
        std::memcpy(values.data(), bytes.data() + at, values.size() * sizeof(Number));
        return values;
    }

    // Of all frames and bones.
    std::vector<Vec3> positions(const json& track) const {
        std::vector<Vec3> points;
        if (track.contains("matrices")) {
            const auto values = numbers<float>(track["matrices"]);
            for (std::size_t i = 0; i < values.size(); i += 12)
                points.emplace_back(values[i + 9], values[i + 10], values[i + 11]);
            return points;
        }
        const json& own = track["positions"];
        REQUIRE(own["values"]["type"] == "u16");
        const auto steps = numbers<std::uint16_t>(own["values"]);
        for (std::size_t i = 0; i < steps.size(); i += 3) {
            Vec3 point;
            for (std::size_t axis = 0; axis < 3; ++axis)
                point[static_cast<int>(axis)] =
                    own["low"][axis].get<float>() + own["step"].get<float>() * steps[i + axis];
            points.push_back(point);
        }
        return points;
    }

    json document;
    std::vector<std::uint8_t> bytes;
};

}  // namespace workshop
