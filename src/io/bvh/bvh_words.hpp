// The words and numbers of a BVH file.
#pragma once

#include <dendraxis/base/error.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <cmath>
#include <cstdint>
#include <limits>
#include <string>
#include <string_view>

namespace dendraxis::io {

inline bool is_blank(char c) {
    return c == ' ' || c == '\t' || c == '\r' || c == '\v' || c == '\f';
}

inline char lower(char c) {
    return static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
}

inline bool same_word(std::string_view a, std::string_view b) {
    return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                      [](char x, char y) { return lower(x) == lower(y); });
}

// A number such as -12.345678 that a blank ends: nearly all that such a file holds. Null where it is anything
// else. Digits as a whole number over a power of ten, both exact in a double, are rounded rightly (W. D.
// Clinger, "How to Read Floating Point Numbers Accurately", PLDI 1990).
inline const char* plain_decimal(const char* at, const char* end, float& value) {
    static constexpr std::array<double, 16> k_tens{1e0, 1e1, 1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                                   1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15};
    const bool negative = at != end && *at == '-';
    if (negative) ++at;
    std::uint64_t digits = 0;
    const char* const first = at;
    while (at != end && static_cast<unsigned>(*at - '0') < 10u)
        digits = 10 * digits + static_cast<unsigned>(*at++ - '0');
    std::ptrdiff_t count = at - first;
    std::size_t behind = 0;
    if (at != end && *at == '.') {
        const char* const point = ++at;
        while (at != end && static_cast<unsigned>(*at - '0') < 10u)
            digits = 10 * digits + static_cast<unsigned>(*at++ - '0');
        behind = static_cast<std::size_t>(at - point);
        count += at - point;
    }
    if (count == 0 || count > 15 || (at != end && !is_blank(*at) && *at != '\n')) return nullptr;
    const double size = static_cast<double>(digits) / k_tens[behind];
    value = static_cast<float>(negative ? -size : size);
    return at;
}

/// Reads word by word, line breaks as blanks, comments passed over; knows its line.
class Words {
 public:
    Words(std::string_view text, const std::string& name) : text_(text), name_(name) {}

    [[noreturn]] void fail(const std::string& problem, const std::string& advice = "export it again",
                           ErrorCode code = ErrorCode::invalid) const {
        throw Error(code, name_, problem, fmt::format("line {}", line_), advice);
    }

    /// Characters that were not read yet.
    std::size_t left() const { return text_.size() - position_; }

    bool at_end() {
        skip();
        return position_ >= text_.size();
    }

    std::string_view next() {
        skip();
        const std::size_t start = position_;
        while (position_ < text_.size() && !is_blank(text_[position_]) && text_[position_] != '\n') {
            // Braces are words of their own even where no blank stands around them.
            if (text_[position_] == '{' || text_[position_] == '}') {
                if (position_ == start) ++position_;
                break;
            }
            ++position_;
        }
        return text_.substr(start, position_ - start);
    }

    std::string_view peek() {
        const std::size_t position = position_;
        const int line = line_;
        const std::string_view word = next();
        position_ = position;
        line_ = line;
        return word;
    }

    /// The rest of this line without the blanks around it; joints may have blanks in their names.
    std::string_view rest_of_line() {
        while (position_ < text_.size() && is_blank(text_[position_])) ++position_;
        const std::size_t start = position_;
        while (position_ < text_.size() && text_[position_] != '\n' && text_[position_] != '{') ++position_;
        std::size_t end = position_;
        while (end > start && is_blank(text_[end - 1])) --end;
        return text_.substr(start, end - start);
    }

    float number() {
        const std::string_view word = next();
        if (word.empty()) fail("the file ends where a number should stand");
        float value = 0.0f;
        if (!parse(word, value) || !std::isfinite(value)) fail(fmt::format("'{}' is no finite number", word));
        return value;
    }

    /// The next number of the motion; false at the end of the file. This is where nearly all of the text
    /// goes.
    bool motion_number(float& value) {
        const char* at = text_.data() + position_;
        const char* const end = text_.data() + text_.size();
        while (at != end && (is_blank(*at) || *at == '\n')) {
            line_ += *at == '\n' ? 1 : 0;
            ++at;
        }
        if (at == end) {
            position_ = text_.size();
            return false;
        }
        if (const char* after = plain_decimal(at, end, value); after != nullptr) {
            position_ = static_cast<std::size_t>(after - text_.data());
            return true;
        }
        const auto [after, problem] = std::from_chars(at, end, value);
        position_ = static_cast<std::size_t>((problem == std::errc{} ? after : at) - text_.data());
        if (problem == std::errc{} && (after == end || is_blank(*after) || *after == '\n')) return true;
        if (problem == std::errc{}) position_ = static_cast<std::size_t>(at - text_.data());
        return odd_number(value);
    }

    int line() const { return line_; }

    static bool parse(std::string_view word, float& value) {
        std::string plain(word);
        std::replace(plain.begin(), plain.end(), ',', '.');
        const char* start = plain.data() + (plain.starts_with('+') ? 1 : 0);
        const auto [after, problem] = std::from_chars(start, plain.data() + plain.size(), value);
        if (problem == std::errc::result_out_of_range) value = 0.0f;  // too small to matter, or not finite
        return problem != std::errc::invalid_argument && after == plain.data() + plain.size();
    }

 private:
    // A comment, a sign or comma that from_chars does not know, or something that is no number at all.
    bool odd_number(float& value) {
        if (at_end()) return false;
        const std::string_view word = next();
        if (!parse(word, value)) {
            if (!word.empty() &&
                (same_word(word.substr(0, 3), "nan") || word.find("#IND") != std::string_view::npos ||
                 word.find("#QNAN") != std::string_view::npos)) {
                value = std::numeric_limits<float>::quiet_NaN();
            } else {
                fail(fmt::format("'{}' is no number", word.substr(0, 40)));
            }
        }
        return true;
    }

    void skip() {
        while (position_ < text_.size()) {
            const char c = text_[position_];
            if (c == '\n') {
                ++line_;
                ++position_;
            } else if (is_blank(c)) {
                ++position_;
            } else if (c == '#' || text_.substr(position_, 2) == "//") {
                while (position_ < text_.size() && text_[position_] != '\n') ++position_;
            } else {
                return;
            }
        }
    }

    std::string_view text_;
    std::string name_;
    std::size_t position_ = 0;
    int line_ = 1;
};

}  // namespace dendraxis::io
