#include "segments.hpp"
#include "sway_program.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <Eigen/Eigenvalues>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <initializer_list>
#include <set>
#include <utility>

namespace dendraxis {
namespace {

using detail::k_within;
using detail::loose_rows;
using detail::LooseRow;
using detail::SwayLink;
using detail::SwayProgram;
using detail::SwayRow;

constexpr float k_earth = 9.81f;               // m/s2
constexpr float k_least_sway = 0.04f;          // of the height
constexpr float k_sway_radius = 0.008f;        // of the height
constexpr float k_least_share = 0.25f;         // of a vertex: a chain moves it
constexpr float k_inside = 0.5f;               // of a solid's radius: what is as deep at rest belongs there
constexpr float k_hidden = 0.6f;               // the same: an end as deep is within the body, as a tongue is
constexpr std::size_t k_most_sway_links = 64;  // of a chain

// What kinds of chains swing like, as multiples of a pendulum of their length.
struct Manner {
    float frequency;
    float damping;
    float drag;
    float gravity;
    float whole_turn;  // degrees of all bones together
    float most_turn;   // of one
};
constexpr Manner k_cloth{0.9f, 0.15f, 0.8f, 1.0f, 200.0f, 80.0f};
constexpr Manner k_tail{1.8f, 0.25f, 0.5f, 0.3f, 120.0f, 40.0f};
constexpr Manner k_ear{3.0f, 0.25f, 0.5f, 0.3f, 60.0f, 35.0f};

bool has_word(const std::string& name, std::initializer_list<std::string_view> words) {
    const std::vector<std::string> own = name_words(name);
    return std::any_of(own.begin(), own.end(), [&](const std::string& word) {
        return std::any_of(words.begin(), words.end(), [&](std::string_view known) { return word == known; });
    });
}

bool says_cloth_or_hair(const std::string& name) {
    return has_word(name, {"hair",  "pony",  "ponytail", "braid",  "plait", "bang",    "bangs",  "fringe",
                           "beard", "skirt", "cape",     "cloak",  "coat",  "scarf",   "ribbon", "strap",
                           "cloth", "dress", "robe",     "tassel", "sash",  "feather", "mane",   "chain",
                           "rope",  "belt",  "flag",     "tie",    "hood",  "veil",    "fin",    "antenna"});
}

// What moves by itself or not at all, and is a row of bones all the same.
bool says_face_or_tool(const std::string& name) {
    const Part part = read_bone_name(name).part;
    const bool body = part != Part::none && part != Part::tail && part != Part::ear;
    return body || has_word(name, {"brow",   "eyebrow", "lid",   "eyelid", "lip",   "lips",   "mouth",
                                   "tongue", "cheek",   "nose",  "teeth",  "tooth", "face",   "gun",
                                   "sword",  "shield",  "blade", "weapon", "prop",  "camera", "muscle"});
}

ChainRole role_in(const Chart& chart, const std::vector<int>& bones) {
    for (const Chain& chain : chart.chains) {
        const bool holds =
            std::find(chain.bones.begin(), chain.bones.end(), bones.front()) != chain.bones.end();
        if (holds && chain.role() != ChainRole::loose) return chain.role();
    }
    const Part part = read_bone_name(chart.skeleton.bone(bones.front()).name).part;
    return part == Part::ear ? ChainRole::ear : ChainRole::loose;
}

// Where the last bone of a row ends; without child and skin, as far on as it is from the bone before.
Vec3 end_of_row(const Chart& chart, const std::vector<Transform>& rest, int bone) {
    if (const std::optional<Vec3> end = end_at_rest(chart, rest, bone)) return *end;
    const Vec3& head = rest[static_cast<std::size_t>(bone)].translation;
    const Vec3 down = head - 0.1f * chart.height * chart.up;
    const int parent = chart.skeleton.parent(bone);
    if (parent == k_no_bone) return down;
    const Vec3 along = head - rest[static_cast<std::size_t>(parent)].translation;
    return along.norm() > 1e-3f * chart.height ? Vec3(head + along) : down;
}

float length_at_rest(const Chart& chart, const std::vector<Transform>& rest, const std::vector<int>& bones) {
    float length = 0.0f;
    Vec3 from = rest[static_cast<std::size_t>(bones.front())].translation;
    for (std::size_t i = 1; i <= bones.size(); ++i) {
        const Vec3 to = i < bones.size() ? rest[static_cast<std::size_t>(bones[i])].translation
                                         : end_of_row(chart, rest, bones.back());
        length += (to - from).norm();
        from = to;
    }
    return length;
}

// Of each bone whether it moves skin.
std::vector<char> skin_movers(const Character& character) {
    std::vector<char> moves(character.skeleton.size(), 0);
    for (const SkinnedMesh& mesh : character.meshes) {
        for (std::size_t v = 0; v < mesh.positions.size(); ++v) {
            for (std::size_t k = 0; k < 4; ++k) {
                if (mesh.weights[v][k] >= k_least_share)
                    moves[static_cast<std::size_t>(mesh.bones[mesh.joints[v][k]])] = 1;
            }
        }
    }
    return moves;
}

// The angular frequency of the slowest small swing of links of these lengths, whose ends weigh one each and
// whose joints resist an angle by the square of the link's length: the least eigenvalue of their stiffness.
double slowest_swing(const std::vector<float>& lengths) {
    const auto n = static_cast<Eigen::Index>(lengths.size());
    Eigen::MatrixXd stiffness = Eigen::MatrixXd::Zero(n, n);
    for (Eigen::Index i = 0; i < n; ++i) {
        const auto own = static_cast<double>(lengths[static_cast<std::size_t>(i)]);
        Eigen::VectorXd angle = Eigen::VectorXd::Zero(n);  // of joint i, by how far each end goes sideways
        angle[i] += 1.0 / own;
        if (i > 0) {
            const auto before = static_cast<double>(lengths[static_cast<std::size_t>(i - 1)]);
            angle[i - 1] -= 1.0 / own + 1.0 / before;
            if (i > 1) angle[i - 2] += 1.0 / before;
        }
        stiffness += own * own * angle * angle.transpose();
    }
    const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> solver(stiffness, Eigen::EigenvaluesOnly);
    return std::sqrt(std::max(1e-12, solver.eigenvalues()[0]));
}

class SwayPlanner {
 public:
    SwayPlanner(const Character& character, const Chart& chart)
        : chart_(chart), rest_(rest_in_model_space(chart.skeleton)) {
        if (!character.meshes.empty()) movers_ = skin_movers(character);
        for (const Solid& solid : chart.shape.solids)
            solids_.push_back(placed(solid.capsule, rest_[static_cast<std::size_t>(solid.bone)]));
    }

