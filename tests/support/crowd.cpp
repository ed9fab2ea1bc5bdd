#include "crowd.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>
#include <random>

namespace crowd {
namespace {

using dendraxis::Quat;
using dendraxis::SkinnedMesh;
using dendraxis::Vec3;

struct Joint {
    std::string label;   // unique, says the truth
    std::string parent;  // in the file
    std::string holder;  // in the body; empty: the parent
    Vec3 place = Vec3::Zero();
    Vec3 end = Vec3::Zero();   // of its flesh
    float radius = 0.0f;       // of its flesh; 0: none
};

class Builder {
 public:
    Builder(unsigned number, Kind kind, Names names, const Oddities& odd) : random_(number * 7919u + 13u) {
        body_.kind = kind;
        body_.names = names;
        body_.odd = odd;
    }

    Body build() {
        if (body_.kind == Kind::biped) biped();
        if (body_.kind == Kind::quadruped) quadruped();
        if (body_.kind == Kind::bird) bird();
        if (body_.kind == Kind::none) thing();
        rebuild_hierarchy();
        finish();
        return std::move(body_);
    }

 private:
    float uniform(float low, float high) { return std::uniform_real_distribution<float>(low, high)(random_); }
    int count(int low, int high) { return std::uniform_int_distribution<int>(low, high)(random_); }
    const Oddities& odd() const { return body_.odd; }

    Joint& joint(const std::string& label) {
        return *std::find_if(joints_.begin(), joints_.end(), [&](const Joint& j) { return j.label == label; });
    }
    Vec3 place(const std::string& label) { return joint(label).place; }

    void add(const std::string& label, const std::string& parent, const Vec3& where, const Vec3& end, float radius) {
        joints_.push_back({label, parent, "", where, end, odd().no_skin ? 0.0f : radius});
    }

    void charted(const std::string& chain, const std::string& label) { body_.chains[chain].push_back(label); }

    static Vec3 mirrored(Vec3 v, float side) { return {side * v.x(), v.y(), v.z()}; }

    // Hips, spine, chest, neck and head of an upright body; gives the chest's label.
    void upright_trunk(float hip_height, float shoulder_height, float lean) {
        std::string parent;
        if (!odd().loose_roots && count(0, 1) == 0) {
            add("root", "", {0, 0, 0}, {0, 0, 0}, 0.0f);
            parent = "root";
        }
        const Vec3 hips(0, hip_height, 0);
        if (odd().control_hips) {
            add("control", parent, hips + Vec3(0, 0.01f, 0), hips, 0.0f);
            parent = "control";
            body_.hips.insert("control");
        }
        add("hips", parent, hips, hips + Vec3(0, 0.08f, 0), 0.15f * wide_);
        body_.hips.insert("hips");
        const int spines = count(1, 4);
        const float rise = shoulder_height - hip_height;
        parent = "hips";
        for (int i = 0; i < spines; ++i) {
            const std::string label = "spine" + std::to_string(i);
            const auto at = [&](float t) { return Vec3(0, hip_height + rise * (0.12f + 0.8f * t), lean * t); };
            const float t = static_cast<float>(i) / static_cast<float>(spines);
            add(label, parent, at(t), at(t + 1.0f / static_cast<float>(spines)), 0.14f * wide_);
            charted("spine", label);
            parent = label;
        }
        chest_ = parent;
        neck_and_head(Vec3(0, shoulder_height + 0.04f, lean), Vec3(0, shoulder_height + uniform(0.08f, 0.14f), lean + 0.02f));
    }

    void neck_and_head(const Vec3& neck, const Vec3& head) {
        std::string parent = chest_;
        const int necks = count(0, 2);
        for (int i = 0; i < necks; ++i) {
            const std::string label = "neck" + std::to_string(i);
            const Vec3 from = neck + (head - neck) * (static_cast<float>(i) / static_cast<float>(necks));
            const Vec3 to = neck + (head - neck) * (static_cast<float>(i + 1) / static_cast<float>(necks));
            add(label, parent, from, to, 0.05f);
            charted("neck", label);
            parent = label;
        }
        const float skull = uniform(0.09f, 0.14f);
        const Vec3 way = body_.kind == Kind::biped ? Vec3(0, 1, 0.15f) : Vec3(0, 0.3f, 1);
        add("head", parent, head, head + 2.0f * skull * way.normalized(), skull);
        charted("head", "head");
        if (odd().face) {
            add("jaw", "head", head + Vec3(0, 0.02f, 0.03f), head + Vec3(0, 0.01f, skull + 0.03f), 0.02f);
            for (const float side : {1.0f, -1.0f}) {
                const Vec3 eye = head + Vec3(side * 0.035f, skull, 0.8f * skull);
                add(side > 0 ? "eye.l" : "eye.r", "head", eye, eye + Vec3(0, 0, 0.02f), 0.015f);
            }
        }
        if (odd().nose) {
            std::string above = "head";
            for (int i = 0; i < 4; ++i) {
                const std::string label = "nose" + std::to_string(i);
                const Vec3 at = head + Vec3(0, 0.3f * skull - 0.12f * static_cast<float>(i), 1.2f * skull + 0.02f * static_cast<float>(i));
                add(label, above, at, at + Vec3(0, -0.12f, 0.02f), 0.04f);
                above = label;
            }
        }
        if (odd().hat) add("hat", "head", head + 1.9f * skull * way.normalized(), head + (2.0f * skull + 0.12f) * way.normalized(), 0.8f * skull);
        if (odd().ears) {
            for (const float side : {1.0f, -1.0f}) {
                const Vec3 ear = head + Vec3(side * 0.07f, 1.6f * skull, 0);
                add(side > 0 ? "ear.l" : "ear.r", "head", ear, ear + Vec3(side * 0.03f, odd().long_ears ? 0.3f : 0.09f, 0), 0.02f);
            }
        }
        if (odd().hair) {
            std::string strand = "head";
            for (int i = 0; i < 3; ++i) {
                const std::string label = "hair" + std::to_string(i);
                const Vec3 at = head + Vec3(0, skull * (1.5f - 0.9f * static_cast<float>(i)), -skull - 0.02f * static_cast<float>(i));
                add(label, strand, at, at + Vec3(0, -0.9f * skull, -0.02f), 0.025f);
                strand = label;
            }
        }
    }

