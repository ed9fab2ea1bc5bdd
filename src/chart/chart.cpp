#include "body.hpp"
#include "find_stance.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <array>
#include <tuple>

namespace dendraxis {
namespace {

void list_helpers(const Body& body, Chart& chart) {
    std::vector<char> charted(body.count(), 0);
    for (const Chain& chain : chart.chains) {
        for (const int bone : chain.bones) charted[static_cast<std::size_t>(bone)] = 1;
    }
    for (int bone = 0; bone < static_cast<int>(body.count()); ++bone) {
        const auto i = static_cast<std::size_t>(bone);
        if (charted[i] || bone == chart.hub || bone == chart.ground) continue;
        HelperKind kind = body.kind[i];
        if (kind == HelperKind::unknown && body.names[i].kind == NameKind::twist) kind = HelperKind::twist;
        if (kind == HelperKind::unknown && body.names[i].kind == NameKind::end) kind = HelperKind::end;
        chart.helpers.push_back({bone, kind});
    }
}

void add_findings(Chart& chart) {
    const auto add = [&](Severity severity, const char* code, const std::string& message,
                         const char* advice) {
        chart.findings.push_back({severity, code, chart.character, message, advice});
    };
    if (chart.hub == k_no_bone) {
        add(Severity::fault, "chart.no-hub",
            "no bone was found that carries the body (a pelvis, or a bone above both legs)",
            "give the pelvis and the legs names that say so");
    } else if (chart.ground == k_no_bone) {
        add(Severity::note, "chart.no-ground-bone",
            "no ground bone stands on the floor above the hub; the hub carries the travel", "");
    }
    const bool many_legs = chart.find("leg.back.left") != nullptr || chart.find("leg.back.right") != nullptr;
    for (const char* wanted : {"spine", "head", "arm.left", "arm.right", "leg.left", "leg.right"}) {
        const std::string_view name = wanted;
        if (chart.find(name) != nullptr || chart.hub == k_no_bone) continue;
        if (many_legs && (name.starts_with("arm.") || name.starts_with("leg."))) continue;
        add(Severity::warning, "chart.missing-chain", "no bones were found for " + std::string(name),
            "where it has one, name its bones in the sheet");
    }
    for (const char* limb : {"arm.left", "arm.right", "leg.left", "leg.right"}) {
        const Chain* chain = chart.find(limb);
        if (chain != nullptr && chain->bones.size() < 3) {
            add(Severity::warning, "chart.short-limb",
                std::string(limb) + " has " + std::to_string(chain->bones.size()) +
                    " bone(s) where three are usual",
                "check the bones' names with `dendraxis survey`");
        }
    }
}

}  // namespace

const Chain* Chart::find(std::string_view name) const noexcept {
    const auto found =
        std::find_if(chains.begin(), chains.end(), [name](const Chain& chain) { return chain.name == name; });
    return found == chains.end() ? nullptr : &*found;
}

Quat Chart::to_upright() const noexcept {
    Eigen::Matrix3f axes;  // its rows are what becomes +X, +Y and +Z
    axes.row(0) = up.cross(facing).transpose();
    axes.row(1) = up.transpose();
    axes.row(2) = facing.transpose();
    return Quat(axes).normalized();
}

// In the order that people read a body: trunk, then left and right from the top down.
void sort_chains(Chart& chart) {
    static constexpr std::array<std::string_view, 23> k_order{
        "spine",     "neck",       "head",     "jaw",  "eye",        "ear",       "shoulder", "arm",
        "thumb",     "index",      "middle",   "ring", "little",     "grip",      "wing",     "leg",
        "leg.front", "leg.middle", "leg.back", "toes", "toes.front", "toes.back", "tail"};
    const auto rank = [](const Chain& chain) {
        std::string_view part = chain.name;
        int side = 0;
        for (const std::string_view suffix : {".left", ".right"}) {
            if (part.ends_with(suffix)) {
                part.remove_suffix(suffix.size());
                side = suffix == ".left" ? 1 : 2;
            }
        }
        return std::tuple(side, std::find(k_order.begin(), k_order.end(), part) - k_order.begin());
    };
    std::stable_sort(chart.chains.begin(), chart.chains.end(),
                     [&](const Chain& a, const Chain& b) { return rank(a) < rank(b); });
}

Chart chart(const Character& character) {
    Chart result;
    result.character = character.name;
    result.file = character.file;
    result.skeleton = character.skeleton;
    Body body = study_bones(character);
    find_limbs(body);
    find_up(body);
    label_limbs(body);
    find_facing(body, result);
    chart_trunk(body, result);
    chart_limbs(body, result);
    sort_chains(result);
    result.up = body.up;
    result.facing = body.facing;
    find_stance(result, rest_extents(character.skeleton, character.meshes));
    list_helpers(body, result);
    result.shape = body_shape(character, result);
    add_findings(result);
    return result;
}

Chart chart(const Skeleton& skeleton) {
    Character character;
    character.name = "skeleton";
    character.skeleton = skeleton;
    return chart(character);
}

float leg_length(const Chart& chart) {
    const std::vector<Transform> model = rest_in_model_space(chart.skeleton);
    float sum = 0.0f;
    int legs = 0;
    for (const Chain& chain : chart.chains) {
        if (!chain.name.starts_with("leg.") || chain.bones.size() < 2) continue;
        for (std::size_t i = 1; i < chain.bones.size(); ++i) {
            const auto a = static_cast<std::size_t>(chain.bones[i - 1]);
            const auto b = static_cast<std::size_t>(chain.bones[i]);
            sum += (model[b].translation - model[a].translation).norm();
        }
        ++legs;
    }
    return legs == 0 ? 0.0f : sum / static_cast<float>(legs);
}

std::string_view to_string(Stance stance) noexcept {
    switch (stance) {
        case Stance::t:
            return "T";
        case Stance::a:
            return "A";
        case Stance::i:
            return "I";
        case Stance::other:
            return "other";
    }
    return "other";
}

std::string_view to_string(HelperKind kind) noexcept {
    switch (kind) {
        case HelperKind::twist:
            return "twist";
        case HelperKind::end:
            return "end";
        case HelperKind::target:
            return "target";
        case HelperKind::prop:
            return "prop";
        case HelperKind::unknown:
            return "unknown";
    }
    return "unknown";
}

}  // namespace dendraxis
