#include "chart_finder.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <tuple>

namespace dendraxis {

void require_hips(const Chart& chart) {
    if (chart.hips == k_no_bone)
        throw Error(chart.file.empty() ? chart.character : chart.file,
                    "has no hips, the bone that carries the body", "",
                    "see what `dendraxis chart` says of it");
}

const Chain* Chart::find(std::string_view name) const noexcept {
    const auto found =
        std::find_if(chains.begin(), chains.end(), [name](const Chain& chain) { return chain.name == name; });
    return found == chains.end() ? nullptr : &*found;
}

const Chain* Chart::chain_of(int bone) const noexcept {
    const auto found = std::find_if(chains.begin(), chains.end(), [bone](const Chain& chain) {
        return std::find(chain.bones.begin(), chain.bones.end(), bone) != chain.bones.end();
    });
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
    return detail::ChartFinder(character).best();
}

Chart chart(const Skeleton& skeleton) {
    Character character;
    character.name = "skeleton";
    character.skeleton = skeleton;
    return chart(character);
}

bool descends(const Skeleton& skeleton, std::span<const int> bones) noexcept {
    for (std::size_t i = 1; i < bones.size(); ++i) {
        if (bones[i] == bones[i - 1] || !skeleton.is_above(bones[i - 1], bones[i])) return false;
    }
    return true;
}

std::size_t even_cut(const Skeleton& skeleton, std::span<const int> bones) {
    if (bones.size() < 3) return bones.size() < 2 ? 0 : 1;
    const std::vector<Transform> rest = rest_in_model_space(skeleton);
    const auto head = [&](int bone) { return rest[static_cast<std::size_t>(bone)].translation; };
    std::vector<float> along{0.0f};
    for (std::size_t i = 1; i < bones.size(); ++i)
        along.push_back(along.back() + (head(bones[i]) - head(bones[i - 1])).norm());
    std::size_t best = 1;
    for (std::size_t i = 2; i + 1 < bones.size(); ++i) {
        if (std::abs(2.0f * along[i] - along.back()) < std::abs(2.0f * along[best] - along.back())) best = i;
    }
    return best;
}

std::optional<std::array<int, 3>> bending_bones(const Skeleton& skeleton, const Chain& limb) {
    if (limb.bones.size() < 3 || !descends(skeleton, limb.bones)) return std::nullopt;
    const std::size_t lower = std::clamp<std::size_t>(limb.lower, 1, limb.bones.size() - 2);
    return std::array<int, 3>{limb.bones.front(), limb.bones[lower], limb.bones.back()};
}

bool legs_bend(const Chart& chart) noexcept {
    return std::any_of(chart.chains.begin(), chart.chains.end(), [](const Chain& chain) {
        return chain.role() == ChainRole::leg && chain.bones.size() > 1;
    });
}

bool stands_on_four(const Chart& chart) noexcept {
    const auto has = [&](std::string_view pair) {
        return std::any_of(chart.chains.begin(), chart.chains.end(),
                           [&](const Chain& chain) { return chain.name.starts_with(pair); });
    };
    return has("leg.front") && has("leg.back");
}

float floor_of(const Chart& chart, std::string_view clip) noexcept {
    for (const auto& [name, floor] : chart.clip_floors) {
        if (name == clip) return floor;
    }
    return chart.floor;
}

namespace {

// How long the last bone of a leg is whose end no joint tells: down to the middle of its sole.
float length_to_sole(const Chart& chart, const Chain& leg, std::span<const Transform> model) {
    const Sole* sole = chart.shape.sole_of(leg.name);
    if (sole == nullptr) return 0.0f;
    const Vec3 middle = 0.5f * (position_of(*sole, sole->parts[k_heel], model) +
                                position_of(*sole, sole->parts[k_ball], model));
    return (middle - model[static_cast<std::size_t>(leg.bones.back())].translation).norm();
}

bool is_leg(const Chain& chain, std::string_view which) {
    return chain.role() == ChainRole::leg && !chain.bones.empty() && chain.name.starts_with(which);
}

}  // namespace

float leg_length(const Chart& chart, std::string_view which) {
    const std::vector<Transform> model = rest_in_model_space(chart.skeleton);
    float sum = 0.0f;
    int legs = 0;
    for (const Chain& chain : chart.chains) {
        if (!is_leg(chain, which)) continue;
        for (std::size_t i = 1; i < chain.bones.size(); ++i) {
            const auto a = static_cast<std::size_t>(chain.bones[i - 1]);
            const auto b = static_cast<std::size_t>(chain.bones[i]);
            sum += (model[b].translation - model[a].translation).norm();
        }
        if (chain.bones.size() < 3) sum += length_to_sole(chart, chain, model);
        ++legs;
    }
    return legs == 0 ? 0.0f : sum / static_cast<float>(legs);
}

Vec3 legs_middle(const Chart& chart, std::span<const Transform> model, std::string_view which) {
    Vec3 sum = Vec3::Zero();
    int legs = 0;
    for (const Chain& chain : chart.chains) {
        if (!is_leg(chain, which)) continue;
        sum += model[static_cast<std::size_t>(chain.bones.front())].translation;
        ++legs;
    }
    return legs == 0 ? model[static_cast<std::size_t>(chart.hips)].translation
                     : Vec3(sum / static_cast<float>(legs));
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
