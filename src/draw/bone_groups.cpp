#include <dendraxis/draw/bone_groups.hpp>

#include <algorithm>
#include <string_view>

namespace dendraxis::draw {
namespace {

std::string_view part_of(const Chart& chart, int bone) {
    const Chain* chain = chart.chain_of(bone);
    return chain == nullptr ? std::string_view() : std::string_view(chain->name);
}

}  // namespace

std::span<const BoneGroup> bone_groups() {
    static constexpr std::array<BoneGroup, 9> k_groups{{
        {"hips", {0.13f, 0.13f, 0.13f}},
        {"spine, neck, head", {0.00f, 0.62f, 0.45f}},
        {"left arm", {0.00f, 0.45f, 0.70f}},
        {"right arm", {0.84f, 0.37f, 0.00f}},
        {"left leg", {0.34f, 0.71f, 0.91f}},
        {"right leg", {0.90f, 0.62f, 0.00f}},
        {"fingers", {0.80f, 0.47f, 0.65f}},
        {"other chains", {0.94f, 0.89f, 0.26f}},
        {"helpers", {0.60f, 0.60f, 0.60f}},
    }};
    return k_groups;
}

std::size_t group_of(const Chart& chart, int bone) {
    if (bone == chart.hips) return 0;
    const std::string_view name = part_of(chart, bone);
    if (name.empty()) return k_helper_group;
    const ChainRole role = role_of(name);
    if (name == "spine" || role == ChainRole::neck || role == ChainRole::head) return 1;
    const bool left = side_of(name) == Side::left;
    if (role == ChainRole::arm || role == ChainRole::shoulder) return left ? 2 : 3;
    if (role == ChainRole::leg || role == ChainRole::toes) return left ? 4 : 5;
    return is_digit(role) ? 6 : 7;
}

}  // namespace dendraxis::draw
