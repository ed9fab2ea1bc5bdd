// Bones of the target that hang elsewhere in the file than in the body go with what they hang on; parts of
// the body that the hips hang on in the file go where the hips go.
#pragma once

#include <dendraxis/chart/pairing.hpp>

#include <span>
#include <vector>

namespace dendraxis::detail {

struct AttachProgram {
    struct Step {
        int bone = k_no_bone;
        int holder = k_no_bone;
        Vec3 at = Vec3::Zero();  ///< the bone's head in the holder's frame at rest, metres
        Quat turn = Quat::Identity();
        bool turns = false;     ///< it is turned by nothing else
        std::vector<int> kept;  ///< what is turned by something else and hangs on it
    };
    std::vector<Step> steps;  ///< what others hang on first
    int hips = k_no_bone;
    Vec3 hips_rest = Vec3::Zero();  ///< local
    int carrier = k_no_bone;        ///< `BodyTree::carrier`

    bool is_empty() const { return steps.empty() && carrier == k_no_bone; }
};

/// Nothing where source and target are one build: there every bone goes where the source's goes.
AttachProgram compile_attachments(const Pairing& pairing);

/// Corrects a local pose of the target. Never allocates or throws.
void attach(const AttachProgram& program, const Skeleton& skeleton, std::span<Transform> pose) noexcept;

}  // namespace dendraxis::detail
