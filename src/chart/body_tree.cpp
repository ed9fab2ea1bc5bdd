// Own method.
#include <dendraxis/chart/body_tree.hpp>
#include <dendraxis/geometry/segment.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis {
namespace {

constexpr float k_near = 0.15f;               // of the height: farther from the body lie no parts of it
constexpr float k_low = 0.1f;                 // of the height, over the floor
constexpr std::size_t k_most_helpers = 1000;  // so many are a scene, not a body

class Holders {
 public:
    Holders(const Chart& chart, const std::vector<char>& is_body)
        : chart_(chart),
          rest_(rest_in_model_space(chart.skeleton)),
          holders_(chart.skeleton.size(), k_no_bone),
          is_body_(is_body) {
        if (chart.hips == k_no_bone) return;
        for (const Chain& chain : chart.chains) hold(chain);
        hold_helpers();
    }

    std::vector<int> all() && { return std::move(holders_); }

    int carrier() const {
        int carrier = k_no_bone;
        if (chart_.hips == k_no_bone) return carrier;
        for (int bone = chart_.skeleton.parent(chart_.hips); bone != k_no_bone && bone != chart_.root;
             bone = chart_.skeleton.parent(bone)) {
            if (is_body_[static_cast<std::size_t>(bone)] || is_part(bone)) carrier = bone;
        }
        return carrier;
    }

 private:
    void hold(const Chain& chain) {
        for (std::size_t i = 0; i < chain.bones.size(); ++i) {
            const int bone = chain.bones[i];
            if (bone == chart_.hips || chart_.skeleton.is_above(bone, chart_.hips)) continue;
            int& holder = holders_[static_cast<std::size_t>(bone)];
            if (i > 0 && !chart_.skeleton.is_above(chain.bones[i - 1], bone)) holder = chain.bones[i - 1];
            if (i == 0 && !is_carried(bone))
                holders_[static_cast<std::size_t>(top_of(bone))] = first_holder(chain);
        }
    }

    // Helpers that nothing of the body carries, each by the nearest bone of the body or, in a row of them
    // (hair), by the one that is held already.
    void hold_helpers() {
        std::vector<char> carries(is_body_.size(), 0);
        for (std::size_t b = 0; b < is_body_.size(); ++b) {
            for (int bone = is_body_[b] ? static_cast<int>(b) : k_no_bone;
                 bone != k_no_bone && !carries[static_cast<std::size_t>(bone)];
                 bone = chart_.skeleton.parent(bone))
                carries[static_cast<std::size_t>(bone)] = 1;
        }
        std::vector<int> waiting;
        for (const Helper& helper : chart_.helpers) {
            const int parent = chart_.skeleton.parent(helper.bone);
            const bool goes_with_parent = parent != k_no_bone && !carries[static_cast<std::size_t>(parent)];
            if (!carries[static_cast<std::size_t>(helper.bone)] && !goes_with_parent &&
                helper.kind != HelperKind::target && helper.bone != chart_.root && is_part(helper.bone) &&
                !is_carried(helper.bone))
                waiting.push_back(helper.bone);
        }
        if (waiting.size() > k_most_helpers) return;
        const float most = k_near * std::max(chart_.height, 1e-6f);
        std::vector<int> held;
        for (std::size_t before = waiting.size() + 1; before != waiting.size();) {
            before = waiting.size();
            std::erase_if(waiting, [&](int bone) {
                float least = most;
                int& holder = holders_[static_cast<std::size_t>(bone)];
                holder = nearest(
                    bone, [](const Chain&) { return true; }, least);
                for (const int other : held) {
                    const float far = (head(other) - head(bone)).norm();
                    if (far < least) least = far, holder = other;
                }
                if (holder != k_no_bone) held.push_back(bone);
                return holder != k_no_bone;
            });
        }
    }

    // Whether it moves skin of its own, or at least lies over the floor: roots do not.
    bool is_part(int bone) const {
        const auto& marks = chart_.shape.marks;
        return head(bone).dot(chart_.up) - chart_.rest_floor > k_low * chart_.height ||
               std::any_of(marks.begin(), marks.end(),
                           [bone](const BoneMark& mark) { return mark.bone == bone; });
    }

    const Vec3& head(int bone) const { return rest_[static_cast<std::size_t>(bone)].translation; }

    // Whether a bone of the body stands above it in the file.
    bool is_carried(int bone) const {
        for (int above = chart_.skeleton.parent(bone); above != k_no_bone;
             above = chart_.skeleton.parent(above)) {
            if (is_body_[static_cast<std::size_t>(above)]) return true;
        }
        return false;
    }

    // The outermost bone that carries this one and not the hips.
    int top_of(int bone) const {
        const Skeleton& skeleton = chart_.skeleton;
        for (int above = skeleton.parent(bone);
             above != k_no_bone && above != chart_.root && !skeleton.is_above(above, chart_.hips);
             above = skeleton.parent(above))
            bone = above;
        return bone;
    }