    SwayPlan find() {
        for (const Chain& chain : chart_.chains) {
            const ChainRole role = chain.role();
            if (role != ChainRole::tail && role != ChainRole::ear) continue;
            if (is_row(chain.bones)) add(chain.name, chain.bones, true);
        }
        for (const LooseRow& row : loose_rows(chart_)) {
            const std::string& label = chart_.skeleton.bone(row.bones.front()).label;
            if (hangs_from_body(row.bones) && !says_face_or_tool(label)) add(label, row.bones, false);
        }
        std::stable_sort(plan_.chains.begin(), plan_.chains.end(),
                         [](const auto& a, const auto& b) { return a.bones.front() < b.bones.front(); });
        return std::move(plan_);
    }

 private:
    bool is_row(const std::vector<int>& bones) const {
        return !bones.empty() && descends(chart_.skeleton, bones) &&
               chart_.skeleton.parent(bones.front()) != k_no_bone;
    }

    bool hangs_from_body(const std::vector<int>& bones) const {
        return chart_.hips != k_no_bone && chart_.skeleton.is_above(chart_.hips, bones.front());
    }

    bool moves_skin(const std::vector<int>& bones) const {
        return movers_.empty() || std::any_of(bones.begin(), bones.end(), [&](int bone) {
                   return movers_[static_cast<std::size_t>(bone)] != 0;
               });
    }

    bool is_hidden(const std::vector<int>& bones) const {
        const Vec3 end = end_of_row(chart_, rest_, bones.back());
        return std::any_of(solids_.begin(), solids_.end(), [&](const Capsule& solid) {
            return nearest_on(solid, end).gap < -k_hidden * solid.radius;
        });
    }