    void digits(const std::string& s, float side, const Vec3& hand, const Vec3& way, const std::string& parent, float length) {
        const int fingers = fingers_;
        if (fingers == 0) return;
        const Vec3 forward(0, 0, 1);
        static const std::vector<std::vector<const char*>> k_rows{
            {}, {"middle"}, {"index", "middle"}, {"index", "middle", "ring"}, {"index", "middle", "ring", "little"}};
        const auto row = [&](const std::string& name, const Vec3& start, const Vec3& along, float finger, int joints) {
            std::string above = parent;
            if (odd().palm_bones && name != "thumb") {
                add(name + ".palm" + s, above, hand + 0.15f * (start - hand), start, 0.012f);
                body_.optional.insert(name + ".palm" + s);
                above = name + ".palm" + s;
            }
            for (int i = 0; i < joints; ++i) {
                const std::string label = name + std::to_string(i) + s;
                const Vec3 from = start + along * (finger * static_cast<float>(i) / static_cast<float>(joints)) -
                                  Vec3(0, 0.05f * finger * static_cast<float>(i * i), 0);
                add(label, above, from, from + along * (finger / static_cast<float>(joints)), 0.011f);
                charted(name + (side > 0 ? ".left" : ".right"), label);
                above = label;
            }
        };
        for (int i = 0; i < fingers; ++i) {
            const float off = fingers == 1 ? 0.0f : 0.035f - 0.07f * static_cast<float>(i) / static_cast<float>(fingers - 1);
            const float bow = 1.0f - 0.15f * std::abs(static_cast<float>(i) - 1.0f);
            row(k_rows[static_cast<std::size_t>(fingers)][static_cast<std::size_t>(i)], hand + way * (0.45f * length) + forward * off, way,
                0.55f * length * bow, 3);
        }
        if (fingers >= 1) row("thumb", hand + way * (0.12f * length) + forward * 0.03f, (0.6f * way + 0.8f * forward).normalized(), 0.4f * length, thumb_joints_);
    }

