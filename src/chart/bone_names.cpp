// Anatomical vocabulary: one table, words without separators. Several words of a name are also tried joined.
#include <dendraxis/chart/bone_names.hpp>

#include <algorithm>
#include <array>
#include <cctype>
#include <optional>

namespace dendraxis {
namespace {

struct Word {
    std::string_view word;
    Part part;
};

constexpr auto k_parts = std::to_array<Word>({
    {"ground", Part::root},
    {"root", Part::root},
    {"floor", Part::root},
    {"base", Part::root},
    {"origin", Part::root},
    {"world", Part::root},
    {"pelvis", Part::hips},
    {"hips", Part::hips},
    {"hip", Part::hips},
    {"hub", Part::hips},
    {"spine", Part::spine},
    {"back", Part::spine},
    {"backbone", Part::spine},
    {"chest", Part::spine},
    {"upperchest", Part::spine},
    {"torso", Part::spine},
    {"trunk", Part::spine},
    {"waist", Part::spine},
    {"abdomen", Part::spine},
    {"belly", Part::spine},
    {"stomach", Part::spine},
    {"lumbar", Part::spine},
    {"thorax", Part::spine},
    {"ribs", Part::spine},
    {"ribcage", Part::spine},
    {"neck", Part::neck},
    {"nape", Part::neck},
    {"cervical", Part::neck},
    {"head", Part::head},
    {"skull", Part::head},
    {"cranium", Part::head},
    {"shoulder", Part::shoulder},
    {"clavicle", Part::shoulder},
    {"clav", Part::shoulder},
    {"collar", Part::shoulder},
    {"collarbone", Part::shoulder},
    {"scapula", Part::shoulder},
    {"arm", Part::arm},
    {"upperarm", Part::upper_arm},
    {"uparm", Part::upper_arm},
    {"armupper", Part::upper_arm},
    {"humerus", Part::upper_arm},
    {"bicep", Part::upper_arm},
    {"forearm", Part::forearm},
    {"lowerarm", Part::forearm},
    {"lowarm", Part::forearm},
    {"loarm", Part::forearm},
    {"armlower", Part::forearm},
    {"elbow", Part::forearm},
    {"ulna", Part::forearm},
    {"hand", Part::hand},
    {"wrist", Part::hand},
    {"mitten", Part::middle},
    {"palm", Part::palm},
    {"metacarpal", Part::palm},
    {"thumb", Part::thumb},
    {"index", Part::index},
    {"pointer", Part::index},
    {"forefinger", Part::index},
    {"middle", Part::middle},
    {"ring", Part::ring},
    {"little", Part::little},
    {"pinky", Part::little},
    {"pinkie", Part::little},
    {"leg", Part::leg},
    {"thigh", Part::thigh},
    {"upperleg", Part::thigh},
    {"upleg", Part::thigh},
    {"legupper", Part::thigh},
    {"femur", Part::thigh},
    {"shin", Part::shin},
    {"calf", Part::shin},
    {"lowerleg", Part::shin},
    {"lowleg", Part::shin},
    {"loleg", Part::shin},
    {"leglower", Part::shin},
    {"knee", Part::shin},
    {"tibia", Part::shin},
    {"crus", Part::shin},
    {"foot", Part::foot},
    {"ankle", Part::foot},
    {"toe", Part::toes},
    {"toes", Part::toes},
    {"ball", Part::toes},
    {"tail", Part::tail},
    {"ear", Part::ear},
    {"eye", Part::eye},
    {"eyeball", Part::eye},
    {"jaw", Part::jaw},
    {"chin", Part::jaw},
    {"mandible", Part::jaw},
    {"wing", Part::wing},
    {"pastern", Part::foot},
    {"paw", Part::foot},
    {"hoof", Part::toes},
    {"hock", Part::foot},
    {"sholder", Part::shoulder},
    {"shoulde", Part::shoulder},
    {"clavical", Part::shoulder},
    {"scap", Part::shoulder},
    {"tigh", Part::thigh},
    {"thight", Part::thigh},
    {"thig", Part::thigh},
    {"hipjoint", Part::thigh},
    {"shank", Part::shin},
    {"underarm", Part::forearm},
    {"radius", Part::forearm},
    {"biceps", Part::upper_arm},
    {"fingerthumb", Part::thumb},
    {"mid", Part::middle},
    {"pinkey", Part::little},
    {"pinki", Part::little},
    {"small", Part::little},
    {"cog", Part::hips},
    {"pelvic", Part::hips},
    {"pelvi", Part::hips},
    {"spin", Part::spine},
    {"vertebra", Part::spine},
    {"thoracic", Part::spine},
    {"midriff", Part::spine},
    {"nek", Part::neck},
    {"throat", Part::neck},
    {"weapon", Part::grip},
    {"socket", Part::grip},
    {"grip", Part::grip},
    {"hold", Part::grip},
    {"carry", Part::grip},
    {"prop", Part::grip},
    {"item", Part::grip},
});

std::optional<Part> part_of(std::string_view word) {
    const auto found = std::find_if(k_parts.begin(), k_parts.end(),
                                    [word](const Word& entry) { return entry.word == word; });
    if (found == k_parts.end()) return std::nullopt;
    return found->part;
}

Side side_word(std::string_view word) {
    if (word == "l" || word == "left" || word == "lt") return Side::left;
    if (word == "r" || word == "right" || word == "rt") return Side::right;
    return Side::none;
}

std::optional<NameKind> kind_of(std::string_view word) {
    if (word == "twist" || word == "roll") return NameKind::twist;
    if (word == "end" || word == "nub" || word == "tip") return NameKind::end;
    if (word == "ik" || word == "target" || word == "pole" || word == "goal") return NameKind::target;
    return std::nullopt;
}

// `leftarm` and `lthigh`: a side that is not set off from the word that follows or precedes it.
void split_off_side(std::vector<std::string>& words) {
    for (std::size_t i = 0; i < words.size(); ++i) {
        for (const std::string_view side : {"left", "right", "l", "r"}) {
            const std::string word = words[i];
            if (part_of(word) || word.size() <= side.size()) continue;
            if (word.starts_with(side) && part_of(std::string_view(word).substr(side.size()))) {
                words[i] = word.substr(side.size());
                words.emplace_back(side);
            } else if (word.ends_with(side) &&
                       part_of(std::string_view(word).substr(0, word.size() - side.size()))) {
                words[i] = word.substr(0, word.size() - side.size());
                words.emplace_back(side);
            }
        }
    }
}

// A finger says more than the hand it is on, and a palm bone of the index finger belongs to it; but the words
// for fingers are common ones: `spine_mid` is no finger.
bool says_more(Part next, Part now) {
    const auto is_finger = [](Part part) { return part >= Part::thumb && part <= Part::little; };
    const auto holds_fingers = [](Part part) {
        return part == Part::hand || part == Part::palm || part == Part::arm || part == Part::root;
    };
    if (now == Part::none) return true;
    if (is_finger(now)) return !is_finger(next) && !holds_fingers(next) && next != Part::grip;
    if (is_finger(next)) return holds_fingers(now);
    return next == Part::grip || now == Part::root || now == Part::arm || now == Part::leg;
}

}  // namespace

std::vector<std::string> name_words(std::string_view name) {
    std::vector<std::string> words;
    bool open = false;
    for (std::size_t i = 0; i < name.size(); ++i) {
        const auto letter = static_cast<unsigned char>(name[i]);
        if (std::isalpha(letter) == 0) {
            open = false;
            continue;
        }
        const bool upper = std::isupper(letter) != 0;
        const bool after_lower = i > 0 && std::islower(static_cast<unsigned char>(name[i - 1])) != 0;
        const bool before_lower =
            i + 1 < name.size() && std::islower(static_cast<unsigned char>(name[i + 1])) != 0;
        const bool after_upper = i > 0 && std::isupper(static_cast<unsigned char>(name[i - 1])) != 0;
        if (!open || (upper && after_lower) || (upper && after_upper && before_lower)) words.emplace_back();
        words.back().push_back(static_cast<char>(std::tolower(letter)));
        open = true;
    }
    return words;
}

std::size_t shared_words(std::span<const std::string> names) {
    if (names.size() < 3) return 0;
    std::vector<std::string> shared = name_words(names.front());
    for (const std::string& name : names) {
        const std::vector<std::string> words = name_words(name);
        std::size_t same = 0;
        while (same < shared.size() && same < words.size() && shared[same] == words[same]) ++same;
        shared.resize(same);
    }
    return shared.size();
}

NameReading read_bone_name(std::string_view name, std::size_t skipped) {
    std::vector<std::string> words = name_words(name);
    words.erase(words.begin(), words.begin() + static_cast<std::ptrdiff_t>(std::min(skipped, words.size())));
    split_off_side(words);
    NameReading reading;
    std::vector<std::string> rest;
    for (const std::string& word : words) {
        if (const Side side = side_word(word); side != Side::none) {
            reading.side = side;
        } else if (const auto kind = kind_of(word)) {
            reading.kind = *kind;
        } else {
            rest.push_back(word);
        }
    }
    bool in_palm = false;
    for (std::size_t first = 0; first < rest.size();) {
        std::size_t used = 1;
        std::string joined;
        std::optional<Part> found;
        for (std::size_t last = first; last < rest.size() && last < first + 3; ++last) {
            joined += rest[last];
            if (const auto part = part_of(joined)) {
                found = part;
                used = last - first + 1;
            }
        }
        if (found && says_more(*found, reading.part)) reading.part = *found;
        in_palm = in_palm || found == Part::palm;
        first += used;
    }
    if (in_palm && reading.part >= Part::thumb && reading.part <= Part::little) reading.kind = NameKind::palm;
    if (reading.part == Part::hips && reading.side != Side::none) reading.part = Part::thigh;
    return reading;
}

std::string_view to_string(Part part) noexcept {
    static constexpr auto k_names = std::to_array<std::string_view>(
        {"none", "root", "hips",  "spine", "neck",   "head", "shoulder", "arm", "upper arm", "forearm",
         "hand", "palm", "thumb", "index", "middle", "ring", "little",   "leg", "thigh",     "shin",
         "foot", "toes", "tail",  "ear",   "eye",    "jaw",  "wing",     "grip"});
    return k_names[static_cast<std::size_t>(part)];
}

std::string_view to_string(Side side) noexcept {
    return side == Side::left ? "left" : side == Side::right ? "right" : "none";
}

}  // namespace dendraxis
