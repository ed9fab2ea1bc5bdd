#include "segments.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace dendraxis::detail {
namespace {

constexpr std::size_t k_most_tail_bodies = 8;
constexpr std::size_t k_most_segments = 64;  // where nothing was charted
constexpr float k_own_neck = 0.11f;          // of the height: a longer neck is a body of its own
constexpr float k_least_loose = 0.04f;       // of the height: what a loose chain measures at least

class SegmentFinder {
 public:
    explicit SegmentFinder(const Chart& chart)
        : chart_(chart), skeleton_(chart.skeleton), rest_(rest_in_model_space(chart.skeleton)) {}

    std::vector<Segment> find() {
        if (chart_.hips != k_no_bone) {
            const Chain* spine = chart_.find("spine");
            const bool has_spine = spine != nullptr && !spine->bones.empty();
            add("hips", {chart_.hips}, has_spine ? head(spine->bones.front()) : end_of(chart_.hips));
        }
        trunk();
        for (const Chain& chain : chart_.chains) {
            const ChainRole role = chain.role();
            if (role == ChainRole::arm)
                limb(chain, {"upper-arm", "forearm", "hand"});
            else if (chain.name == "leg.left" || chain.name == "leg.right")
                limb(chain, {"thigh", "shin", "foot"});
            else if (role == ChainRole::leg)
                limb(chain, {});
            else if (role == ChainRole::tail)
                in_pieces(chain.name, chain.bones, k_most_tail_bodies, false);
            else if (role == ChainRole::ear)
                add(chain.name, chain.bones, end_of(chain.bones.back()));
        }
        loose_chains();
        if (segments_.empty()) every_bone();
        std::stable_sort(segments_.begin(), segments_.end(), [](const Segment& a, const Segment& b) {
            return a.bones.front() < b.bones.front();
        });
        std::stable_partition(segments_.begin(), segments_.end(),
                              [&](const Segment& s) { return s.bones.front() == chart_.hips; });
        return std::move(segments_);
    }

 private:
    Vec3 head(int bone) const { return rest_[static_cast<std::size_t>(bone)].translation; }

    // Without child and skin, on from the parent.
    Vec3 end_of(int bone) const {
        if (const std::optional<Vec3> end = end_at_rest(chart_, rest_, bone)) return *end;
        const int parent = skeleton_.parent(bone);
        if (parent == k_no_bone) return head(bone) + 0.1f * chart_.height * chart_.up;
        return head(bone) + 0.6f * (head(bone) - head(parent));
    }

    void add(const std::string& name, const std::vector<int>& bones, const Vec3& end, bool loose = false,
             bool tip = false) {
        segments_.push_back({name, bones, end, loose, tip});
    }

    void trunk() {
        const Chain* spine = chart_.find("spine");
        const Chain* neck = chart_.find("neck");
        const Chain* skull = chart_.find("head");
        std::vector<int> neck_bones = neck != nullptr ? neck->bones : std::vector<int>{};
        const std::vector<int> head_bones = skull != nullptr ? skull->bones : std::vector<int>{};
        const auto over = [&](const std::vector<int>& a, const std::vector<int>& b, const Vec3& otherwise) {
            return !a.empty() ? head(a.front()) : !b.empty() ? head(b.front()) : otherwise;
        };
        if (spine != nullptr && !spine->bones.empty())
            spine_halves(spine->bones, over(neck_bones, head_bones, end_of(spine->bones.back())));
        const bool long_neck =
            !neck_bones.empty() && !head_bones.empty() &&
            (head(head_bones.front()) - head(neck_bones.front())).norm() > k_own_neck * chart_.height;
        if (long_neck) {
            add("neck", neck_bones, head(head_bones.front()));
            neck_bones.clear();
        }
        neck_bones.insert(neck_bones.end(), head_bones.begin(), head_bones.end());
        if (!neck_bones.empty()) add("head", neck_bones, end_of(neck_bones.back()));
    }

    // Two bodies of about the same length, the upper one from a bone's head on.
    void spine_halves(const std::vector<int>& bones, const Vec3& end) {
        std::size_t split = 0;
        float best = 1e30f;
        for (std::size_t i = 1; i < bones.size(); ++i) {
            const float below = (head(bones[i]) - head(bones.front())).norm();
            const float above = (end - head(bones[i])).norm();
            if (std::abs(below - above) < best) best = std::abs(below - above), split = i;
        }
        const auto middle = bones.begin() + static_cast<std::ptrdiff_t>(split);
        if (split > 0) add("spine", {bones.begin(), middle}, head(*middle));
        add("chest", {middle, bones.end()}, end);
    }