    void arm(const std::string& s, float side, float shoulder_height, float half_width, float upper, float lower, float angle, float lean) {
        const std::string to_side = side > 0 ? ".left" : ".right";
        const Vec3 shoulder(side * half_width, shoulder_height, lean);
        std::string parent = chest_;
        if (with_shoulders_) {
            add("shoulder" + s, parent, {side * 0.15f * half_width, shoulder_height - 0.01f, lean}, shoulder, 0.05f);
            charted("shoulder" + to_side, "shoulder" + s);
            parent = "shoulder" + s;
        }
        if (odd().uneven) upper *= uniform(0.93f, 1.07f), lower *= uniform(0.93f, 1.07f);
        if (odd().posed) angle += side > 0 ? -0.7f : 0.2f;
        const Vec3 way = Vec3(side * std::cos(angle), -std::sin(angle), 0.0f);
        const Vec3 bent = (way + Vec3(0, 0, odd().posed && side < 0 ? 1.2f : 0.12f)).normalized();
        const Vec3 elbow = shoulder + upper * way;
        const Vec3 wrist = elbow + lower * bent;
        const float hand = uniform(0.16f, 0.2f);
        const std::string chain = "arm" + to_side;
        if (odd().block) {
            add("upper" + s, parent, shoulder, wrist + hand * way, 0.07f);
            charted(chain, "upper" + s);
            return;
        }
        add("upper" + s, parent, shoulder, elbow, 0.05f);
        charted(chain, "upper" + s);
        parent = "upper" + s;
        if (odd().twist_halves) {
            add("upper2" + s, parent, shoulder + 0.5f * upper * way, elbow, 0.05f);
            charted(chain, "upper2" + s);
            parent = "upper2" + s;
        }
        if (odd().twist_leaves) add("twist" + s, parent, shoulder + 0.7f * upper * way, elbow, 0.04f);
        if (odd().doubled_joints) {
            add("elbow" + s, parent, elbow, elbow, 0.0f);
            parent = "elbow" + s;
            body_.optional.insert("elbow" + s);
            if (odd().no_skin) body_.optional.insert("lower" + s);  // nothing tells the two apart
        }
        add("lower" + s, parent, elbow, wrist, 0.04f);
        charted(chain, "lower" + s);
        parent = "lower" + s;
        if (odd().goals && !odd().no_skin) {
            add("goal" + s, chest_ == "spine0" ? "hips" : "spine0", wrist, wrist, 0.0f);
            parent = "goal" + s;
        }
        add("hand" + s, parent, wrist, wrist + 0.5f * hand * bent, 0.04f);
        joint("hand" + s).holder = "lower" + s;
        charted(chain, "hand" + s);
        digits(s, side, wrist, bent, "hand" + s, hand);
        if (odd().shield && side > 0) add("shield", "lower" + s, 0.5f * (elbow + wrist), 0.5f * (elbow + wrist) + Vec3(0, 0, 0.12f), 0.25f);
        if (odd().sword && side < 0)
            add("sword", "hand" + s, wrist + 0.3f * hand * bent + Vec3(0, 0, 0.05f), wrist + Vec3(0, 0, 0.9f), 0.02f);
    }

    void leg(const std::string& s, float side, float hip_height, float half_width, float thigh, float shin) {
        const std::string chain = side > 0 ? "leg.left" : "leg.right";
        const Vec3 hip(side * half_width, hip_height - 0.03f, 0);
        const float ankle_height = hip.y() - thigh - shin;
        const Vec3 knee = hip + Vec3(0, -thigh, 0.02f);
        const Vec3 ankle = Vec3(hip.x(), ankle_height, -0.02f);
        std::string parent = "hips";
        if (odd().hip_pieces) {
            add("hip" + s, parent, {0, hip_height - 0.02f, 0}, hip, 0.08f);
            body_.optional.insert("hip" + s);
            parent = "hip" + s;
        }
        if (odd().block) {
            add("thigh" + s, parent, hip, {hip.x(), 0.0f, 0.0f}, 0.08f);
            charted(chain, "thigh" + s);
            return;
        }
        add("thigh" + s, parent, hip, knee, 0.08f);
        charted(chain, "thigh" + s);
        parent = "thigh" + s;
        if (odd().second_thighs) {
            add("thigh2" + s, parent, 0.5f * (hip + knee), knee, 0.08f);
            charted(chain, "thigh2" + s);
            parent = "thigh2" + s;
        }
        if (odd().twist_leaves) add("thightwist" + s, parent, 0.4f * hip + 0.6f * knee, knee, 0.06f);
        add("shin" + s, parent, knee, ankle, 0.05f);
        charted(chain, "shin" + s);
        parent = "shin" + s;
        if (odd().feet_on_root && !odd().no_skin) parent = has("root") ? "root" : "";
        add("foot" + s, parent, ankle, Vec3(ankle.x(), 0.02f, 0.1f), 0.04f);
        joint("foot" + s).holder = "shin" + s;
        charted(chain, "foot" + s);
        if (with_toes_) {
            add("toes" + s, "foot" + s, {ankle.x(), 0.02f, 0.1f}, {ankle.x(), 0.02f, 0.18f}, 0.03f);
            charted(chain, "toes" + s);
        }
        if (odd().no_skin) body_.optional.insert("end" + s);
        if (odd().ends) add("end" + s, with_toes_ ? "toes" + s : "foot" + s, {ankle.x(), 0.02f, with_toes_ ? 0.2f : 0.16f}, Vec3::Zero(), 0.0f);
    }

    bool has(const std::string& label) const {
        return std::any_of(joints_.begin(), joints_.end(), [&](const Joint& j) { return j.label == label; });
    }

