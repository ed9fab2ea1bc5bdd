// Own method: every vertex belongs to the charted bone that moves it most; soles from the foot's outermost
// positions downward, solids from how far the vertices of a bone lie from its axis.
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/body_shape.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/flat.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>
#include <utility>

namespace dendraxis {
namespace {

constexpr float k_wrist = 0.6f;            // of a forearm that ends in the hand's skin
constexpr float k_thickest_arm = 0.3f;     // of the forearm: what is wider is a sleeve, which gives
constexpr float k_counting_weight = 0.3f;  // of a vertex, for it to shape the solid of a bone
constexpr float k_left_out = 0.04f;        // of all vertices, on either side: what sticks out is no solid

struct Vertex {
    Vec3 position;                               // model space, at rest
    int bone;                                    // the charted bone that moves it most
    std::vector<std::pair<int, float>> weights;  // by charted bone
};

float nth_least(std::vector<float>& values, std::size_t nth) {
    std::nth_element(values.begin(), values.begin() + static_cast<std::ptrdiff_t>(nth), values.end());
    return values[nth];
}

float median(std::vector<float>& values) {
    return nth_least(values, (values.size() - 1) / 2);
}

// From where to where most values lie: as many are left out above as below, so that what is symmetric stays
// so.
std::pair<float, float> range_of(std::vector<float>& values) {
    const auto left_out = static_cast<std::size_t>(k_left_out * static_cast<float>(values.size() - 1));
    const float low = nth_least(values, left_out);
    return {low, nth_least(values, values.size() - 1 - left_out)};
}

class ShapeFitter {
 public:
    ShapeFitter(const Character& character, const Chart& chart)
        : chart_(chart), rest_(rest_in_model_space(chart.skeleton)), owner_(rest_.size(), k_no_bone) {
        for (const Chain& chain : chart.chains) {
            for (const int bone : chain.bones) owner_[static_cast<std::size_t>(bone)] = bone;
        }
        if (chart.hips != k_no_bone) owner_[static_cast<std::size_t>(chart.hips)] = chart.hips;
        for (std::size_t i = 0; i < owner_.size(); ++i) {
            const int parent = chart.skeleton.bones()[i].parent;
            if (owner_[i] == k_no_bone && parent != k_no_bone)
                owner_[i] = owner_[static_cast<std::size_t>(parent)];
        }
        gather(character);
    }

    BodyShape fit() {
        BodyShape shape;
        for (const Chain& chain : chart_.chains) {
            if (chain.role() == ChainRole::leg && !chain.bones.empty()) shape.soles.push_back(sole(chain));
            if (chain.role() == ChainRole::arm && chain.bones.size() >= 2) shape.arms.push_back(arm(chain));
        }
        add_solids(shape.solids);
        return shape;
    }

 private:
    Vec3 head(int bone) const { return rest_[static_cast<std::size_t>(bone)].translation; }
    float height(const Vec3& position) const { return position.dot(chart_.up); }
    Vec3 level(const Vec3& v) const { return v - height(v) * chart_.up; }
    Vec3 in_bone(int bone, const Vec3& position) const {
        return rest_[static_cast<std::size_t>(bone)].rotation.conjugate() * (position - head(bone));
    }

    void gather(const Character& character) {
        std::vector<Affine> matrices(rest_.size());
        to_model_matrices(chart_.skeleton, rest_pose(chart_.skeleton), matrices);
        std::vector<Vec3> positions;
        for (const SkinnedMesh& mesh : character.meshes) {
            positions.resize(mesh.positions.size());
            deform(mesh, matrices, positions);
            for (std::size_t v = 0; v < positions.size(); ++v) {
                Vertex vertex{positions[v], k_no_bone, {}};
                for (std::size_t k = 0; k < 4; ++k) {
                    const float weight = mesh.weights[v][k];
                    const int bone = owner_[static_cast<std::size_t>(
                        mesh.bones[static_cast<std::size_t>(mesh.joints[v][k])])];
                    if (weight <= 0.0f || bone == k_no_bone) continue;
                    const auto same = std::find_if(vertex.weights.begin(), vertex.weights.end(),
                                                   [bone](const auto& w) { return w.first == bone; });
                    if (same == vertex.weights.end()) {
                        vertex.weights.emplace_back(bone, weight);
                    } else {
                        same->second += weight;
                    }
                }
                const auto most =
                    std::max_element(vertex.weights.begin(), vertex.weights.end(),
                                     [](const auto& a, const auto& b) { return a.second < b.second; });
                if (most == vertex.weights.end()) continue;
                vertex.bone = most->first;
                vertices_.push_back(std::move(vertex));
            }
        }
    }

