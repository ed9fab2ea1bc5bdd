#include <dendraxis/base/rotation.hpp>
#include <dendraxis/retarget/lost_motion.hpp>
#include <dendraxis/retarget/matched_stance.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

// Bones whose turning is carried: those of paired chains and all that is above one, hips and root
// included.
std::vector<char> carried_bones(const Pairing& pairing) {
    const Skeleton& skeleton = pairing.source.skeleton;
    std::vector<char> carried(skeleton.size(), 0);
    const auto mark = [&](int bone) {
        for (; bone != k_no_bone; bone = skeleton.parent(bone)) carried[static_cast<std::size_t>(bone)] = 1;
    };
    mark(pairing.source.hips);
    for (const ChainPair& entry : pairing.chains) {
        const Chain* chain = pairing.source.find(entry.source);
        if (chain == nullptr) continue;
        for (const int bone : chain->bones) mark(bone);  // which may hang on others than on each other
    }
    if (!pairing.is_same_build()) {
        for (const int bone : namesakes(pairing)) {
            if (bone != k_no_bone) carried[static_cast<std::size_t>(bone)] = 1;
        }
    }
    // What a twist bone does is its limb's twist, and goes with that.
    for (const Helper& helper : pairing.source.helpers) {
        if (helper.kind == HelperKind::twist) carried[static_cast<std::size_t>(helper.bone)] = 1;
    }
    return carried;
}

// Bones of limbs that are paired: what slides in them becomes their reach.
std::vector<char> limb_bones(const Pairing& pairing) {
    std::vector<char> in_limb(pairing.source.skeleton.size(), 0);
    for (const ChainPair& entry : pairing.chains) {
        const Chain* chain = pairing.source.find(entry.source);
        if (chain == nullptr || !is_limb(chain->role())) continue;
        for (const int bone : chain->bones) in_limb[static_cast<std::size_t>(bone)] = 1;
    }
    return in_limb;
}

enum class Follow : char {
    no,
    in_turns,  // its slides and sizes are dropped, as a person asked
    wholly
};

// Whether and how the target follows each bone of the source, one by one.
std::vector<Follow> follow_of(const Pairing& pairing, const Clip& clip) {
    std::vector<Follow> result(pairing.source.skeleton.size(), Follow::no);
    const std::vector<int> sources = followed_bones(pairing);
    std::vector<std::string> chain_of(sources.size());
    for (const Chain& chain : pairing.target.chains) {
        for (const int bone : chain.bones) chain_of[static_cast<std::size_t>(bone)] = chain.name;
    }
    for (std::size_t b = 0; b < sources.size(); ++b) {
        if (sources[b] == k_no_bone) continue;
        const bool dropped = static_cast<int>(b) != pairing.target.hips &&
                             static_cast<int>(b) != pairing.target.root &&
                             pairing.settings.positions_of(clip.name, chain_of[b]) == Positions::dropped;
        result[static_cast<std::size_t>(sources[b])] = dropped ? Follow::in_turns : Follow::wholly;
    }
    return result;
}

struct Swing {
    float turned = 0.0f;  // radians, from the first frame
    float slid = 0.0f;    // of the character's height
    float scaled = 0.0f;
};

Swing swing_of(const Clip& clip, std::size_t bone, float unit) {
    Swing most;
    float sine = 0.0f;  // of half the angle
    const Transform& first = clip.frame(0)[bone];
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        const Transform& now = clip.frame(f)[bone];
        sine = std::max(sine, (first.rotation.conjugate() * now.rotation).vec().norm());
        most.slid = std::max(most.slid, (now.translation - first.translation).norm() * unit);
        most.scaled = std::max(most.scaled, (now.scale - first.scale).cwiseAbs().maxCoeff());
    }
    most.turned = 2.0f * std::asin(std::min(1.0f, sine));
    return most;
}

void add(Findings& findings, const char* code, const Clip& clip, const std::vector<std::string>& bones,
         const char* message, const char* advice) {
    if (bones.empty()) return;
    std::string list = bones.front();
    for (std::size_t i = 1; i < bones.size() && i < 6; ++i) list += ", " + bones[i];
    if (bones.size() > 6) list += " and " + std::to_string(bones.size() - 6) + " more";
    findings.push_back({Severity::warning, code, clip.name, message + list, advice});
}

}  // namespace

Findings lost_motion(const Pairing& pairing, const Clip& clip) {
    const Skeleton& skeleton = pairing.source.skeleton;
    Findings findings;
    if (clip.frame_count() == 0 || clip.bone_count != skeleton.size()) return findings;
    const std::vector<char> carried = carried_bones(pairing);
    const std::vector<Transform> rest = rest_in_model_space(skeleton);
    std::vector<std::string> turning;
    std::vector<std::string> sliding;
    std::vector<std::string> scaling;
    const std::vector<char> limbs = limb_bones(pairing);
    const std::vector<Follow> followed = follow_of(pairing, clip);
    for (std::size_t i = 0; i < skeleton.size(); ++i) {
        if (followed[i] == Follow::wholly) continue;
        const Bone& bone = skeleton.bones()[i];
        const Vec3& scale = bone.parent == k_no_bone ? skeleton.above().scale
                                                     : rest[static_cast<std::size_t>(bone.parent)].scale;
        const float unit =
            pairing.source.height > 0.0f ? scale.cwiseAbs().maxCoeff() / pairing.source.height : 0.0f;
        const Swing swing = swing_of(clip, i, unit);
        if (!carried[i] && followed[i] == Follow::no && swing.turned > 1.0f / k_degrees)
            turning.push_back(fmt::format("{} ({:.0f} degrees)", bone.label, swing.turned * k_degrees));
        // What the hips and the bones above them move is carried; a bone below them that slides is not.
        const bool above_hips =
            pairing.source.hips != k_no_bone && skeleton.is_above(static_cast<int>(i), pairing.source.hips);
        const bool reaches = limbs[i] && followed[i] == Follow::no;
        if (!above_hips && !reaches && swing.slid > 0.005f)
            sliding.push_back(fmt::format("{} ({:.1f} % of the height)", bone.label, 100.0f * swing.slid));
        if (swing.scaled > 0.01f)
            scaling.push_back(fmt::format("{} (by {:.2g})", bone.label, 1.0f + swing.scaled));
    }
    add(findings, "retarget.bone-not-carried", clip, turning,
        "these bones move but belong to no paired chain: ", "check the pairing where their motion matters");
    add(findings, "retarget.slide-not-carried", clip, sliding,
        "these bones slide in their sockets, which is not carried: ",
        "bake the motion to rotations where it matters");
    add(findings, "retarget.scale-not-carried", clip, scaling,
        "these bones change size, which is not carried: ", "");
    return findings;
}

}  // namespace dendraxis