    void clothes(float hip_height, float shoulder_height) {
        if (odd().cape) {
            std::string parent = chest_;
            for (int i = 0; i < 3; ++i) {
                const std::string label = "cape" + std::to_string(i);
                const Vec3 at(0, shoulder_height - 0.3f * static_cast<float>(i), -0.17f - 0.03f * static_cast<float>(i));
                add(label, parent, at, at + Vec3(0, -0.3f, -0.03f), 0.12f);
                parent = label;
            }
        }
        if (odd().wings) {
            for (const float side : {1.0f, -1.0f}) {
                std::string parent = chest_;
                for (int i = 0; i < 3; ++i) {
                    const std::string label = "wing" + std::to_string(i) + (side > 0 ? ".l" : ".r");
                    const Vec3 at(side * (0.06f + 0.3f * static_cast<float>(i)), shoulder_height - 0.05f + 0.08f * static_cast<float>(i), -0.15f);
                    add(label, parent, at, at + Vec3(side * 0.3f, 0.08f, -0.02f), 0.05f);
                    parent = label;
                }
            }
        }
        if (odd().dress) joint("hips").end = joint("hips").place - Vec3(0, 0.75f * hip_height, 0), joint("hips").radius = 0.2f;
        if (odd().skirt) {
            for (const float side : {1.0f, -1.0f}) {
                std::string parent = "hips";
                for (int i = 0; i < 2; ++i) {
                    const std::string label = "skirt" + std::to_string(i) + (side > 0 ? ".l" : ".r");
                    const Vec3 at(side * (0.17f + 0.03f * static_cast<float>(i)), hip_height - 0.2f * static_cast<float>(i), 0.0f);
                    add(label, parent, at, at + Vec3(side * 0.03f, -0.2f, 0), 0.06f);
                    parent = label;
                }
            }
        }
    }

    void tail(const std::string& parent, const Vec3& start, const Vec3& way, int bones) {
        std::string above = parent;
        for (int i = 0; i < bones; ++i) {
            const std::string label = "tail" + std::to_string(i);
            const float step = 1.0f / static_cast<float>(bones);
            add(label, above, start + way * (step * static_cast<float>(i)), start + way * (step * static_cast<float>(i + 1)), 0.03f);
            charted("tail", label);
            above = label;
        }
    }

    void biped() {
        const float thigh = uniform(0.3f, 0.48f);
        const float shin = thigh * uniform(0.85f, 1.1f);
        const float hip = thigh + shin + 0.11f;
        const float trunk = uniform(0.4f, 0.62f);
        wide_ = uniform(0.8f, 1.3f);
        with_shoulders_ = !odd().block && count(0, 3) > 0;
        with_toes_ = count(0, 2) > 0;
        fingers_ = count(0, 4);
        thumb_joints_ = count(2, 3);
        upright_trunk(hip, hip + trunk, uniform(-0.02f, 0.05f));
        const float upper = uniform(0.22f, 0.34f);
        const float lower = upper * uniform(0.8f, 1.1f);
        const float angle = count(0, 1) == 0 ? 0.0f : uniform(0.0f, 1.3f);
        const float lean = place(chest_).z();
        for (const float side : {1.0f, -1.0f}) {
            const std::string s = side > 0 ? ".l" : ".r";
            arm(s, side, hip + trunk - 0.03f, uniform_width_ * wide_, upper, lower, angle, lean);
            leg(s, side, hip, 0.1f * wide_, thigh, shin);
        }
        clothes(hip, hip + trunk);
        if (odd().tail) tail("hips", {0, hip, -0.1f}, {0, uniform(-0.3f, 0.1f), -uniform(0.3f, 0.7f)}, count(2, 6));
        body_.facing = Vec3::UnitZ();
    }

    // Legs of three to five bones below a level trunk.
    void quadruped() {
        const float height = uniform(0.4f, 1.1f);
        const float length = height * uniform(0.9f, 1.7f);
        const float half = 0.12f * height + 0.04f;
        const float thick = 0.16f * height;
        std::string parent;
        if (count(0, 1) == 0) {
            add("root", "", {0, 0, 0}, {0, 0, 0}, 0.0f);
            parent = "root";
        }
        const float back = -0.5f * length;
        std::string rear = "hips";
        if (odd().two_spines) {
            // A bone without flesh carries both halves.
            add("hips", parent, {0, 0.8f * height, 0}, {0, height, 0}, 0.0f);
            add("rear0", "hips", {0, height, -0.05f}, {0, height, 0.5f * back}, thick);
            add("rear1", "rear0", {0, height, 0.5f * back}, {0, height, back}, thick);
            body_.optional.insert({"rear0", "rear1"});
            rear = "rear1";
        } else {
            add("hips", parent, {0, height, back}, {0, height, back + 0.2f * length}, thick);
        }
        body_.hips.insert("hips");
        const int spines = count(2, 4);
        parent = "hips";
        for (int i = 0; i < spines; ++i) {
            const std::string label = "spine" + std::to_string(i);
            const float first = odd().two_spines ? 0.02f : back + 0.15f * length;
            const float step = (0.5f * length - first) / static_cast<float>(spines);
            const float z = first + step * static_cast<float>(i);
            add(label, parent, {0, height, z}, {0, height, z + step}, thick);
            charted("spine", label);
            parent = label;
        }
        chest_ = parent;
        const float front = 0.5f * length;
        const float rise = uniform(0.1f, 0.5f) * height;
        neck_and_head({0, height + 0.02f, front + 0.05f}, {0, height + rise, front + uniform(0.15f, 0.3f) * height + 0.1f});
        const int hind_bones = count(3, 5);
        const int fore_bones = count(3, 5);
        const bool blade = count(0, 1) == 0;
        for (const float side : {1.0f, -1.0f}) {
            const std::string s = side > 0 ? ".l" : ".r";
            low_leg("hind", "leg", s, side, rear, {side * half, height - 0.05f * height, back + 0.03f}, hind_bones, true);
            std::string holder = chest_;
            if (blade) {
                add("blade" + s, chest_, {side * 0.5f * half, height, front - 0.02f}, {side * half, 0.8f * height, front}, 0.05f * height);
                body_.optional.insert("blade" + s);
                holder = "blade" + s;
            }
            low_leg("fore", "arm", s, side, holder, {side * half, 0.78f * height, front}, fore_bones, false);
        }
        tail(rear, {0, height + 0.02f, back - 0.1f * height}, {0, -0.1f * height, -uniform(0.2f, 0.8f) * height}, count(1, 6));
        body_.facing = Vec3::UnitZ();
    }