    // ---------------------------------------------------------------- feet

    SolePoint sole_point(const Sole& sole, const Vec3& position, float toes_share) const {
        return {in_bone(sole.foot, position), in_bone(sole.toes, position), toes_share};
    }

    // Vertices of the foot, each with the toes' share; nothing where the shin holds much of it.
    std::vector<std::pair<Vec3, float>> foot_vertices(const Sole& sole, const std::vector<int>& toes) const {
        std::vector<std::pair<Vec3, float>> found;
        for (const Vertex& vertex : vertices_) {
            float on_foot = 0.0f;
            float on_toes = 0.0f;
            for (const auto& [bone, weight] : vertex.weights) {
                if (bone == sole.foot) on_foot += weight;
                if (std::find(toes.begin(), toes.end(), bone) != toes.end()) on_toes += weight;
            }
            if (on_foot + on_toes > 0.7f) found.emplace_back(vertex.position, on_toes / (on_foot + on_toes));
        }
        return found;
    }

    Sole sole(const Chain& leg) const {
        Sole sole;
        sole.leg = leg.name;
        sole.foot = leg.bones.back();
        sole.toes = sole.foot;
        std::vector<int> toes;
        if (const Chain* chain = chart_.find("toes" + leg.name.substr(3));
            chain != nullptr && !chain->bones.empty()) {
            toes = chain->bones;
            sole.toes = toes.front();
        }
        const Vec3 ankle = head(sole.foot);
        Vec3 forward = sole.toes != sole.foot ? level(head(sole.toes) - ankle) : level(chart_.facing);
        if (forward.norm() < 0.01f * chart_.height) forward = level(chart_.facing);
        forward.normalize();
        const auto found = foot_vertices(sole, toes);
        if (found.size() >= 8) {
            fit_parts(sole, found, forward);
            fit_points(sole, found, forward);
        } else {
            guess_parts(sole, forward);
        }
        return sole;
    }

    void fit_parts(Sole& sole, const std::vector<std::pair<Vec3, float>>& found, const Vec3& forward) const {
        float bottom = 1e30f;
        for (const auto& [position, share] : found) bottom = std::min(bottom, height(position));
        // The lower a vertex the more it counts, with no step anywhere: a foot that is the same but for
        // rounding must get the same parts.
        const float thick = 0.012f * chart_.height;
        float back = 1e30f;
        float front = -1e30f;
        float sum = 0.0f;
        Vec3 middle = Vec3::Zero();
        for (const auto& [position, share] : found) {
            const float over = height(position) - bottom;
            back = std::min(back, position.dot(forward) + 3.0f * over);
            front = std::max(front, position.dot(forward) - 3.0f * over);
            const float weight = std::max(0.0f, 1.0f - over / thick);
            middle += weight * position;
            sum += weight;
        }
        middle /= sum;
        const auto at = [&](float along) {
            Vec3 position = middle + (along - middle.dot(forward)) * forward;
            return Vec3(position + (bottom - height(position)) * chart_.up);
        };
        const float length = front - back;
        const float ball = sole.toes == sole.foot ? back + 0.68f * length
                                                  : std::clamp(head(sole.toes).dot(forward), back, front);
        const float heel = std::min(back + 0.08f * length, ball);
        const float tip = std::max(front - 0.06f * length, ball);
        sole.parts[k_heel] = sole_point(sole, at(heel), 0.0f);
        // The ball lies under the toes' joint: while the heel rises it stays on the floor with the toes.
        const float on_toes = sole.toes == sole.foot ? 0.0f : 1.0f;
        sole.parts[k_ball] = sole_point(sole, at(ball), on_toes);
        sole.parts[k_tip] = sole_point(sole, at(tip), on_toes);
    }

