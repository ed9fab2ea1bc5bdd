// Chains by name: a limb's bones are those that the vocabulary knows, in the order of the hierarchy.
#include "find_chains.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <initializer_list>

namespace dendraxis {
namespace {

class ChainFinder {
 public:
    explicit ChainFinder(Chart& chart)
        : chart_(chart), skeleton_(chart.skeleton), taken_(skeleton_.size(), 0) {
        std::vector<std::string> names;
        for (const Bone& bone : skeleton_.bones()) {
            if (!bone.name.empty()) names.push_back(bone.name);
        }
        const std::size_t skipped = shared_words(names);
        for (const Bone& bone : skeleton_.bones()) readings_.push_back(read_bone_name(bone.name, skipped));
        inherit_sides();
    }

    void find() {
        for (const Side side : {Side::left, Side::right}) {
            limb("leg", side, {Part::leg, Part::thigh, Part::shin, Part::foot});
            limb("arm", side, {Part::arm, Part::upper_arm, Part::forearm, Part::hand});
        }
        head_and_neck();
        hub();
        spine();
        for (const Side side : {Side::left, Side::right}) {
            limb("shoulder", side, {Part::shoulder});
            limb("thumb", side, {Part::thumb});
            limb("index", side, {Part::index});
            limb("middle", side, {Part::middle});
            limb("ring", side, {Part::ring});
            limb("little", side, {Part::little});
            limb("toes", side, {Part::toes});
            limb("grip", side, {Part::grip});
        }
        limb("tail", Side::none, {Part::tail});
        helpers();
    }

 private:
    const NameReading& reading(int bone) const { return readings_[static_cast<std::size_t>(bone)]; }
    int count() const { return static_cast<int>(skeleton_.size()); }
    bool is_plain(int bone) const {
        return reading(bone).kind == NameKind::plain && !taken_[static_cast<std::size_t>(bone)];
    }

    // `thumb_1` below `hand_left` is a left thumb.
    void inherit_sides() {
        for (int bone = 0; bone < count(); ++bone) {
            NameReading& own = readings_[static_cast<std::size_t>(bone)];
            const bool sided = own.part >= Part::arm && own.part <= Part::toes;
            const int parent = skeleton_.parent(bone);
            if (own.side == Side::none && parent != k_no_bone && sided) own.side = reading(parent).side;
        }
    }

    void add(std::string name, std::vector<int> bones, float confidence, std::vector<std::string> evidence) {
        if (bones.empty()) return;
        for (const int bone : bones) taken_[static_cast<std::size_t>(bone)] = 1;
        chart_.chains.push_back({std::move(name), std::move(bones), confidence, std::move(evidence)});
    }

    std::string name_evidence(int bone) const {
        const NameReading& r = reading(bone);
        return fmt::format("name '{}' reads as {}{}{}", skeleton_.bone(bone).name,
                           r.side == Side::none ? "" : to_string(r.side), r.side == Side::none ? "" : " ",
                           to_string(r.part));
    }

    // Bones of these parts and this side that lie on one path: the path to the deepest of the last part
    // found.
    void limb(const std::string& part_name, Side side, std::initializer_list<Part> parts) {
        const auto belongs = [&](int bone) {
            const NameReading& r = reading(bone);
            return r.side == side && is_plain(bone) &&
                   std::find(parts.begin(), parts.end(), r.part) != parts.end();
        };
        const auto rank = [&](int bone) {
            const auto place = std::find(parts.begin(), parts.end(), reading(bone).part);
            int above = 0;
            for (int b = skeleton_.parent(bone); b != k_no_bone; b = skeleton_.parent(b))
                above += belongs(b) ? 1 : 0;
            return std::pair(place - parts.begin(), above);
        };
        int tip = k_no_bone;
        for (int bone = 0; bone < count(); ++bone) {
            if (belongs(bone) && (tip == k_no_bone || rank(bone) > rank(tip))) tip = bone;
        }
        std::vector<int> bones;
        std::vector<std::string> evidence;
        for (int bone = tip; bone != k_no_bone; bone = skeleton_.parent(bone)) {
            if (!belongs(bone)) continue;
            bones.insert(bones.begin(), bone);
            evidence.insert(evidence.begin(), name_evidence(bone));
        }
        const std::string name =
            side == Side::none ? part_name : part_name + "." + std::string(to_string(side));
        add(name, std::move(bones), 1.0f, std::move(evidence));
    }