    void low_leg(const std::string& word, const std::string& key, const std::string& s, float side, const std::string& holder,
                 const Vec3& start, int bones, bool hind) {
        std::string parent = holder;
        const std::string chain = key + (side > 0 ? ".left" : ".right");
        const float zig = 0.12f * start.y();
        for (int i = 0; i < bones; ++i) {
            const auto at = [&](int k) {
                const float t = static_cast<float>(k) / static_cast<float>(bones);
                const float z = k == 0 || k + 1 >= bones ? 0.0f : (k % 2 == (hind ? 1 : 0) ? zig : -zig);
                return Vec3(start.x(), start.y() * (1.0f - t) + (k == bones ? 0.0f : 0.01f), start.z() + z + (k == bones ? 0.06f * start.y() : 0.0f));
            };
            const std::string label = word + std::to_string(i) + s;
            add(label, parent, at(i), at(i + 1), 0.06f * start.y());
            charted(chain, label);
            parent = label;
        }
    }

    void bird() {
        const float height = uniform(0.25f, 0.5f);
        wide_ = 0.6f;
        add("hips", "", {0, height, 0}, {0, height + 0.05f, 0.06f}, 0.08f);
        body_.hips.insert("hips");
        add("spine0", "hips", {0, height + 0.04f, 0.07f}, {0, height + 0.1f, 0.15f}, 0.08f);
        charted("spine", "spine0");
        chest_ = "spine0";
        neck_and_head({0, height + 0.12f, 0.17f}, {0, height + 0.22f, 0.22f});
        for (const float side : {1.0f, -1.0f}) {
            const std::string s = side > 0 ? ".l" : ".r";
            const std::string chain = side > 0 ? "leg.left" : "leg.right";
            const float x = 0.05f * side;
            add("thigh" + s, "hips", {x, 0.9f * height, 0.02f}, {x, 0.5f * height, 0.06f}, 0.02f);
            add("shin" + s, "thigh" + s, {x, 0.5f * height, 0.06f}, {x, 0.06f, 0.0f}, 0.012f);
            add("foot" + s, "shin" + s, {x, 0.05f, 0.0f}, {x, 0.01f, 0.08f}, 0.012f);
            for (const char* bone : {"thigh", "shin", "foot"}) charted(chain, bone + s);
            const Vec3 wing(side * 0.07f, height + 0.1f, 0.1f);
            add("wing0" + s, "spine0", wing, wing + Vec3(side * 0.15f, 0.02f, 0), 0.03f);
            add("wing1" + s, "wing0" + s, wing + Vec3(side * 0.15f, 0.02f, 0), wing + Vec3(side * 0.33f, 0, -0.03f), 0.025f);
            add("wing2" + s, "wing1" + s, wing + Vec3(side * 0.33f, 0, -0.03f), wing + Vec3(side * 0.5f, 0, -0.06f), 0.02f);
            // Without names a bird's wings may be read as its arms.
            for (const char* bone : {"wing0", "wing1", "wing2"}) charted(side > 0 ? "wing.left" : "wing.right", bone + s);
        }
        tail("hips", {0, height, -0.05f}, {0, 0.0f, -0.18f}, count(1, 2));
        body_.facing = Vec3::UnitZ();
    }