    // The outermost vertices in downward directions: whichever way the foot rolls, one of them is the lowest.
    void fit_points(Sole& sole, const std::vector<std::pair<Vec3, float>>& found, const Vec3& forward) const {
        const Vec3 side = chart_.up.cross(forward);
        std::vector<std::size_t> chosen;
        for (const bool on_toes : {false, true}) {
            for (int pitch = -75; pitch <= 75; pitch += 15) {
                for (int roll = -30; roll <= 30; roll += 30) {
                    const float p = static_cast<float>(pitch) / k_degrees;
                    const float r = static_cast<float>(roll) / k_degrees;
                    const Vec3 down =
                        -std::cos(p) * std::cos(r) * chart_.up + std::sin(p) * forward + std::sin(r) * side;
                    std::size_t best = found.size();
                    for (std::size_t i = 0; i < found.size(); ++i) {
                        if ((found[i].second > 0.5f) != on_toes) continue;
                        // Of those that lie alike but for rounding always the first.
                        if (best == found.size() ||
                            down.dot(found[i].first) > down.dot(found[best].first) + 2e-5f * chart_.height)
                            best = i;
                    }
                    if (best < found.size() && std::find(chosen.begin(), chosen.end(), best) == chosen.end())
                        chosen.push_back(best);
                }
            }
        }
        for (const std::size_t i : chosen)
            sole.points.push_back(sole_point(sole, found[i].first, found[i].second));
    }

    void guess_parts(Sole& sole, const Vec3& forward) const {
        const Vec3 ankle = head(sole.foot);
        const auto on_floor = [&](const Vec3& position) {
            return Vec3(position + (chart_.rest_floor - height(position)) * chart_.up);
        };
        const float length =
            sole.toes != sole.foot ? level(head(sole.toes) - ankle).norm() : 0.08f * chart_.height;
        const float on_toes = sole.toes == sole.foot ? 0.0f : 1.0f;
        sole.parts[k_heel] = sole_point(sole, on_floor(ankle - 0.35f * length * forward), 0.0f);
        sole.parts[k_ball] = sole_point(sole, on_floor(ankle + length * forward), on_toes);
        sole.parts[k_tip] = sole_point(sole, on_floor(ankle + 1.5f * length * forward), on_toes);
        sole.points.assign(sole.parts.begin(), sole.parts.end());
    }

    // ---------------------------------------------------------------- arms

    // Half of the vertices of `bone` lie nearer to the line than this; a share of its length where there are
    // none.
    float thickness(int bone, const Vec3& from, const Vec3& to, float otherwise) const {
        const Vec3 axis = (to - from).normalized();
        std::vector<float> distances;
        for (const Vertex& vertex : vertices_) {
            if (vertex.bone != bone) continue;
            const Vec3 offset = vertex.position - from;
            distances.push_back((offset - axis * axis.dot(offset)).norm());
        }
        return distances.size() < 8 ? otherwise : median(distances);
    }

    // Where the skin of an arm without a hand ends; without skin, as far from the elbow as the shoulder is.
    Vec3 skin_end(const Chain& chain) const {
        const int forearm = chain.bones.back();
        const Vec3 elbow = head(forearm);
        Vec3 middle = Vec3::Zero();
        std::vector<Vec3> offsets;
        for (const Vertex& vertex : vertices_) {
            if (vertex.bone != forearm) continue;
            offsets.push_back(vertex.position - elbow);
            middle += offsets.back();
        }
        if (offsets.size() < 8 || middle.norm() < 1e-6f) return 2.0f * elbow - head(chain.bones.front());
        const Vec3 axis = middle.normalized();
        float farthest = 0.0f;
        for (const Vec3& offset : offsets) farthest = std::max(farthest, offset.dot(axis));
        return elbow + farthest * axis;
    }

