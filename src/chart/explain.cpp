#include <dendraxis/chart/explain.hpp>

#include "chart_finder.hpp"

#include <dendraxis/base/error.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

using detail::Body;
using detail::Reading;
using detail::Role;

constexpr std::size_t k_most_readings =
    12;  // of the best ones, in which a bone is looked for in another role

std::string role_of(const Chart& chart, int bone) {
    if (bone == chart.hips) return "hips";
    if (bone == chart.root) return "root";
    if (const Chain* chain = chart.chain_of(bone)) return chain->name;
    for (const Helper& helper : chart.helpers) {
        if (helper.bone == bone) return "helper: " + std::string(to_string(helper.kind));
    }
    return "helper: unknown";
}

bool same_body(const Chart& a, const Chart& b) {
    if (a.hips != b.hips || a.up != b.up) return false;
    for (const char* name : {"spine", "head", "arm.left", "arm.right", "leg.left", "leg.right",
                             "leg.front.left", "leg.back.left"}) {
        const Chain* one = a.find(name);
        const Chain* other = b.find(name);
        if ((one == nullptr) != (other == nullptr) || (one != nullptr && one->bones != other->bones))
            return false;
    }
    return true;
}

class Explainer {
 public:
    Explainer(const Character& character, int bone) : finder_(character), bone_(bone) {}

    BoneExplanation run() {
        const Chart chart = finder_.best();
        const Body& body = finder_.body();
        result_.bone = bone_;
        result_.role = role_of(chart, bone_);
        if (const Chain* chain = chart.find(result_.role)) result_.confidence = chain->confidence;
        position_in_body(body);
        names(body);
        if (finder_.is_body()) {
            branch(body);
            runner_up();
        }
        std::stable_sort(
            result_.evidence.begin(), result_.evidence.end(),
            [](const Evidence& a, const Evidence& b) { return std::abs(a.weight) > std::abs(b.weight); });
        return std::move(result_);
    }

 private:
    void add(const std::string& what, float weight = 0.0f) { result_.evidence.push_back({what, weight}); }

    std::string label(const Body& body, int bone) const {
        return bone == k_no_bone ? "no bone" : "'" + body.skeleton.bone(bone).label + "'";
    }

    void position_in_body(const Body& body) {
        const auto i = static_cast<std::size_t>(bone_);
        if (finder_.is_of_other_body(bone_)) {
            add("it belongs to another body in the file than the one that is charted");
            return;
        }
        if (body.has_skin && body.mass[i] > 0.0f)
            add(fmt::format("it moves {:.1f} % of the skin",
                            100.0f * body.mass[i] / std::max(body.whole_mass, 1e-20f)));
        else if (body.has_skin)
            add("it moves no skin");
        if (body.hangs_on(bone_) != body.skeleton.parent(bone_))
            add(fmt::format(
                "in the body it hangs on {}, with which it shares skin; in the file it hangs on {}",
                label(body, body.hangs_on(bone_)), label(body, body.skeleton.parent(bone_))));
        if (!body.lives(bone_)) add("nothing that hangs on it takes part in the body");
    }

    void names(const Body& body) {
        const NameReading& said = body.name(bone_);
        if (said.part == Part::none && said.kind == NameKind::plain) {
            add("its name says nothing");
            return;
        }
        if (said.part != Part::none) add(detail::name_evidence(body, bone_));
        if (said.kind == NameKind::twist) add("its name says that it spreads twist");
        if (said.kind == NameKind::end) add("its name says that it ends a bone");
        if (said.kind == NameKind::target) add("its name says that it is a control");
        if (finder_.name_trust() < 0.95f)
            add(fmt::format("names count {:.0f} % here: so far they agree with the shape",
                            100.0f * finder_.name_trust()));
    }

    // The evidence for the branch that the bone belongs to.
    void branch(const Body& body) {
        const Reading& reading = finder_.readings().front();
        for (std::size_t i = 0; i < body.branches.size(); ++i) {
            const auto& bones = body.branches[i].bones;
            if (std::find(bones.begin(), bones.end(), bone_) == bones.end()) continue;
            const Role role = reading.roles[i];
            const auto terms =
                detail::role_terms(finder_.body(), {}, finder_.name_trust(), reading.up, static_cast<int>(i));
            for (const detail::RoleTerm& term : terms) {
                const float weight = role == Role::leg   ? term.leg
                                     : role == Role::arm ? term.arm
                                                         : -std::max(term.leg, term.arm);
                if (std::abs(weight) > 0.005f && std::abs(weight) < 1e6f)
                    add(std::string("its limb: ") + term.what, weight);
            }
            return;
        }
        if (body.in_trunk(bone_)) add("it lies in the middle, where no other bone mirrors it");
    }

    void runner_up() {
        const std::vector<Reading> readings = finder_.readings();
        for (std::size_t i = 1; i < std::min(readings.size(), k_most_readings); ++i) {
            const std::string role = role_of(finder_.of(readings[i]), bone_);
            if (role == result_.role) continue;
            result_.runner_up = role;
            result_.margin = readings.front().score - readings[i].score;
            return;
        }
    }

    detail::ChartFinder finder_;
    int bone_;
    BoneExplanation result_;
};

}  // namespace

BoneExplanation explain(const Character& character, int bone) {
    if (bone < 0 || bone >= static_cast<int>(character.skeleton.size()))
        throw Error(ErrorCode::unknown_name, character.file.empty() ? character.name : character.file,
                    "has no such bone", "", "see what `dendraxis chart` calls its bones");
    return Explainer(character, bone).run();
}

std::vector<ScoredChart> best_charts(const Character& character, std::size_t most) {
    detail::ChartFinder finder(character);
    std::vector<ScoredChart> best;
    if (!finder.is_body()) return best;
    const std::vector<Reading> readings = finder.readings();
    for (const Reading& reading : readings) {
        if (best.size() >= most) break;
        ScoredChart next{finder.of(reading), reading.score};
        const bool known = std::any_of(best.begin(), best.end(), [&](const ScoredChart& one) {
            return same_body(one.chart, next.chart);
        });
        if (!known) best.push_back(std::move(next));
    }
    return best;
}

}  // namespace dendraxis