    // What is no body: a snake, tentacles around a bell, a fork, a fish, a table, a crane, a spider.
    void thing() {
        const int which = count(0, 6);
        const auto row = [&](const std::string& stem, std::string above, const Vec3& from, const Vec3& way, int bones, float radius) {
            for (int i = 0; i < bones; ++i) {
                const float step = 1.0f / static_cast<float>(bones);
                const std::string label = stem + std::to_string(i);
                add(label, above, from + way * (step * static_cast<float>(i)), from + way * (step * static_cast<float>(i + 1)), radius);
                above = label;
            }
            return above;
        };
        if (which == 0) row("s", "", {0, 0.05f, 0}, {0, 0, 1.5f}, count(3, 12), 0.05f);
        if (which == 1) {
            add("bell", "", {0, 0.6f, 0}, {0, 0.9f, 0}, 0.15f);
            const int arms = 2 * count(3, 5);
            for (int i = 0; i < arms; ++i) {
                const float angle = 6.2831853f * (static_cast<float>(i) + 0.5f) / static_cast<float>(arms);
                const Vec3 out(std::cos(angle), 0, std::sin(angle));
                row("t" + std::to_string(i) + "_", "bell", Vec3(0, 0.6f, 0) + 0.1f * out, Vec3(0, -0.55f, 0) + 0.2f * out, 4, 0.02f);
            }
        }
        if (which == 2) {
            const std::string post = row("p", "", {0, 0, 0}, {0, 0.6f, 0}, 2, 0.05f);
            row("up", post, {0, 0.6f, 0}, {0, 0.5f, 0}, 3, 0.04f);
            row("out", post, {0, 0.6f, 0}, {uniform(0.3f, 0.5f), 0, uniform(-0.3f, 0.3f)}, 3, 0.04f);
        }
        if (which == 3) {
            row("f", "", {0, 0.5f, 0}, {0, 0, -0.8f}, 4, 0.08f);
            row("fin.l", "f0", {0.08f, 0.45f, -0.05f}, {0.1f, -0.05f, -0.05f}, 1, 0.02f);
            row("fin.r", "f0", {-0.08f, 0.45f, -0.05f}, {-0.1f, -0.05f, -0.05f}, 1, 0.02f);
        }
        if (which == 4) row("lid", row("box", "", {0, 0, 0}, {0, 0.3f, 0}, 1, 0.3f), {0, 0.3f, -0.2f}, {0, 0.05f, 0.4f}, 1, 0.2f);
        if (which == 5) row("boom", row("mast", "", {0, 0, 0}, {0, 1, 0}, 2, 0.1f), {0, 1, 0}, {0.1f, 0.4f, 1.0f}, 3, 0.06f);
        if (which == 6) {
            add("belly", "", {0, 0.3f, 0}, {0, 0.32f, 0.2f}, 0.15f);
            for (int i = 0; i < 4; ++i) {
                for (const float side : {1.0f, -1.0f}) {
                    const float z = 0.15f - 0.1f * static_cast<float>(i);
                    const std::string stem = "leg" + std::to_string(i) + (side > 0 ? ".l" : ".r");
                    const std::string knee = row(stem + "a", "belly", {side * 0.1f, 0.3f, z}, {side * 0.2f, 0.15f, z}, 1, 0.02f);
                    row(stem + "b", knee, {side * 0.3f, 0.45f, 2 * z}, {side * 0.2f, -0.44f, z}, 2, 0.02f);
                }
            }
        }
        body_.facing = Vec3::UnitZ();
    }

    // What the file's hierarchy says differs from the body.
    void rebuild_hierarchy() {
        const bool skin = !odd().no_skin && !odd().hard;
        for (Joint& j : joints_) {
            if (j.holder.empty()) j.holder = j.parent;
        }
        if (odd().many_roots && skin) {
            for (Joint& j : joints_) {
                const std::string stem = j.label.substr(0, j.label.find('.'));
                if (stem == "head" || stem == "hand" || stem == "foot" || (stem == "spine0" && chest_ != "spine0")) j.parent = "";
            }
        }
        if (odd().chest_root && skin && has("hips") && !odd().two_spines && body_.kind != Kind::none) {
            const std::string above = joint("hips").parent;
            joint("hips").parent = chest_;
            joint("hips").holder = "spine0";
            std::string before = above;
            for (Joint& j : joints_) {
                if (j.label == "spine0") j.parent = above, j.holder = "hips";
            }
            body_.hips.insert(chest_);
            for (const std::string& bone : body_.chains["spine"]) body_.hips.insert(bone), body_.optional.insert(bone);
            if (chest_ != "spine0") body_.hips.insert("spine0");
        }
        if (odd().flat_fingers && skin) {
            for (Joint& j : joints_) {
                for (const char* finger : {"thumb", "index", "middle", "ring", "little"}) {
                    if (j.label.starts_with(finger) && j.label.size() > 2) j.parent = std::string("hand") + j.label.substr(j.label.size() - 2);
                }
            }
        }
    }

    // ---------------------------------------------------------------- the file

