#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/compare.hpp>
#include <dendraxis/skeleton/match_bones.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis {
namespace {

constexpr float k_same_metres = 0.1e-3f;
constexpr float k_same_turn = 0.05f;  // degrees

std::size_t matched(const std::vector<int>& match) {
    return static_cast<std::size_t>(
        std::count_if(match.begin(), match.end(), [](int bone) { return bone != k_no_bone; }));
}

std::string label_or_none(const Skeleton& skeleton, int bone) {
    return bone == k_no_bone ? "none" : skeleton.bone(bone).label;
}

const char* advice_for(Likeness likeness, bool rests_differ, bool a_in_b) {
    switch (likeness) {
        case Likeness::identical:
            return "clips of one play on the other as they are; a sheet of one serves the other";
        case Likeness::renamed:
            return "`rebind` puts one's surface on the other's bones; `retarget` carries clips over exactly";
        case Likeness::compatible:
            if (rests_differ) return "the rests differ: `retarget` to carry clips over";
            return a_in_b ? "`rebind` A onto B: B has every bone that A has"
                          : "`rebind` B onto A: A has every bone that B has";
        case Likeness::different:
            return "`retarget` to carry clips over";
    }
    return "";
}

}  // namespace

Comparison compare(const Skeleton& a, const Skeleton& b) {
    Comparison result;
    std::vector<int> match = match_by_name(a, b);
    const std::vector<int> by_build = match_by_build(a, b);
    const bool build_wins = matched(by_build) > matched(match);
    if (build_wins) match = by_build;

    const std::vector<Transform> position_a = rest_in_model_space(a);
    const std::vector<Transform> position_b = rest_in_model_space(b);
    std::vector<char> used(b.size(), 0);
    bool names_same = true;
    bool parents_same = true;
    bool rests_same = true;
    std::size_t missing = 0;
    for (std::size_t i = 0; i < a.size(); ++i) {
        const Bone& bone = a.bones()[i];
        if (match[i] == k_no_bone) {
            result.differences.push_back({bone.label, "missing", "", 0.0f, 0.0f});
            ++missing;
            continue;
        }
        const auto k = static_cast<std::size_t>(match[i]);
        used[k] = 1;
        const Bone& other = b.bones()[k];
        if (bone.name != other.name) {
            names_same = false;
            result.differences.push_back({bone.label, "renamed", other.label, 0.0f, 0.0f});
        }
        const int parent =
            bone.parent == k_no_bone ? k_no_bone : match[static_cast<std::size_t>(bone.parent)];
        if (parent != other.parent) {
            parents_same = false;
            result.differences.push_back({bone.label, "parent", label_or_none(b, other.parent), 0.0f, 0.0f});
        }
        const float metres = (position_a[i].translation - position_b[k].translation).norm();
        const float degrees = angle_between(bone.rest.rotation, other.rest.rotation) * k_degrees;
        if (metres > k_same_metres || degrees > k_same_turn) {
            rests_same = false;
            result.differences.push_back({bone.label, "rest", other.label, metres, degrees});
        }
    }
    std::size_t extra = 0;
    for (std::size_t k = 0; k < b.size(); ++k) {
        if (used[k]) continue;
        result.differences.push_back({b.bones()[k].label, "extra", "", 0.0f, 0.0f});
        ++extra;
    }
    const bool whole = missing == 0 && extra == 0;
    if (whole && parents_same && rests_same) {
        result.likeness = names_same ? Likeness::identical : Likeness::renamed;
    } else if ((missing == 0 || extra == 0) && parents_same && matched(match) > 0) {
        result.likeness = Likeness::compatible;
    }
    result.advice = advice_for(result.likeness, !rests_same, missing == 0);
    return result;
}

std::string_view to_string(Likeness likeness) noexcept {
    switch (likeness) {
        case Likeness::identical:
            return "identical";
        case Likeness::renamed:
            return "renamed";
        case Likeness::compatible:
            return "compatible";
        case Likeness::different:
            return "different";
    }
    return "different";
}

}  // namespace dendraxis