    int last_of(std::initializer_list<std::string> names) const {
        for (const std::string& name : names) {
            const Chain* chain = chart_.find(name);
            if (chain != nullptr && !chain->bones.empty()) return chain->bones.back();
        }
        return chart_.hips;
    }

    int first_holder(const Chain& chain) const {
        const ChainRole role = chain.role();
        const std::string side = chain.side() == Side::left    ? ".left"
                                 : chain.side() == Side::right ? ".right"
                                                               : "";
        if (role == ChainRole::spine) return chart_.hips;
        if (role == ChainRole::neck) return last_of({"spine"});
        if (role == ChainRole::head) return last_of({"neck", "spine"});
        if (role == ChainRole::ear) return last_of({"head", "neck"});
        if (role == ChainRole::tail) return last_of({"spine.back"});
        if (is_digit(role) || role == ChainRole::grip) return last_of({"arm" + side});
        if (role == ChainRole::toes) {
            const std::size_t dot = chain.name.find('.');
            return last_of({"leg" + chain.name.substr(std::min(dot, chain.name.size()))});
        }
        const bool is_fore = role == ChainRole::arm || chain.name.starts_with("leg.front");
        if (is_fore && chart_.find("shoulder" + side) != nullptr) return last_of({"shoulder" + side});
        if (role == ChainRole::leg && !is_fore) return last_of({"spine.back"});
        const bool on_trunk = is_fore || role == ChainRole::shoulder || role == ChainRole::wing;
        float least = 1e30f;
        const int near = nearest(
            chain.bones.front(),
            [&](const Chain& other) {
                return &other != &chain && (!on_trunk || other.role() == ChainRole::spine);
            },
            least);
        return near == k_no_bone ? chart_.hips : near;
    }

    // The bone whose stretch to the next one of its chain is nearest; hips count as their head.
    template <class May>
    int nearest(int bone, const May& may, float& least) const {
        int best = k_no_bone;
        const auto look = [&](int other, const Vec3& from, const Vec3& to) {
            if (other == bone || chart_.skeleton.is_above(bone, other) || hangs_on(other, bone)) return;
            const float far = distance_to_segment(head(bone), from, to);
            if (far < least) least = far, best = other;
        };
        look(chart_.hips, head(chart_.hips), head(chart_.hips));
        for (const Chain& chain : chart_.chains) {
            if (!may(chain)) continue;
            for (std::size_t i = 0; i < chain.bones.size(); ++i)
                look(chain.bones[i], head(chain.bones[i]),
                     head(chain.bones[std::min(i + 1, chain.bones.size() - 1)]));
        }
        return best;
    }

    bool hangs_on(int bone, int above) const {
        for (std::size_t guard = 0; bone != k_no_bone && guard <= holders_.size(); ++guard) {
            if (bone == above) return true;
            const int holder = holders_[static_cast<std::size_t>(bone)];
            bone = holder != k_no_bone ? holder : chart_.skeleton.parent(bone);
        }
        return false;
    }

    const Chart& chart_;
    std::vector<Transform> rest_;
    std::vector<int> holders_;
    const std::vector<char>& is_body_;
};

class Order {
 public:
    Order(const Skeleton& skeleton, const std::vector<int>& holders)
        : skeleton_(skeleton), holders_(holders), seen_(skeleton.size(), 0) {
        for (std::size_t b = 0; b < holders.size(); ++b) visit(static_cast<int>(b));
    }

    std::vector<int> bones;

 private:
    void visit(int bone) {
        if (bone == k_no_bone || seen_[static_cast<std::size_t>(bone)]) return;
        seen_[static_cast<std::size_t>(bone)] = 1;
        visit(skeleton_.parent(bone));
        visit(holders_[static_cast<std::size_t>(bone)]);
        bones.push_back(bone);
    }

    const Skeleton& skeleton_;
    const std::vector<int>& holders_;
    std::vector<char> seen_;
};

}  // namespace

BodyTree::BodyTree(const Chart& chart) : chart_(&chart), is_body_(chart.skeleton.size(), 0) {
    if (chart.hips != k_no_bone) is_body_[static_cast<std::size_t>(chart.hips)] = 1;
    for (const Chain& chain : chart.chains) {
        for (const int bone : chain.bones) is_body_[static_cast<std::size_t>(bone)] = 1;
    }
    Holders holders(chart, is_body_);
    carrier_ = holders.carrier();
    holders_ = std::move(holders).all();
    order_ = Order(chart.skeleton, holders_).bones;
}

int BodyTree::body_above(int bone) const {
    do {
        bone = above(bone);
    } while (bone != k_no_bone && !is_body_[static_cast<std::size_t>(bone)]);
    return bone;
}

}  // namespace dendraxis