    std::string written_name(const Joint& joint, std::size_t index) {
        if (body_.names == Names::none) return "node" + std::to_string(100 + index * 7 % 97) + "x" + std::to_string(index);
        static const std::map<std::string, std::string> k_words{
            {"upper", "UpperArm"}, {"upper2", "UpperArmB"}, {"lower", "Forearm"}, {"hand", "Hand"}, {"thigh", "Thigh"},
            {"thigh2", "ThighB"},  {"shin", "Calf"},        {"foot", "Foot"},     {"toes", "Toes"}, {"shoulder", "Clavicle"},
            {"hips", "Pelvis"},    {"head", "Head"},        {"jaw", "Jaw"},       {"eye", "Eye"},   {"ear", "Ear"},
            {"hip", "Hip"},        {"goal", "Hand_IK"},     {"root", "Root"},     {"blade", "Shoulder"}};
        const auto dot = joint.label.find('.');
        std::string stem = joint.label.substr(0, dot == std::string::npos || joint.label.find(".palm") == dot ? joint.label.size() : dot);
        std::string side = joint.label.ends_with(".l") ? "L" : joint.label.ends_with(".r") ? "R" : "";
        const auto known = k_words.find(stem);
        std::string word = known != k_words.end() ? known->second : stem;
        if (body_.names == Names::misleading) {
            // Words of the trade in the wrong places, as rigs of many hands have them.
            static const std::map<std::string, std::string> k_wrong{
                {"head", "Neck_upper"}, {"hip", "Leg"}, {"upper", "Shoulder"}, {"thigh", "Hip"}, {"hand", "arm_tip"}, {"foot", "leg_end"},
                {"cape0", "back"}, {"hair0", "tail"}, {"sword", "arm_extra"}};
            const auto wrong = k_wrong.find(stem);
            const bool nothing_else_tells = odd().no_skin && (stem == "foot" || stem == "hand");
            if (wrong != k_wrong.end() && !nothing_else_tells) word = wrong->second;
        }
        if (body_.names == Names::sideless || side.empty()) return word;
        return word + "_" + side;
    }

    void finish() {
        if (odd().loose_roots && body_.kind != Kind::none) {
            add("pole.l", "", {0.1f, 0.5f, 0.6f}, Vec3::Zero(), 0.0f);
            add("pole.r", "", {-0.1f, 0.5f, 0.6f}, Vec3::Zero(), 0.0f);
        }
        sort_joints();
        const Vec3 origin = odd().pelvis_origin && has("hips") ? joint("hips").place : Vec3(Vec3::Zero());
        const float scale = std::pow(10.0f, uniform(-2.0f, 2.0f));
        const float quarter = 1.57079633f;
        const Quat yaw(Eigen::AngleAxisf(quarter * static_cast<float>(count(0, 3)), Vec3::UnitY()));
        const Quat up = count(0, 2) == 0 ? Quat(Eigen::AngleAxisf(quarter, Vec3::UnitX())) : Quat::Identity();
        const Quat turn = up * yaw;
        body_.facing = turn * body_.facing;
        std::vector<dendraxis::Bone> bones;
        std::vector<Quat> turns;
        for (std::size_t i = 0; i < joints_.size(); ++i) {
            Joint& j = joints_[i];
            j.place = turn * (scale * (j.place - origin));
            j.end = turn * (scale * (j.end - origin));
            j.radius *= scale;
            dendraxis::Bone bone;
            bone.name = written_name(j, i);
            bone.label = j.label;
            bone.parent = index_of(j.parent);
            const Quat own(Eigen::AngleAxisf(uniform(-3.0f, 3.0f), Vec3(uniform(-1, 1), uniform(-1, 1), 1.1f).normalized()));
            turns.push_back(own);
            if (bone.parent == dendraxis::k_no_bone) {
                bone.rest.translation = j.place;
                bone.rest.rotation = own;
            } else {
                const auto p = static_cast<std::size_t>(bone.parent);
                bone.rest.translation = turns[p].conjugate() * (j.place - joints_[p].place);
                bone.rest.rotation = turns[p].conjugate() * own;
            }
            bone.rest.scale = Vec3::Ones();
            bones.push_back(bone);
        }
        body_.character.name = "crowd";
        body_.character.skeleton = dendraxis::Skeleton(bones);
        if (!odd().no_skin) add_skin();
    }

    int index_of(const std::string& label) const {
        for (std::size_t i = 0; i < joints_.size(); ++i) {
            if (joints_[i].label == label) return static_cast<int>(i);
        }
        return dendraxis::k_no_bone;
    }

    // Parents first, else in an order that tells nothing.
    void sort_joints() {
        std::vector<Joint> waiting = std::move(joints_);
        joints_.clear();
        std::shuffle(waiting.begin(), waiting.end(), random_);
        while (!waiting.empty()) {
            for (std::size_t i = 0; i < waiting.size();) {
                if (waiting[i].parent.empty() || has(waiting[i].parent)) {
                    joints_.push_back(waiting[i]);
                    waiting.erase(waiting.begin() + static_cast<std::ptrdiff_t>(i));
                } else {
                    ++i;
                }
            }
        }
    }

