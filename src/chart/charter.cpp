#include "charter.hpp"

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {

// Two readings that score alike are right about as often as a coin falls, the better one a little more often;
// set on the crowd of made-up bodies (docs/charting.md has the table).
float Charter::confidence(float role, float bones) const {
    constexpr float k_scale = 0.25f;
    constexpr float k_at_zero = 0.4f;
    const auto sure = [](float margin) { return 1.0f / (1.0f + std::exp(-(margin / k_scale + k_at_zero))); };
    return std::clamp(std::min(sure(role), sure(bones)), 0.1f, 0.99f);
}

float Charter::role_margin(int branch) const {
    const auto i = static_cast<std::size_t>(branch);
    float margin = 4.0f;
    for (const Reading& other : others) {
        const bool same = other.roles[i] == reading.roles[i] && other.up == reading.up &&
                          (other.legs.size() > 1) == (reading.legs.size() > 1);
        if (!same) margin = std::min(margin, reading.score - other.score);
    }
    return margin;
}

void Charter::add(const std::string& name, std::vector<int> bones, float sure,
                  std::vector<std::string> evidence) {
    if (bones.empty() || chart.find(name) != nullptr) return;
    for (const int bone : bones) {
        if (charted(bone)) return;
    }
    for (const int bone : bones) {
        const Part part = body.name(bone).part;
        if (part != Part::none && part != Part::root) evidence.push_back(name_evidence(body, bone));
    }
    chart.chains.push_back({name, std::move(bones), sure, std::move(evidence)});
}

bool Charter::charted(int bone) const {
    if (bone == chart.hips) return true;
    return std::any_of(chart.chains.begin(), chart.chains.end(), [bone](const Chain& chain) {
        return std::find(chain.bones.begin(), chain.bones.end(), bone) != chain.bones.end();
    });
}

void chart_loose(Charter& charter) {
    const Body& body = charter.body;
    // What a limb, the trunk or the head hangs on is part of the body.
    std::vector<char> carries(body.count(), 0);
    for (const Chain& chain : charter.chart.chains) {
        for (int bone = chain.bones.front(); bone != k_no_bone; bone = body.hangs_on(bone))
            carries[static_cast<std::size_t>(bone)] = 1;
    }
    const auto is_loose = [&](int bone) {
        return bone != k_no_bone && carries[static_cast<std::size_t>(bone)] == 0 && !charter.charted(bone);
    };
    std::vector<std::vector<int>> rows;
    for (int bone = 0; bone < static_cast<int>(body.count()); ++bone) {
        if (!body.lives(bone) || !is_loose(bone)) continue;
        const int above = body.hangs_on(bone);
        // Where a row begins: below what is charted, or beside another row.
        if (is_loose(above) && body.main_child(above) == bone) continue;
        std::vector<int> row;
        for (int next = bone; is_loose(next); next = body.main_child(next)) row.push_back(next);
        const bool flesh = !body.has_skin ||
                           std::any_of(row.begin(), row.end(), [&](int b) { return body.mass_of(b) > 0.0f; });
        const bool on_body = charter.chart.hips != k_no_bone && body.hangs_below(bone, charter.chart.hips);
        if (row.size() >= 2 && flesh && on_body) rows.push_back(std::move(row));
    }
    // By where they begin, not by the file's order: from above, of a pair the left one first.
    const Vec3 left = body.up.cross(body.facing);
    const auto place = [&](const std::vector<int>& row) {
        const Vec3 at = body.at(row.front());
        return at.dot(body.up) + 1e-2f * at.dot(left) + 1e-3f * at.dot(body.facing);
    };
    std::stable_sort(rows.begin(), rows.end(),
                     [&](const auto& a, const auto& b) { return place(a) > place(b); });
    for (std::size_t i = 0; i < rows.size(); ++i)
        charter.add("loose." + std::to_string(i + 1), rows[i], 0.75f,
                    {"a row of bones that belongs to no limb"});
}

}  // namespace dendraxis::detail
