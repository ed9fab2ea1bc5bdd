#include <dendraxis/skeleton/correspondence.hpp>
#include <dendraxis/skeleton/match_bones.hpp>

#include <algorithm>
#include <cctype>
#include <map>

namespace dendraxis {
namespace {

bool is_word(char letter) {
    return std::isalnum(static_cast<unsigned char>(letter)) != 0;
}

// How many letters all names share at their start (or end), up to a separator.
std::size_t shared_affix(const Skeleton& skeleton, bool at_end) {
    std::string shared;
    bool first = true;
    for (const Bone& bone : skeleton.bones()) {
        std::string name = bone.name;
        if (name.empty()) continue;
        if (at_end) std::reverse(name.begin(), name.end());
        if (first) shared = name;
        first = false;
        const auto ends = std::mismatch(shared.begin(), shared.end(), name.begin(), name.end());
        shared.erase(ends.first, shared.end());
    }
    while (!shared.empty() && is_word(shared.back())) shared.pop_back();
    return shared.size();
}

std::string letters_only(const std::string& name) {
    std::string result;
    std::string base = name;
    // A copy's number: a dot and three digits at the end.
    if (base.size() > 4 && base[base.size() - 4] == '.' &&
        std::all_of(base.end() - 3, base.end(), [](unsigned char c) { return std::isdigit(c) != 0; })) {
        base.resize(base.size() - 4);
    }
    for (const char letter : base) {
        if (is_word(letter))
            result.push_back(static_cast<char>(std::tolower(static_cast<unsigned char>(letter))));
    }
    return result;
}

template <class KeyA, class KeyB>
void match_by(const Skeleton& a, const Skeleton& b, const KeyA& key_a, const KeyB& key_b,
              std::vector<int>& match, std::vector<char>& used) {
    std::map<std::string, std::vector<int>> places;
    for (int i = 0; i < static_cast<int>(b.size()); ++i) {
        if (!used[static_cast<std::size_t>(i)] && !b.bone(i).name.empty())
            places[key_b(b.bone(i).name)].push_back(i);
    }
    for (std::size_t i = 0; i < a.size(); ++i) {
        if (match[i] != k_no_bone || a.bones()[i].name.empty()) continue;
        const auto found = places.find(key_a(a.bones()[i].name));
        if (found == places.end() || found->second.size() != 1 || found->first.empty()) continue;
        const int bone = found->second.front();
        if (used[static_cast<std::size_t>(bone)]) continue;
        match[i] = bone;
        used[static_cast<std::size_t>(bone)] = 1;
    }
}

}  // namespace

std::vector<int> match_by_name(const Skeleton& a, const Skeleton& b) {
    std::vector<int> match(a.size(), k_no_bone);
    std::vector<char> used(b.size(), 0);
    const auto plain = [](const std::string& name) { return name; };
    match_by(a, b, plain, plain, match, used);
    const auto stripped = [](const Skeleton& skeleton) {
        return [front = shared_affix(skeleton, false),
                back = shared_affix(skeleton, true)](const std::string& name) {
            return name.size() > front + back ? name.substr(front, name.size() - front - back) : name;
        };
    };
    const auto strip_a = stripped(a);
    const auto strip_b = stripped(b);
    match_by(a, b, strip_a, strip_b, match, used);
    match_by(
        a, b, [&](const std::string& name) { return letters_only(strip_a(name)); },
        [&](const std::string& name) { return letters_only(strip_b(name)); }, match, used);
    return match;
}

std::vector<int> match_by_build(const Skeleton& a, const Skeleton& b) {
    const Correspondence bones = correspond(a, b);
    std::vector<int> match(a.size(), k_no_bone);
    if (!bones.is_same_build()) return match;
    for (std::size_t i = 0; i < bones.answers.size(); ++i) {
        const int source = bones.answers[i].source;
        if (source != k_no_bone) match[static_cast<std::size_t>(source)] = static_cast<int>(i);
    }
    return match;
}

}  // namespace dendraxis