    ArmShape arm(const Chain& chain) const {
        const bool has_hand = chain.bones.size() > 2;
        const int hand = chain.bones.back();
        const int forearm =
            has_hand ? chain.bones[std::clamp<std::size_t>(chain.lower, 1, chain.bones.size() - 2)] : hand;
        const Vec3 elbow = head(forearm);
        const Vec3 wrist = has_hand ? head(hand) : elbow + k_wrist * (skin_end(chain) - elbow);
        const float lower = (wrist - elbow).norm();
        const std::string side = chain.name.substr(chain.name.find('.'));
        // The middle of where the fingers start; without fingers, on along the forearm.
        Vec3 knuckles = Vec3::Zero();
        int fingers = 0;
        const Chain* longest = nullptr;
        for (const char* name : {"middle", "index", "ring", "little"}) {
            const Chain* finger = chart_.find(name + side);
            if (finger == nullptr || finger->bones.empty()) continue;
            if (longest == nullptr) longest = finger;
            knuckles += head(finger->bones.front());
            ++fingers;
        }
        knuckles = fingers > 0 ? Vec3(knuckles / static_cast<float>(fingers))
                               : Vec3(wrist + 0.35f * (wrist - elbow));
        const float arm_radius =
            std::min(k_thickest_arm * lower, thickness(forearm, elbow, wrist, 0.17f * lower));
        const float hand_radius = thickness(hand, wrist, knuckles, 0.12f * lower);
        ArmShape shape;
        shape.arm = chain.name;
        shape.probes[0] = {forearm, Vec3::Zero(), arm_radius};
        shape.probes[1] = {forearm, in_bone(forearm, elbow + 0.5f * (wrist - elbow)), arm_radius};
        shape.probes[2] = {hand, in_bone(hand, wrist), 0.9f * arm_radius};
        shape.probes[3] = {hand, in_bone(hand, wrist + 0.6f * (knuckles - wrist)), hand_radius};
        if (longest != nullptr && longest->bones.size() > 1) {
            const int bone = longest->bones[1];
            shape.probes[4] = {bone, Vec3::Zero(), 0.6f * hand_radius};
        } else {
            shape.probes[4] = {hand, in_bone(hand, knuckles), 0.8f * hand_radius};
        }
        return shape;
    }

    // ---------------------------------------------------------------- solids

    void add_solids(std::vector<Solid>& solids) const {
        const Chain* spine = chart_.find("spine");
        if (chart_.hips != k_no_bone) {
            Vec3 low = Vec3::Zero();
            int legs = 0;
            for (const Chain& chain : chart_.chains) {
                if (chain.role() != ChainRole::leg) continue;
                low += head(chain.bones.front());
                ++legs;
            }
            const Vec3 high =
                spine != nullptr && !spine->bones.empty() ? head(spine->bones.front()) : head(chart_.hips);
            low = legs > 0 ? Vec3(low / static_cast<float>(legs)) : head(chart_.hips);
            add_solid(solids, "hips", chart_.hips, 0.0f, low, high);
        }
        for (const Chain& chain : chart_.chains) {
            const bool leg = chain.role() == ChainRole::leg;
            if (!leg && chain.name != "spine" && chain.name != "head") continue;
            const std::size_t count =
                leg ? std::min<std::size_t>(2, chain.bones.size() - 1) : chain.bones.size();
            for (std::size_t i = 0; i < count; ++i) {
                const std::string part =
                    !leg ? chain.name : (i == 0 ? "thigh" : "shin") + chain.name.substr(3);
                const float share = (static_cast<float>(i) + 0.5f) / static_cast<float>(count);
                add_solid(solids, part, chain.bones[i], leg ? 0.0f : share, head(chain.bones[i]),
                          end_of(chain, i));
            }
        }
    }