    // Around each bone a tube of six sides; its ends are shared with the bones before and after it.
    void add_skin() {
        SkinnedMesh mesh;
        std::vector<Eigen::Affine3f> binds;
        const auto model = dendraxis::rest_in_model_space(body_.character.skeleton);
        for (std::size_t i = 0; i < joints_.size(); ++i) {
            mesh.bones.push_back(static_cast<int>(i));
            mesh.inverse_bind.push_back(dendraxis::to_affine(model[i]).inverse());
        }
        for (std::size_t i = 0; i < joints_.size(); ++i) {
            const Joint& j = joints_[i];
            if (j.radius <= 0.0f) continue;
            int before = index_of(j.holder.empty() ? j.parent : j.holder);
            while (before != dendraxis::k_no_bone && joints_[static_cast<std::size_t>(before)].radius <= 0.0f)
                before = index_of(joints_[static_cast<std::size_t>(before)].parent);
            const Vec3 along = (j.end - j.place).normalized();
            const Vec3 u = along.unitOrthogonal() * j.radius;
            const Vec3 v = along.cross(u);
            const auto base = static_cast<std::uint32_t>(mesh.positions.size());
            for (std::uint32_t ring = 0; ring < 4; ++ring) {
                const Vec3 middle = j.place + (j.end - j.place) * (static_cast<float>(ring) / 3.0f);
                for (std::uint32_t k = 0; k < 6; ++k) {
                    const float angle = 1.04719755f * static_cast<float>(k);
                    mesh.positions.push_back(middle + std::cos(angle) * u + std::sin(angle) * v);
                    mesh.normals.push_back((std::cos(angle) * u + std::sin(angle) * v).normalized());
                    const bool shared = ring == 0 && before != dendraxis::k_no_bone && !odd().hard;
                    mesh.joints.push_back({static_cast<std::uint16_t>(i), static_cast<std::uint16_t>(std::max(before, 0)), 0, 0});
                    mesh.weights.push_back(shared ? std::array<float, 4>{0.5f, 0.5f, 0, 0} : std::array<float, 4>{1, 0, 0, 0});
                }
            }
            for (std::uint32_t ring = 0; ring < 3; ++ring) {
                for (std::uint32_t k = 0; k < 6; ++k) {
                    const std::uint32_t a = base + 6 * ring + k;
                    const std::uint32_t b = base + 6 * ring + (k + 1) % 6;
                    mesh.triangles.push_back({a, b, a + 6});
                    mesh.triangles.push_back({b, b + 6, a + 6});
                }
            }
        }
        body_.character.meshes.push_back(std::move(mesh));
    }

    std::mt19937 random_;
    Body body_;
    std::vector<Joint> joints_;
    std::string chest_;
    float wide_ = 1.0f;
    float uniform_width_ = 0.17f;
    bool with_shoulders_ = true;
    bool with_toes_ = true;
    int fingers_ = 4;
    int thumb_joints_ = 3;
};

std::vector<std::string> without(const std::vector<std::string>& bones, const std::set<std::string>& optional) {
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
    for (bool Oddities::*flag :
         {&Oddities::hip_pieces, &Oddities::second_thighs, &Oddities::twist_halves, &Oddities::twist_leaves, &Oddities::goals,
          &Oddities::feet_on_root, &Oddities::loose_roots, &Oddities::doubled_joints, &Oddities::control_hips, &Oddities::sword,
          &Oddities::cape, &Oddities::skirt, &Oddities::hair, &Oddities::face, &Oddities::ears, &Oddities::tail,
          &Oddities::pelvis_origin, &Oddities::hard, &Oddities::ends, &Oddities::palm_bones, &Oddities::posed, &Oddities::uneven,
          &Oddities::many_roots, &Oddities::chest_root, &Oddities::flat_fingers, &Oddities::nose, &Oddities::wings, &Oddities::hat,
          &Oddities::shield, &Oddities::dress, &Oddities::two_spines, &Oddities::long_ears}) {
        odd.*flag = odd.*flag || chance(7);
    }
    odd.block = odd.block || chance(8);
    odd.no_skin = !odd.block && (odd.no_skin || chance(6));
    if (odd.hard) odd.goals = odd.feet_on_root = false;  // nothing would tell where hands and feet belong
    if (odd.no_skin) odd.hair = odd.hat = odd.nose = false;  // nothing would tell them from a head
    const int drawn = std::uniform_int_distribution<int>(0, 9)(random);
    const Kind kind = drawn < 5 ? Kind::biped : drawn < 8 ? Kind::quadruped : drawn < 9 ? Kind::bird : Kind::none;
    const auto names = static_cast<Names>(std::uniform_int_distribution<int>(0, 3)(random));
    return Builder(number, kind, names, odd).build();
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
        for (const auto& [from, to] : std::map<std::string, std::string>{{"leg.front.", "arm."}, {"leg.back.", "leg."}}) {
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
        if (limb && !bones.empty() && !body.chains.contains(name) && body.kind != Kind::bird) score.made_up.push_back(name);
    }
    if (body.kind == Kind::none) {
        score.hips = score.facing = true;
        return score;
    }
    score.hips = chart.hub != dendraxis::k_no_bone && (body.hips.contains(chart.skeleton.bone(chart.hub).label) ||
                                                       body.optional.contains(chart.skeleton.bone(chart.hub).label));
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
