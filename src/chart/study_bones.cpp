// The facts of each bone that everything else is judged by.
#include "body.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace dendraxis::detail {
namespace {

std::vector<NameReading> read_names(const Skeleton& skeleton) {
    std::vector<std::string> names;
    for (const Bone& bone : skeleton.bones()) {
        if (!bone.name.empty()) names.push_back(bone.name);
    }
    const std::size_t skipped = shared_words(names);
    std::vector<NameReading> readings;
    for (const Bone& bone : skeleton.bones()) readings.push_back(read_bone_name(bone.name, skipped));
    // `thumb_1` below `hand_left` is a left thumb.
    for (std::size_t i = 0; i < readings.size(); ++i) {
        const int parent = skeleton.bones()[i].parent;
        const bool sided = readings[i].part >= Part::shoulder && readings[i].part <= Part::toes;
        if (readings[i].side == Side::none && parent != k_no_bone && sided)
            readings[i].side = readings[static_cast<std::size_t>(parent)].side;
    }
    return readings;
}

// Places of all bones in frames spread over the clips.
void watch(const Character& character, Body& body) {
    constexpr std::size_t most_frames = 24;
    std::vector<Transform> model(body.count());
    for (const Clip& clip : character.clips) {
        const std::size_t step = std::max<std::size_t>(1, clip.frame_count() / most_frames);
        for (std::size_t f = 0; f < clip.frame_count() && clip.bone_count == body.count(); f += step) {
            to_model_space(character.skeleton, clip.frame(f), model);
            body.watched.emplace_back();
            for (const Transform& bone : model) body.watched.back().push_back(bone.translation);
        }
    }
}

// Without skin a bone weighs as much as it is long.
void weigh_by_length(Body& body) {
    for (int bone = 0; bone < static_cast<int>(body.count()); ++bone) {
        float longest = 0.0f;
        for (const int child : body.skeleton.children(bone))
            longest = std::max(longest, body.distance(bone, child));
        const auto i = static_cast<std::size_t>(bone);
        body.mass[i] = longest;
        body.middle[i] = body.position[i];
        body.roundness[i] = 0.5f;
    }
}

}  // namespace

Body study_bones(const Character& character) {
    const Skeleton& skeleton = character.skeleton;
    const std::size_t count = skeleton.size();
    Body body(skeleton);
    body.names = read_names(skeleton);
    // What the file declares goes before what its names say.
    for (const DeclaredRole& declared : character.declared) {
        body.names[static_cast<std::size_t>(declared.bone)] = read_bone_name(declared.role);
        body.declared[declared.bone] = declared.role;
    }
    for (const Transform& bone : rest_in_model_space(skeleton)) body.position.push_back(bone.translation);
    body.tip = body.position;
    body.middle = body.position;
    body.mass.assign(count, 0.0f);
    body.roundness.assign(count, 0.0f);
    body.tip_known.assign(count, 0);
    body.touching.resize(count);
    body.alive.assign(count, 1);
    body.kind.assign(count, HelperKind::unknown);
    Eigen::AlignedBox3f box;
    for (const Vec3& position : body.position) box.extend(position);
    body.size = box.sizes().maxCoeff();
    measure_flesh(character, body);
    if (!body.has_skin) weigh_by_length(body);
    watch(character, body);
    return body;
}

float Body::shared_share(int a, int b) const {
    const auto& others = touching[static_cast<std::size_t>(a)];
    const auto found = std::lower_bound(others.begin(), others.end(), b,
                                        [](const auto& entry, int bone) { return entry.first < bone; });
    if (found == others.end() || found->first != b) return 0.0f;
    return found->second / std::max(std::min(mass_of(a), mass_of(b)), 1e-20f);
}

bool Body::hangs_below(int bone, int other) const {
    while (bone != k_no_bone && bone != other) bone = hangs_on(bone);
    return bone == other;
}

int Body::main_child(int bone) const {
    // What leads on goes before an end, unless the end is far longer.
    int best = k_no_bone;
    float most = -1.0f;
    for (const int child : hanging(bone)) {
        const float length = (distance(child, bone) + reach[static_cast<std::size_t>(child)]) *
                             (hanging(child).empty() ? 0.5f : 1.0f);
        if (length > most * 1.0001f) {
            most = length;
            best = child;
        }
    }
    return best;
}

bool Body::in_trunk(int bone) const {
    return std::find(trunk.begin(), trunk.end(), bone) != trunk.end();
}

std::vector<int> hanging_from(const Body& body, int bone) {
    std::vector<int> bones{bone};
    for (std::size_t i = 0; i < bones.size(); ++i) {
        const auto& children = body.hanging(bones[i]);
        bones.insert(bones.end(), children.begin(), children.end());
    }
    return bones;
}

float name_fit(const Body& body, const std::vector<int>& bones, std::initializer_list<Part> parts) {
    float with = 0.0f;
    float against = 0.0f;
    for (const int bone : bones) {
        const Part said = body.name(bone).part;
        if (said == Part::none || said == Part::root || said == Part::grip) continue;
        if (std::find(parts.begin(), parts.end(), said) != parts.end())
            with += 1.0f;
        else
            against += 1.0f;
    }
    // One word among many nameless bones says less than names throughout.
    const float named = with + against;
    return named == 0.0f ? 0.0f : (with - against) / std::max(named, 0.5f * static_cast<float>(bones.size()));
}

std::string name_evidence(const Body& body, int bone) {
    const NameReading& reading = body.name(bone);
    if (const auto declared = body.declared.find(bone); declared != body.declared.end())
        return fmt::format("the file declares '{}' as {}", body.skeleton.bone(bone).label, declared->second);
    return fmt::format("name '{}' reads as {}{}{}", body.skeleton.bone(bone).name,
                       reading.side == Side::none ? "" : to_string(reading.side),
                       reading.side == Side::none ? "" : " ", to_string(reading.part));
}

int said_side(const Body& body, const Branch& branch) {
    int said = 0;
    for (const int bone : branch.bones) {
        if (body.name(bone).side == Side::left) ++said;
        if (body.name(bone).side == Side::right) --said;
    }
    return said;
}

}  // namespace dendraxis::detail
