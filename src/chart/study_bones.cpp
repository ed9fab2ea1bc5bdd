// The facts of each bone that everything else is judged by.
#include "body.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace dendraxis {
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
        if (readings[i].side == Side::none && parent != k_no_bone && sided) {
            readings[i].side = readings[static_cast<std::size_t>(parent)].side;
        }
    }
    return readings;
}

// The flesh of a bone: how much weight it has, and how far it reaches from the joint.
void measure_flesh(const Character& character, Body& body, std::vector<char>& has_flesh) {
    std::vector<Affine> matrices(body.count());
    to_model_matrices(character.skeleton, rest_pose(character.skeleton), matrices);
    struct Flesh {
        Eigen::Vector3d sum = Eigen::Vector3d::Zero();
        double weight = 0.0;
    };
    std::vector<Flesh> flesh(body.count());
    std::vector<std::vector<Vec3>> vertices(body.count());
    for (const SkinnedMesh& mesh : character.meshes) {
        body.has_skin = body.has_skin || mesh.bones.size() > 1;
        std::vector<Vec3> places(mesh.positions.size());
        deform(mesh, matrices, places);
        for (std::size_t v = 0; v < places.size(); ++v) {
            for (std::size_t k = 0; k < 4; ++k) {
                const float weight = mesh.weights[v][k];
                if (weight <= 0.0f) continue;
                const auto bone = static_cast<std::size_t>(mesh.bones[mesh.joints[v][k]]);
                body.weight[bone] += weight;
                flesh[bone].sum += static_cast<double>(weight) * places[v].cast<double>();
                flesh[bone].weight += static_cast<double>(weight);
                if (weight > 0.5f) vertices[bone].push_back(places[v]);
            }
        }
    }
    for (std::size_t i = 0; i < body.count(); ++i) {
        if (flesh[i].weight <= 0.0) continue;
        const Vec3 middle = (flesh[i].sum / flesh[i].weight).cast<float>();
        const Vec3 along = middle - body.place[i];
        if (along.norm() < 1e-6f) continue;
        float reach = along.norm();
        for (const Vec3& vertex : vertices[i])
            reach = std::max(reach, along.normalized().dot(vertex - body.place[i]));
        body.tip[i] = body.place[i] + along.normalized() * reach;
        has_flesh[i] = 1;
    }
}

// A leaf that lies on the line from its parent to a longer sibling spreads that bone's twist; so does one at
// its parent's own place.
bool lies_on_sibling_line(const Body& body, int bone) {
    const int parent = body.skeleton.parent(bone);
    if (parent == k_no_bone || !body.skeleton.children(bone).empty()) return false;
    for (const int sibling : body.skeleton.children(parent)) {
        if (sibling == bone) continue;
        const Vec3 line = body.at(sibling) - body.at(parent);
        const float length = line.norm();
        if (length < 1e-6f) continue;
        const Vec3 to = body.at(bone) - body.at(parent);
        const float along = to.dot(line) / length;
        const float off = (to - line * (along / length)).norm();
        const bool goes_on = !body.skeleton.children(sibling).empty();
        if (goes_on && along > -0.02f * length && along < 1.02f * length && off < 0.06f * length) return true;
        if (!goes_on && along > 0.15f * length && along < 0.85f * length && off < 0.03f * length) return true;
    }
    return false;
}

// Decides, leaves first, which bones take part in the body's shape.
void tell_helpers(Body& body) {
    const int count = static_cast<int>(body.count());
    std::vector<float> weight_below(body.weight);
    for (int bone = count - 1; bone >= 0; --bone) {
        const int parent = body.skeleton.parent(bone);
        if (parent != k_no_bone)
            weight_below[static_cast<std::size_t>(parent)] += weight_below[static_cast<std::size_t>(bone)];
    }
    for (int bone = count - 1; bone >= 0; --bone) {
        const auto i = static_cast<std::size_t>(bone);
        const bool leads_on =
            std::any_of(body.skeleton.children(bone).begin(), body.skeleton.children(bone).end(),
                        [&](int child) { return body.lives(child); });
        const NameKind said = body.name(bone).kind;
        bool helps = false;
        if (said == NameKind::target) helps = body.weight[i] <= 0.0f;
        if (said == NameKind::twist || lies_on_sibling_line(body, bone)) {
            helps = !leads_on;
            body.kind[i] = HelperKind::twist;
        } else if (said == NameKind::end) {
            helps = !leads_on;
        }
        if (body.name(bone).part == Part::grip) helps = !leads_on;
        if (body.has_skin && weight_below[i] <= 0.0f) helps = true;
        if (!helps) continue;
        body.alive[i] = 0;
        if (said == NameKind::target)
            body.kind[i] = HelperKind::target;
        else if (body.name(bone).part == Part::grip)
            body.kind[i] = HelperKind::prop;
        else if (said == NameKind::end)
            body.kind[i] = HelperKind::end;
    }
    // A leaf without flesh that goes on from the only bone above it ends that bone.
    for (int bone = 0; bone < count; ++bone) {
        const auto i = static_cast<std::size_t>(bone);
        const int parent = body.skeleton.parent(bone);
        if (body.lives(bone) || body.kind[i] != HelperKind::unknown || parent == k_no_bone) continue;
        if (!body.skeleton.children(bone).empty() || !body.lives(parent)) continue;
        if (body.alive_children(parent).empty() && body.skeleton.children(parent).size() == 1)
            body.kind[i] = HelperKind::end;
    }
}

