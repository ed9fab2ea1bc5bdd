// A stroll as a capture system writes it: hips at the origin at rest, inches, the T stance in frame 0, joints
// in one place, fingers without names.
#include "motions.hpp"
#include "people.hpp"

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>

namespace harbour {
namespace {

using dendraxis::Transform;

// From the hips; `LHipJoint` and `LowBack` are where the hips are.
const std::vector<Joint> k_capture_plan = {
    {"Hips", "", {0, 0, 0}},
    {"HipJoint{}", "Hips", {0, 0, 0}},
    {"UpLeg{}", "HipJoint{}", {0.092f, -0.055f, 0.0f}},
    {"LowLeg{}", "UpLeg{}", {0.092f, -0.475f, 0.012f}},
    {"Foot{}", "LowLeg{}", {0.092f, -0.875f, -0.015f}},
    {"ToeBase{}", "Foot{}", {0.095f, -0.945f, 0.115f}},
    {"ToeEnd{}", "ToeBase{}", {0.095f, -0.945f, 0.185f}},
    {"LowBack", "Hips", {0, 0, 0}},
    {"Back", "LowBack", {0, 0.13f, -0.01f}},
    {"Chest", "Back", {0, 0.27f, -0.02f}},
    {"Neck", "Chest", {0, 0.50f, -0.01f}},
    {"Head", "Neck", {0, 0.58f, 0.01f}},
    {"HeadEnd", "Head", {0, 0.78f, 0.01f}},
    {"Collar{}", "Chest", {0.02f, 0.44f, -0.01f}},
    {"UpArm{}", "Collar{}", {0.17f, 0.45f, -0.02f}},
    {"LowArm{}", "UpArm{}", {0.455f, 0.45f, -0.025f}},
    {"Hand{}", "LowArm{}", {0.71f, 0.45f, -0.02f}},
    {"fingers{}", "Hand{}", {0.71f, 0.45f, -0.02f}},
    {"fingertips{}", "fingers{}", {0.80f, 0.45f, -0.02f}},
    {"thumb{}", "Hand{}", {0.73f, 0.44f, 0.02f}},
    {"thumbtip{}", "thumb{}", {0.77f, 0.43f, 0.06f}},
};

}  // namespace

dendraxis::Character make_capture() {
    dendraxis::Character capture;
    capture.name = "capture";
    capture.skeleton = build_skeleton(mirrored(k_capture_plan, "L", "R"), 1, {});
    // Joints of a capture have no axes of their own.
    std::vector<dendraxis::Bone> bones(capture.skeleton.bones().begin(), capture.skeleton.bones().end());
    const auto model = dendraxis::rest_in_model_space(capture.skeleton);
    for (std::size_t i = 0; i < bones.size(); ++i) {
        bones[i].rest.rotation.setIdentity();
        bones[i].rest.translation = model[i].translation;
        if (bones[i].parent != dendraxis::k_no_bone)
            bones[i].rest.translation -= model[static_cast<std::size_t>(bones[i].parent)].translation;
    }
    capture.skeleton = dendraxis::Skeleton(bones);

    const dendraxis::Character diver = make_diver();
    const dendraxis::Clip stroll = make_stroll(diver.skeleton, true);
    const dendraxis::Transfer transfer(dendraxis::pair(dendraxis::chart(diver), dendraxis::chart(capture)));
    dendraxis::Clip walk = transfer.apply(stroll);
    // The floor of the captured room is at height 0; the rest is not on it.
    const dendraxis::Chart chart = dendraxis::chart(capture);
    for (std::size_t f = 0; f < walk.frame_count(); ++f)
        walk.frame(f)[0].translation -= chart.rest_floor * chart.up;
    std::vector<Transform> first = dendraxis::rest_pose(capture.skeleton);
    first[0].translation = walk.frame(0)[0].translation;
    walk.transforms.insert(walk.transforms.begin(), first.begin(), first.end());
    walk.name = "capture";
    capture.clips = {walk};
    return capture;
}

}  // namespace harbour
