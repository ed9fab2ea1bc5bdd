// Edit distance after Levenshtein (1966), with one row of memory.
#include <dendraxis/base/nearest_name.hpp>

#include <algorithm>
#include <cctype>
#include <numeric>
#include <vector>

namespace dendraxis {
namespace {

char lower(char letter) {
    return static_cast<char>(std::tolower(static_cast<unsigned char>(letter)));
}

std::size_t edit_distance(std::string_view a, std::string_view b) {
    std::vector<std::size_t> row(b.size() + 1);
    std::iota(row.begin(), row.end(), std::size_t{0});
    for (std::size_t i = 0; i < a.size(); ++i) {
        std::size_t diagonal = row[0];
        row[0] = i + 1;
        for (std::size_t j = 0; j < b.size(); ++j) {
            const std::size_t replaced = diagonal + (lower(a[i]) == lower(b[j]) ? 0 : 1);
            diagonal = row[j + 1];
            row[j + 1] = std::min({replaced, row[j] + 1, diagonal + 1});
        }
    }
    return row.back();
}

}  // namespace

std::string nearest_name(std::string_view wanted, std::span<const std::string> names) {
    std::string best;
    std::size_t best_distance = 0;
    for (const std::string& name : names) {
        const std::size_t distance = edit_distance(wanted, name);
        const bool near = 2 * distance <= std::max(wanted.size(), name.size());
        if (near && (best.empty() || distance < best_distance)) {
            best = name;
            best_distance = distance;
        }
    }
    return best;
}

std::string did_you_mean(std::string_view wanted, std::span<const std::string> names,
                         const std::string& otherwise) {
    const std::string nearest = nearest_name(wanted, names);
    return nearest.empty() ? otherwise : "did you mean '" + nearest + "'?";
}

}  // namespace dendraxis
