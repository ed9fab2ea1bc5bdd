#include "crowd_builder.hpp"

namespace crowd {
namespace {

std::vector<std::string> without(const std::vector<std::string>& bones,
                                 const std::set<std::string>& optional) {
    std::vector<std::string> result;
    for (const std::string& bone : bones) {
        if (!optional.contains(bone)) result.push_back(bone);
    }
    return result;
}

}  // namespace

Body plain_body(unsigned number, Kind kind, Names names, const Oddities& forced) {
    return Builder(number, kind, names, forced).build();
}

Body make_body(unsigned number, const Oddities& forced) {
    std::mt19937 random(number);
    const auto chance = [&](int of) { return std::uniform_int_distribution<int>(0, of - 1)(random) == 0; };
    Oddities odd = forced;
    for (bool Oddities::*flag : {&Oddities::hip_pieces,   &Oddities::second_thighs,  &Oddities::twist_halves,
                                 &Oddities::twist_leaves, &Oddities::goals,          &Oddities::feet_on_root,
                                 &Oddities::loose_roots,  &Oddities::doubled_joints, &Oddities::control_hips,
                                 &Oddities::sword,        &Oddities::cape,           &Oddities::skirt,
                                 &Oddities::hair,         &Oddities::face,           &Oddities::ears,
                                 &Oddities::tail,         &Oddities::pelvis_origin,  &Oddities::hard,
                                 &Oddities::ends,         &Oddities::palm_bones,     &Oddities::posed,
                                 &Oddities::uneven,       &Oddities::many_roots,     &Oddities::chest_root,
                                 &Oddities::flat_fingers, &Oddities::nose,           &Oddities::wings,
                                 &Oddities::hat,          &Oddities::shield,         &Oddities::dress,
                                 &Oddities::two_spines,   &Oddities::long_ears}) {
        odd.*flag = odd.*flag || chance(7);
    }
    odd.block = odd.block || chance(8);
    odd.no_skin = !odd.block && (odd.no_skin || chance(6));
    if (odd.hard) odd.goals = odd.feet_on_root = false;      // nothing would tell where hands and feet belong
    if (odd.no_skin) odd.hair = odd.hat = odd.nose = false;  // nothing would tell them from a head
    const int drawn = std::uniform_int_distribution<int>(0, 9)(random);
    const Kind kind = drawn < 5   ? Kind::biped
                      : drawn < 8 ? Kind::quadruped
                      : drawn < 9 ? Kind::bird
                                  : Kind::none;
    const auto names = static_cast<Names>(std::uniform_int_distribution<int>(0, 3)(random));
    return Builder(number, kind, names, odd).build();
}

int by_label(const dendraxis::Skeleton& skeleton, const std::string& label) {
    int bone = 0;
    while (skeleton.bone(bone).label != label) ++bone;
    return bone;
}

Score judge(const Body& body, const dendraxis::Chart& chart) {
    std::map<std::string, std::vector<std::string>> got;
    std::map<std::string, float> sure;
    const auto bones_of = [&](const dendraxis::Chain& chain) {
        std::vector<std::string> bones;
        for (const int bone : chain.bones) bones.push_back(chart.skeleton.bone(bone).label);
        return bones;
    };
    const auto key_of = [&](std::string name) {
        for (const auto& [from, to] :
             std::map<std::string, std::string>{{"leg.front.", "arm."}, {"leg.back.", "leg."}}) {
            if (name.starts_with(from)) name = to + name.substr(from.size());
        }
        return name;
    };
    for (const dendraxis::Chain& chain : chart.chains) {
        if (chain.name.starts_with("toes")) continue;
        got[key_of(chain.name)] = bones_of(chain);
        sure[key_of(chain.name)] = chain.confidence;
    }
    for (const dendraxis::Chain& chain : chart.chains) {
        if (!chain.name.starts_with("toes")) continue;
        const std::vector<std::string> more = bones_of(chain);
        std::vector<std::string>& leg = got[key_of("leg" + chain.name.substr(4))];
        leg.insert(leg.end(), more.begin(), more.end());
    }
    Score score;
    for (const auto& [name, bones] : body.chains) {
        ++score.all;
        std::vector<std::string> own = got.contains(name) ? got[name] : std::vector<std::string>{};
        const bool bird_wing = name.starts_with("wing.") && own.empty();
        if (bird_wing) own = got["arm." + name.substr(5)];
        const bool right = without(own, body.optional) == without(bones, body.optional);
        score.right += right ? 1 : 0;
        if (!right) score.wrong.push_back(name);
        if (sure.contains(name)) score.sureness.emplace_back(sure[name], right);
    }
    for (const auto& [name, bones] : got) {
        const bool limb = name.starts_with("arm.") || name.starts_with("leg.") || name == "head";
        if (limb && !bones.empty() && !body.chains.contains(name) && body.kind != Kind::bird)
            score.made_up.push_back(name);
    }
    if (body.kind == Kind::none) {
        score.hips = score.facing = true;
        return score;
    }
    score.hips =
        chart.hips != dendraxis::k_no_bone && (body.hips.contains(chart.skeleton.bone(chart.hips).label) ||
                                               body.optional.contains(chart.skeleton.bone(chart.hips).label));
    score.facing = chart.facing.dot(body.facing) > 0.7f;
    return score;
}

Score judge_either_side(const Body& body, dendraxis::Chart chart) {
    const Score as_found = judge(body, chart);
    if (!body.odd.block || body.names == Names::good) return as_found;
    for (dendraxis::Chain& chain : chart.chains) {
        if (chain.name.ends_with(".left"))
            chain.name = chain.name.substr(0, chain.name.size() - 4) + "right";
        else if (chain.name.ends_with(".right"))
            chain.name = chain.name.substr(0, chain.name.size() - 5) + "left";
    }
    chart.facing = -chart.facing;
    const Score swapped = judge(body, chart);
    return swapped.right > as_found.right ? swapped : as_found;
}

}  // namespace crowd