    void add(const std::string& name, const std::vector<int>& bones, bool named) {
        const bool one_bone = bones.size() < 2 && !named;
        if (one_bone && !says_cloth_or_hair(chart_.skeleton.bone(bones.front()).label)) return;
        if (bones.size() > k_most_sway_links || !moves_skin(bones)) return;
        if (length_at_rest(chart_, rest_, bones) < k_least_sway * chart_.height) return;
        if (!named && !says_cloth_or_hair(name) && is_hidden(bones)) return;
        std::string own = name;
        for (int more = 2; !names_.insert(own).second; ++more) own = fmt::format("{}-{}", name, more);
        plan_.chains.push_back(sway_chain(chart_, own, bones));
    }

    const Chart& chart_;
    std::vector<Transform> rest_;
    std::vector<Capsule> solids_;
    std::vector<char> movers_;
    std::set<std::string> names_;
    SwayPlan plan_;
};

void require_chain(const SwayChain& chain, const Skeleton& skeleton, std::set<std::string>& names,
                   std::vector<char>& taken) {
    const auto fail = [&](const std::string& what, const char* advice) {
        throw Error("swaying chain", what, chain.name, advice);
    };
    if (!names.insert(chain.name).second) fail("has the name of another", "rename one");
    if (chain.bones.empty()) fail("has no bones", "name its bones, from its root on");
    for (const int bone : chain.bones) {
        if (bone < 0 || static_cast<std::size_t>(bone) >= skeleton.size())
            fail("names a bone that does not exist", "name bones of this character");
        if (std::exchange(taken[static_cast<std::size_t>(bone)], 1) != 0)
            fail("has a bone twice, or one of another chain", "leave it out of one of them");
    }
    if (!descends(skeleton, chain.bones))
        fail("has bones that do not hang from each other", "name them from its root on");
    if (skeleton.parent(chain.bones.front()) == k_no_bone)
        fail("hangs from no bone", "begin with a bone that has a parent");
    struct Figure {
        const char* name;
        float value;
        float most;
    };
    for (const auto& [name, value, most] :
         {Figure{"frequency", chain.frequency, 60.0f}, Figure{"damping", chain.damping, 10.0f},
          Figure{"drag", chain.drag, 100.0f}, Figure{"gravity", chain.gravity, 10.0f},
          Figure{"radius", chain.radius, 1e9f}, Figure{"most_turn", chain.most_turn, k_pi}}) {
        if (!(value >= 0.0f) || value > most)
            fail(fmt::format("has a {} of {:.4g}", name, value),
                 fmt::format("give 0 to {:.4g}", most).c_str());
    }
}

// The body's solids but those of bones that swing, and the arms.
std::vector<Solid> solids_but(const std::vector<char>& swings, const BodyShape& shape) {
    std::vector<Solid> solids;
    for (const Solid& solid : shape.solids) {
        if (swings[static_cast<std::size_t>(solid.bone)] == 0) solids.push_back(solid);
    }
    for (const ArmShape& arm : shape.arms) {
        for (const Probe& probe : arm.probes) {
            if (probe.bone != k_no_bone)
                solids.push_back(
                    {arm.arm, probe.bone, 0.0f, {probe.offset, Vec3::Zero(), Vec3::Zero(), probe.radius}});
        }
    }
    return solids;
}

void bind_chain(const SwayChain& chain, const Chart& chart, const std::vector<Transform>& rest,
                SwayProgram& program) {
    const Skeleton& skeleton = chart.skeleton;
    const auto head = [&](int bone) { return rest[static_cast<std::size_t>(bone)].translation; };
    const Vec3 gravity_at_rest = -program.gravity.norm() * chart.up;
    SwayRow row;
    row.first = program.links.size();
    row.count = chain.bones.size();
    row.hangs_from = skeleton.parent(chain.bones.front());
    for (int bone = chain.bones.front(); bone < static_cast<int>(skeleton.size()); ++bone) {
        if (skeleton.is_above(chain.bones.front(), bone)) row.below.push_back(bone);
    }
    std::vector<float> lengths;
    std::vector<Vec3> along;
    for (std::size_t i = 0; i < row.count; ++i) {
        SwayLink link;
        link.bone = chain.bones[i];
        const Transform& bone = rest[static_cast<std::size_t>(link.bone)];
        const Vec3 end = i + 1 < row.count ? head(chain.bones[i + 1]) : end_of_row(chart, rest, link.bone);
        lengths.push_back(std::max(1e-6f * chart.height, (end - bone.translation).norm()));
        link.end = apply(inverse(bone), end);
        const int above = i > 0 ? chain.bones[i - 1] : row.hangs_from;
        link.rest = rest[static_cast<std::size_t>(above)].rotation.conjugate() * bone.rotation;
        along.push_back((end - bone.translation) / lengths.back());
        link.first_gap = program.least_gaps.size();
        for (const Solid& solid : program.solids) {
            const Capsule capsule = placed(solid.capsule, rest[static_cast<std::size_t>(solid.bone)]);
            const float gap = nearest_on(capsule, end).gap;
            program.least_gaps.push_back(gap < -k_inside * capsule.radius ? k_within
                                                                          : std::min(gap, chain.radius));
        }
        program.links.push_back(link);
    }
    // From the tip on, what is across a link is its spring's to hold, what is along it pulls at the one
    // before.
    Vec3 load = Vec3::Zero();
    for (std::size_t i = row.count; i-- > 0 && chain.frequency > 0.0f;) {
        SwayLink& link = program.links[row.first + i];
        load += gravity_at_rest;
        const Vec3 pull = load.dot(along[i]) * along[i];
        link.held_up = rest[static_cast<std::size_t>(link.bone)].rotation.conjugate() * (load - pull);
        load = pull;
    }
    row.spring = 2.0f * k_pi * chain.frequency / static_cast<float>(slowest_swing(lengths));
    program.longest = std::max(program.longest, row.count);
    program.widest = std::max(program.widest, chain.radius);
    program.rows.push_back(std::move(row));
}

}  // namespace

SwayChain sway_chain(const Chart& chart, const std::string& name, std::vector<int> bones) {
    if (bones.empty()) throw Error("swaying chain", "has no bones", name, "name its bones, from its root on");
    const ChainRole role = role_in(chart, bones);
    const Manner& manner = role == ChainRole::tail ? k_tail : role == ChainRole::ear ? k_ear : k_cloth;
    const float length =
        metres_in_unit(chart) * length_at_rest(chart, rest_in_model_space(chart.skeleton), bones);
    SwayChain chain;
    chain.name = name;
    chain.frequency = manner.frequency * std::sqrt(k_earth / std::max(length, 1e-3f)) / (2.0f * k_pi);
    chain.damping = manner.damping;
    chain.drag = manner.drag;
    chain.gravity = manner.gravity;
    chain.radius = k_sway_radius * chart.height;
    chain.most_turn =
        std::min(manner.most_turn, manner.whole_turn / static_cast<float>(bones.size())) / k_degrees;
    chain.bones = std::move(bones);
    return chain;
}

SwayPlan plan_sway(const Character& character, const Chart& chart) {
    return SwayPlanner(character, chart).find();
}

SwayBinding::SwayBinding(SwayPlan plan, const Chart& chart, const SwaySettings& settings) {
    if (!settings.gravity.allFinite()) throw Error("swaying chains", "need gravity that is finite");
    std::set<std::string> names;
    std::vector<char> swings(chart.skeleton.size(), 0);
    for (const SwayChain& chain : plan.chains) require_chain(chain, chart.skeleton, names, swings);
    std::stable_sort(plan.chains.begin(), plan.chains.end(),
                     [](const auto& a, const auto& b) { return a.bones.front() < b.bones.front(); });
    auto program = std::make_shared<SwayProgram>();
    program->skeleton = chart.skeleton;
    program->gravity = settings.gravity;
    if (settings.collide) program->solids = solids_but(swings, chart.shape);
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    for (const Solid& solid : program->solids)
        program->sizes.push_back(detail::size_of(rest[static_cast<std::size_t>(solid.bone)]));
    for (const SwayChain& chain : plan.chains) bind_chain(chain, chart, rest, *program);
    program->plan = std::move(plan);
    program_ = std::move(program);
}

const SwayPlan& SwayBinding::plan() const noexcept {
    return program_->plan;
}

const Skeleton& SwayBinding::skeleton() const noexcept {
    return program_->skeleton;
}

}  // namespace dendraxis
