#include <dendraxis/chart/pairing_settings.hpp>

namespace dendraxis {

bool fits_pattern(const std::string& name, const std::string& pattern) noexcept {
    // Greedy with one step back: the usual way for patterns whose only wildcard is `*`.
    std::size_t n = 0;
    std::size_t p = 0;
    std::size_t star = std::string::npos;
    std::size_t resume = 0;
    while (n < name.size()) {
        if (p < pattern.size() && pattern[p] == '*') {
            star = p++;
            resume = n;
        } else if (p < pattern.size() && pattern[p] == name[n]) {
            ++p;
            ++n;
        } else if (star != std::string::npos) {
            p = star + 1;
            n = ++resume;
        } else {
            return false;
        }
    }
    while (p < pattern.size() && pattern[p] == '*') ++p;
    return p == pattern.size();
}

RootMotion PairingSettings::root_motion_of(const std::string& clip) const {
    for (const RootMotionRule& rule : root_motion) {
        if (fits_pattern(clip, rule.clips)) return rule.root_motion;
    }
    return RootMotion::scaled;
}

Positions PairingSettings::positions_of(const std::string& clip, const std::string& chain) const {
    for (const PositionRule& rule : positions) {
        if (fits_pattern(clip, rule.clips) && fits_pattern(chain, rule.chains)) return rule.positions;
    }
    return Positions::scaled;
}

}  // namespace dendraxis