// How low each leaf stays over all clips, among all leaves: what walks touches the floor most.
void watch_limb_ends(const Character& character, Body& body) {
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

}  // namespace

std::vector<int> Body::alive_children(int bone) const {
    std::vector<int> result;
    if (bone == k_no_bone) {
        for (int i = 0; i < static_cast<int>(count()); ++i) {
            if (skeleton.parent(i) == k_no_bone && lives(i)) result.push_back(i);
        }
        return result;
    }
    for (const int child : skeleton.children(bone)) {
        if (lives(child)) result.push_back(child);
    }
    return result;
}

int Body::next(int bone) const {
    // What a name puts on the limb's way goes before what it puts into the hand, then the longer way.
    const auto rank = [&](int child) {
        const Part said = name(child).part;
        if (said == Part::hand || said == Part::forearm || said == Part::foot || said == Part::shin) return 2;
        const bool finger = said >= Part::palm && said <= Part::little;
        return !finger && !alive_children(child).empty() ? 1 : 0;
    };
    int best = k_no_bone;
    std::pair<int, float> most{-1, 0.0f};
    for (const int child : alive_children(bone)) {
        const std::pair<int, float> now{
            rank(child), (at(child) - at(bone)).norm() + reach[static_cast<std::size_t>(child)]};
        if (best == k_no_bone || now > most) {
            most = now;
            best = child;
        }
    }
    return best;
}

Body study_bones(const Character& character) {
    const Skeleton& skeleton = character.skeleton;
    const std::size_t count = skeleton.size();
    Body body{.skeleton = skeleton, .names = read_names(skeleton)};
    // What the file declares goes before what its names say.
    for (const DeclaredRole& declared : character.declared) {
        body.names[static_cast<std::size_t>(declared.bone)] = read_bone_name(declared.role);
        body.declared[declared.bone] = declared.role;
    }
    body.weight.assign(count, 0.0f);
    body.alive.assign(count, 1);
    body.kind.assign(count, HelperKind::unknown);
    body.reach.assign(count, 0.0f);
    for (const Transform& bone : rest_in_model_space(skeleton)) body.place.push_back(bone.translation);
    body.tip = body.place;
    body.tip_known.assign(count, 0);
    std::vector<char> has_flesh(count, 0);
    measure_flesh(character, body, has_flesh);
    tell_helpers(body);
    for (int bone = static_cast<int>(count) - 1; bone >= 0; --bone) {
        const auto i = static_cast<std::size_t>(bone);
        const int parent = skeleton.parent(bone);
        for (const int child : skeleton.children(bone)) {
            // Without flesh a bone ends where one says so, or goes on a little the way it came.
            if (!has_flesh[i] && body.kind[static_cast<std::size_t>(child)] == HelperKind::end)
                body.tip[i] = body.at(child);
        }
        body.tip_known[i] = body.tip[i] != body.place[i];
        if (!body.tip_known[i] && parent != k_no_bone) {
            body.tip[i] += 0.5f * (body.place[i] - body.at(parent));
        }
        const int next = body.next(bone);
        body.reach[i] = next == k_no_bone ? (body.tip[i] - body.place[i]).norm()
                                          : (body.at(next) - body.at(bone)).norm() +
                                                body.reach[static_cast<std::size_t>(next)];
    }
    Eigen::AlignedBox3f box;
    for (std::size_t i = 0; i < count; ++i) {
        if (!body.alive[i]) continue;
        box.extend(body.place[i]);
        if (body.next(static_cast<int>(i)) == k_no_bone) box.extend(body.tip[i]);
    }
    body.size = box.isEmpty() ? 0.0f : box.sizes().maxCoeff();
    watch_limb_ends(character, body);
    return body;
}

float named_share(const Body& body, const std::vector<int>& bones, std::initializer_list<Part> parts) {
    if (bones.empty()) return 0.0f;
    const auto named = std::count_if(bones.begin(), bones.end(), [&](int bone) {
        return std::find(parts.begin(), parts.end(), body.name(bone).part) != parts.end();
    });
    return static_cast<float>(named) / static_cast<float>(bones.size());
}

std::string name_evidence(const Body& body, int bone) {
    const NameReading& r = body.name(bone);
    if (const auto declared = body.declared.find(bone); declared != body.declared.end()) {
        return fmt::format("the file declares '{}' as {}", body.skeleton.bone(bone).label, declared->second);
    }
    return fmt::format("name '{}' reads as {}{}{}", body.skeleton.bone(bone).name,
                       r.side == Side::none ? "" : to_string(r.side), r.side == Side::none ? "" : " ",
                       to_string(r.part));
}

}  // namespace dendraxis