    Vec3 end_of(const Chain& chain, std::size_t index) const {
        if (index + 1 < chain.bones.size()) return head(chain.bones[index + 1]);
        const Chain* next = chart_.find(chain.name == "spine" ? "neck" : "");
        if (next == nullptr && chain.name == "spine") next = chart_.find("head");
        if (next != nullptr && !next->bones.empty()) return head(next->bones.front());
        const int bone = chain.bones[index];
        if (!chart_.skeleton.children(bone).empty()) return head(chart_.skeleton.children(bone).front());
        return head(bone) + 0.1f * chart_.height * chart_.up;
    }

    void add_solid(std::vector<Solid>& solids, const std::string& part, int bone, float share,
                   const Vec3& from, const Vec3& to) const {
        Vec3 axis = to - from;
        if (axis.norm() < 0.002f * chart_.height) axis = chart_.up * 0.02f * chart_.height;
        const float length = axis.norm();
        axis /= length;
        const bool upright = part.starts_with("thigh") || part.starts_with("shin");
        Vec3 wide = chart_.up.cross(chart_.facing);
        wide = (wide - axis * axis.dot(wide)).normalized();
        const Vec3 deep = axis.cross(wide);
        std::vector<float> along;
        std::vector<float> widths;
        std::vector<float> depths;
        Vec3 middle = Vec3::Zero();
        for (const Vertex& vertex : vertices_) {
            // Where bones stand close together, skin between them is of both.
            const bool moved =
                std::any_of(vertex.weights.begin(), vertex.weights.end(), [bone](const auto& entry) {
                    return entry.first == bone && entry.second > k_counting_weight;
                });
            if (!moved) continue;
            const Vec3 offset = vertex.position - from;
            along.push_back(axis.dot(offset));
            widths.push_back(wide.dot(offset));
            depths.push_back(deep.dot(offset));
        }
        Solid solid{part, bone, share, {}};
        if (along.size() < 12) {
            const float radius = upright ? 0.18f * length : 0.065f * chart_.height;
            const float across = upright || part == "head" ? 0.0f : 0.035f * chart_.height;
            middle = from + 0.5f * length * axis;
            solid.capsule = {middle, 0.5f * length * axis, across * wide, radius};
        } else {
            const auto [a0, a1] = range_of(along);
            const auto [w0, w1] = range_of(widths);
            const auto [d0, d1] = range_of(depths);
            const float half_width = 0.5f * (w1 - w0);
            const float half_depth = 0.5f * (d1 - d0);
            const bool flat = half_width > half_depth;
            const float radius = std::min(half_width, half_depth);
            const float half_along = std::max(0.0f, 0.5f * (a1 - a0) - 0.6f * radius);
            middle = from + 0.5f * (a0 + a1) * axis + 0.5f * (w0 + w1) * wide + 0.5f * (d0 + d1) * deep;
            // Limbs are round; what is left over on the wider side counts where it is much.
            const float across = std::abs(half_width - half_depth);
            solid.capsule = {middle, half_along * axis,
                             (across > 0.15f * radius ? across : 0.0f) * (flat ? wide : deep), radius};
        }
        const Quat to_bone = rest_[static_cast<std::size_t>(bone)].rotation.conjugate();
        solid.capsule = {in_bone(bone, solid.capsule.center), to_bone * solid.capsule.along,
                         to_bone * solid.capsule.across, solid.capsule.radius};
        solids.push_back(std::move(solid));
    }

    const Chart& chart_;
    std::vector<Transform> rest_;
    std::vector<int> owner_;
    std::vector<Vertex> vertices_;
};

}  // namespace

BodyShape body_shape(const Character& character, const Chart& chart) {
    BodyShape shape = ShapeFitter(character, chart).fit();
    shape.marks = bone_marks(character);
    shape.flat_across = flat_across(character);
    if (shape.flat_across.isZero()) return shape;
    // Parts of a flat figure lie before each other so that they are drawn in order; that says nothing of it.
    const std::vector<Transform> rest = rest_in_model_space(character.skeleton);
    for (BoneMark& mark : shape.marks) {
        const Vec3 along = mark.position - rest[static_cast<std::size_t>(mark.bone)].translation;
        mark.position -= shape.flat_across.dot(along) * shape.flat_across;
    }
    return shape;
}

}  // namespace dendraxis
