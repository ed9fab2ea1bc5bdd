// Own method.
#include "attach.hpp"

#include "aim_limbs.hpp"
#include "standing.hpp"

#include <dendraxis/chart/body_tree.hpp>
#include <dendraxis/skeleton/pose.hpp>

namespace dendraxis::detail {
namespace {

// The nearest turned bones below one that is not.
std::vector<int> turned_below(const Skeleton& skeleton, int bone, const std::vector<char>& is_turned) {
    std::vector<int> found;
    for (int other = 0; other < static_cast<int>(is_turned.size()); ++other) {
        if (!is_turned[static_cast<std::size_t>(other)] || !skeleton.is_above(bone, other)) continue;
        int above = skeleton.parent(other);
        while (above != bone && !is_turned[static_cast<std::size_t>(above)]) above = skeleton.parent(above);
        if (above == bone) found.push_back(other);
    }
    return found;
}

// Gives the hips' movement to the bone that carries them, so that all between keeps its place.
void carry_hips(const AttachProgram& program, const Skeleton& skeleton, std::span<Transform> pose) {
    const Vec3 wanted = standing(skeleton, pose, program.hips).translation;
    pose[static_cast<std::size_t>(program.hips)].translation = program.hips_rest;
    const Vec3 by = wanted - standing(skeleton, pose, program.hips).translation;
    const Transform above = standing_above(skeleton, pose, program.carrier);
    pose[static_cast<std::size_t>(program.carrier)].translation +=
        inverse(above).scale.cwiseProduct(above.rotation.conjugate() * by);
}

// Turns a bone so that it stands in model space as before its ancestor was turned; `undo` is that turn taken
// back, in the ancestor's frame.
void give_back(const Skeleton& skeleton, std::span<Transform> pose, int ancestor, int bone,
               const Quat& undo) {
    Quat between = Quat::Identity();
    for (int above = skeleton.parent(bone); above != ancestor; above = skeleton.parent(above))
        between = pose[static_cast<std::size_t>(above)].rotation * between;
    Quat& local = pose[static_cast<std::size_t>(bone)].rotation;
    local = (between.conjugate() * undo * between * local).normalized();
}

}  // namespace

AttachProgram compile_attachments(const Pairing& pairing) {
    AttachProgram program;
    if (pairing.is_same_build()) return program;
    const Chart& target = pairing.target;
    const BodyTree body(target);
    std::vector<char> is_turned(target.skeleton.size(), 0);
    std::vector<char> is_brought(target.skeleton.size(), 0);
    for (const Chain& chain : target.chains) {
        if (pairing.source_of(chain) == nullptr) continue;
        for (const int bone : chain.bones) is_turned[static_cast<std::size_t>(bone)] = 1;
        // Bones of a leg are brought along by what aims and holds it, if its root is carried.
        if (chain.role() != ChainRole::leg || body.holder(chain.bones.front()) != k_no_bone ||
            !may_aim(pairing, chain))
            continue;
        for (std::size_t i = 1; i < chain.bones.size(); ++i)
            is_brought[static_cast<std::size_t>(chain.bones[i])] = 1;
    }
    const std::vector<int> same_names = namesakes(pairing);
    for (std::size_t b = 0; b < same_names.size(); ++b) {
        if (same_names[b] != k_no_bone) is_turned[b] = 1;
    }
    const std::vector<Transform> rest = rest_in_model_space(target.skeleton);
    program.hips = target.hips;
    program.hips_rest = target.skeleton.bone(target.hips).rest.translation;
    program.carrier = body.carrier();
    for (const int bone : body.order()) {
        const auto b = static_cast<std::size_t>(bone);
        if (body.holder(bone) == k_no_bone || is_brought[b]) continue;
        const Transform& holder = rest[static_cast<std::size_t>(body.holder(bone))];
        AttachProgram::Step step{bone, body.holder(bone), {}, {}, !is_turned[b], {}};
        step.at = holder.rotation.conjugate() * (rest[b].translation - holder.translation);
        step.turn = holder.rotation.conjugate() * rest[b].rotation;
        if (step.turns) step.kept = turned_below(target.skeleton, bone, is_turned);
        program.steps.push_back(step);
    }
    return program;
}

void attach(const AttachProgram& program, const Skeleton& skeleton, std::span<Transform> pose) noexcept {
    if (program.carrier != k_no_bone) carry_hips(program, skeleton, pose);
    for (const AttachProgram::Step& step : program.steps) {
        const Transform holder = standing(skeleton, pose, step.holder);
        const Transform above = standing_above(skeleton, pose, step.bone);
        Transform& bone = pose[static_cast<std::size_t>(step.bone)];
        bone.translation = dendraxis::apply(inverse(above), holder.translation + holder.rotation * step.at);
        if (!step.turns) continue;
        // What is turned already keeps its orientation: it gives back how its holder turns.
        const Quat turned = (above.rotation.conjugate() * holder.rotation * step.turn).normalized();
        const Quat undo = turned.conjugate() * bone.rotation;
        bone.rotation = turned;
        for (const int below : step.kept) give_back(skeleton, pose, step.bone, below, undo);
    }
}

}  // namespace dendraxis::detail
