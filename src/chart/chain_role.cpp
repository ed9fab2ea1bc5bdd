#include <dendraxis/chart/chain_role.hpp>

#include <algorithm>
#include <array>

namespace dendraxis {
namespace {

constexpr auto k_role_names = std::to_array<std::string_view>(
    {"spine", "neck", "head", "shoulder", "arm", "thumb", "index", "middle", "ring", "little", "leg", "toes",
     "tail", "ear", "wing", "grip", "loose", "other"});

}  // namespace

ChainRole role_of(std::string_view chain) noexcept {
    const std::string_view word = chain.substr(0, chain.find('.'));
    const auto found = std::find(k_role_names.begin(), k_role_names.end(), word);
    if (found == k_role_names.end()) return ChainRole::other;
    return static_cast<ChainRole>(found - k_role_names.begin());
}

Side side_of(std::string_view chain) noexcept {
    if (chain.ends_with(".left")) return Side::left;
    if (chain.ends_with(".right")) return Side::right;
    return Side::none;
}

bool is_limb(ChainRole role) noexcept {
    return role == ChainRole::arm || role == ChainRole::leg;
}

bool is_digit(ChainRole role) noexcept {
    return role >= ChainRole::thumb && role <= ChainRole::little;
}

std::string_view to_string(ChainRole role) noexcept {
    return k_role_names[static_cast<std::size_t>(role)];
}

}  // namespace dendraxis