    void limb(const Chain& chain, std::vector<const char*> names) {
        const std::string side = chain.name.substr(chain.name.find('.'));
        // Of a part in several bones the second and further ones are numbered.
        std::vector<std::string> parts;
        for (std::size_t i = 0; i < chain.bones.size() && !names.empty(); ++i) {
            const bool last = i + 1 == chain.bones.size() && chain.bones.size() > 2;
            const std::size_t part = last ? 2 : i < chain.lower ? 0 : 1;
            const std::size_t piece = part == 0 ? i : part == 1 ? i - chain.lower : 0;
            parts.push_back(names[part] + (piece == 0 ? std::string() : fmt::format("-{}", piece + 1)));
        }
        for (std::size_t i = 0; i < chain.bones.size(); ++i) {
            const bool last = i + 1 == chain.bones.size();
            const Vec3 end = last ? tip_of(chain) : head(chain.bones[i + 1]);
            const std::string name =
                parts.empty() ? chain.name + "." + std::to_string(i + 1) : parts[i] + side;
            add(name, {chain.bones[i]}, end, false, last && chain.bones.size() > 2);
        }
    }

    // The farthest bone below a hand or foot.
    Vec3 tip_of(const Chain& chain) const {
        const int bone = chain.bones.back();
        Vec3 tip = end_of(bone);
        float farthest = (tip - head(bone)).norm();
        for (int other = bone + 1; other < static_cast<int>(skeleton_.size()); ++other) {
            if (!skeleton_.is_above(bone, other)) continue;
            const float length = (head(other) - head(bone)).norm();
            if (length > farthest) farthest = length, tip = head(other);
        }
        return tip;
    }

    void in_pieces(const std::string& name, const std::vector<int>& bones, std::size_t most, bool loose) {
        const std::size_t count = std::min(bones.size(), most);
        for (std::size_t i = 0; i < count; ++i) {
            const std::size_t from = i * bones.size() / count;
            const std::size_t to = (i + 1) * bones.size() / count;
            std::vector<int> piece(bones.begin() + static_cast<std::ptrdiff_t>(from),
                                   bones.begin() + static_cast<std::ptrdiff_t>(to));
            const Vec3 end = to < bones.size() ? head(bones[to]) : end_of(bones.back());
            if ((end - head(piece.front())).norm() < 1e-4f * chart_.height) continue;
            add(name + "." + std::to_string(i + 1), piece, end, loose);
        }
    }

    // Hair, tassels, coat tails: what hangs from the body in a row.
    void loose_chains() {
        for (const auto& [row, branch] : loose_rows(chart_)) {
            const bool hangs_from_body =
                !branch && chart_.hips != k_no_bone && skeleton_.is_above(chart_.hips, row.front());
            const float length = (head(row.back()) - head(row.front())).norm();
            if (row.size() >= 2 && hangs_from_body && length > k_least_loose * chart_.height)
                in_pieces(skeleton_.bone(row.front()).label, row, k_most_tail_bodies, true);
        }
    }

    // Nothing was charted: all bones that have some length.
    void every_bone() {
        for (int bone = 0; bone < static_cast<int>(skeleton_.size()) && segments_.size() < k_most_segments;
             ++bone) {
            const Vec3 end = end_of(bone);
            if ((end - head(bone)).norm() > 0.02f * chart_.height)
                add(skeleton_.bone(bone).label, {bone}, end);
        }
    }

    const Chart& chart_;
    const Skeleton& skeleton_;
    std::vector<Transform> rest_;
    std::vector<Segment> segments_;
};

}  // namespace

std::vector<LooseRow> loose_rows(const Chart& chart) {
    const Skeleton& skeleton = chart.skeleton;
    std::vector<char> loose(skeleton.size(), 0);
    for (const Helper& helper : chart.helpers)
        loose[static_cast<std::size_t>(helper.bone)] = helper.kind == HelperKind::unknown ? 1 : 0;
    for (const Chain& chain : chart.chains) {
        if (chain.role() != ChainRole::loose) continue;
        for (const int bone : chain.bones) loose[static_cast<std::size_t>(bone)] = 1;
    }
    // What a limb, the trunk or the head hangs from is part of the body.
    for (const Chain& chain : chart.chains) {
        const ChainRole role = chain.role();
        if (role == ChainRole::loose || role == ChainRole::tail || role == ChainRole::ear) continue;
        if (chain.bones.empty()) continue;
        for (int bone = chain.bones.front(); bone != k_no_bone; bone = skeleton.parent(bone))
            loose[static_cast<std::size_t>(bone)] = 0;
    }
    const auto is_loose = [&](int bone) { return loose[static_cast<std::size_t>(bone)] != 0; };
    std::vector<char> taken(skeleton.size(), 0);
    std::vector<LooseRow> rows;
    for (int bone = 0; bone < static_cast<int>(skeleton.size()); ++bone) {
        const int parent = skeleton.parent(bone);
        if (!is_loose(bone) || parent == k_no_bone || taken[static_cast<std::size_t>(bone)] != 0) continue;
        LooseRow row{{}, is_loose(parent)};
        for (int next = bone; next != k_no_bone;) {
            taken[static_cast<std::size_t>(next)] = 1;
            row.bones.push_back(next);
            const std::span<const int> children = skeleton.children(next);
            const auto child = std::find_if(children.begin(), children.end(), is_loose);
            next = child == children.end() ? k_no_bone : *child;
        }
        rows.push_back(std::move(row));
    }
    return rows;
}

std::vector<Segment> segments_of(const Chart& chart) {
    return SegmentFinder(chart).find();
}

}  // namespace dendraxis::detail
