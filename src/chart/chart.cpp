#include "find_chains.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis {
namespace {

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
    for (const char* wanted : {"spine", "head", "arm.left", "arm.right", "leg.left", "leg.right"}) {
        if (chart.find(wanted) == nullptr) {
            add(Severity::warning, "chart.missing-chain", std::string("no bones were found for ") + wanted,
                "check the bones' names with `dendraxis survey`");
        }
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

Chart chart(const Character& character) {
    Chart result;
    result.character = character.name;
    result.file = character.file;
    result.skeleton = character.skeleton;
    find_chains(result);
    find_bearings(result, rest_extents(character.skeleton, character.meshes));
    add_findings(result);
    return result;
}

float leg_length(const Chart& chart) {
    const std::vector<Transform> model = rest_in_model_space(chart.skeleton);
    float sum = 0.0f;
    int legs = 0;
    for (const char* name : {"leg.left", "leg.right"}) {
        const Chain* chain = chart.find(name);
        if (chain == nullptr || chain->bones.size() < 2) continue;
        for (std::size_t i = 1; i < chain->bones.size(); ++i) {
            const auto a = static_cast<std::size_t>(chain->bones[i - 1]);
            const auto b = static_cast<std::size_t>(chain->bones[i]);
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