    int first_of(Part part) const {
        for (int bone = 0; bone < count(); ++bone) {
            if (reading(bone).part == part && reading(bone).side == Side::none && is_plain(bone)) return bone;
        }
        return k_no_bone;
    }

    void head_and_neck() {
        const int head = first_of(Part::head);
        if (head != k_no_bone) add("head", {head}, 1.0f, {name_evidence(head)});
        limb("neck", Side::none, {Part::neck});
    }

    int root_of(const char* chain_name) const {
        const Chain* chain = chart_.find(chain_name);
        return chain == nullptr ? k_no_bone : chain->bones.front();
    }

    // The named pelvis if both legs hang below it, else the lowest bone above both legs.
    void hub() {
        const int left = root_of("leg.left");
        const int right = root_of("leg.right");
        const int between =
            left != k_no_bone && right != k_no_bone ? skeleton_.common_ancestor(left, right) : k_no_bone;
        const int named = first_of(Part::hub);
        const bool fits = named != k_no_bone && (between == k_no_bone || skeleton_.is_above(named, between));
        chart_.hub = fits ? named : between;
        if (chart_.hub != k_no_bone) taken_[static_cast<std::size_t>(chart_.hub)] = 1;
    }

    int first_branch_above_arms() const {
        const int left = root_of("arm.left");
        const int right = root_of("arm.right");
        if (left != k_no_bone && right != k_no_bone) return skeleton_.common_ancestor(left, right);
        const int neck = root_of("neck") != k_no_bone ? root_of("neck") : root_of("head");
        return neck == k_no_bone ? k_no_bone : skeleton_.parent(neck);
    }

    // Every bone between the hub and where the arms (or the neck) branch off, whatever it is called.
    void spine() {
        if (chart_.hub == k_no_bone) return;
        int end = first_branch_above_arms();
        if (end == k_no_bone || !skeleton_.is_above(chart_.hub, end)) {
            limb("spine", Side::none, {Part::spine});
            return;
        }
        std::vector<int> bones;
        std::vector<std::string> evidence;
        float named = 0.0f;
        for (; end != chart_.hub; end = skeleton_.parent(end)) {
            if (reading(end).kind != NameKind::plain) continue;
            bones.insert(bones.begin(), end);
            const bool says_so = reading(end).part == Part::spine;
            named += says_so ? 1.0f : 0.0f;
            evidence.insert(evidence.begin(), says_so ? name_evidence(end)
                                                      : fmt::format("'{}' lies between hub and arms",
                                                                    skeleton_.bone(end).label));
        }
        const float share = bones.empty() ? 0.0f : named / static_cast<float>(bones.size());
        add("spine", std::move(bones), 0.5f + 0.5f * share, std::move(evidence));
    }

    void helpers() {
        for (int bone = 0; bone < count(); ++bone) {
            if (taken_[static_cast<std::size_t>(bone)]) continue;
            HelperKind kind = HelperKind::unknown;
            if (reading(bone).kind == NameKind::twist) kind = HelperKind::twist;
            if (reading(bone).kind == NameKind::end) kind = HelperKind::end;
            if (reading(bone).kind == NameKind::target) kind = HelperKind::target;
            if (reading(bone).part == Part::grip) kind = HelperKind::prop;
            chart_.helpers.push_back({bone, kind});
        }
    }

    Chart& chart_;
    const Skeleton& skeleton_;
    std::vector<NameReading> readings_;
    std::vector<char> taken_;
};

}  // namespace

void find_chains(Chart& chart) {
    ChainFinder(chart).find();
}

}  // namespace dendraxis
