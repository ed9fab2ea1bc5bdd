// Bodies on four legs, birds, and things that are no body.
#include "crowd_builder.hpp"

namespace crowd {

// Legs of three to five bones below a level trunk.
void Builder::quadruped() {
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
    neck_and_head({0, height + 0.02f, front + 0.05f},
                  {0, height + rise, front + uniform(0.15f, 0.3f) * height + 0.1f});
    const int hind_bones = count(3, 5);
    const int fore_bones = count(3, 5);
    const bool blade = count(0, 1) == 0;
    for (const float side : {1.0f, -1.0f}) {
        const std::string s = side > 0 ? ".l" : ".r";
        low_leg("hind", "leg", s, side, rear, {side * half, height - 0.05f * height, back + 0.03f},
                hind_bones, true);
        std::string holder = chest_;
        if (blade) {
            add("blade" + s, chest_, {side * 0.5f * half, height, front - 0.02f},
                {side * half, 0.8f * height, front}, 0.05f * height);
            body_.optional.insert("blade" + s);
            holder = "blade" + s;
        }
        low_leg("fore", "arm", s, side, holder, {side * half, 0.78f * height, front}, fore_bones, false);
    }
    tail(rear, {0, height + 0.02f, back - 0.1f * height}, {0, -0.1f * height, -uniform(0.2f, 0.8f) * height},
         count(1, 6));
    body_.facing = Vec3::UnitZ();
}

void Builder::low_leg(const std::string& word, const std::string& key, const std::string& s, float side,
                      const std::string& holder, const Vec3& start, int bones, bool hind) {
    std::string parent = holder;
    const std::string chain = key + (side > 0 ? ".left" : ".right");
    const float zig = 0.12f * start.y();
    for (int i = 0; i < bones; ++i) {
        const auto at = [&](int k) {
            const float t = static_cast<float>(k) / static_cast<float>(bones);
            const float z = k == 0 || k + 1 >= bones ? 0.0f : (k % 2 == (hind ? 1 : 0) ? zig : -zig);
            return Vec3(start.x(), start.y() * (1.0f - t) + (k == bones ? 0.0f : 0.01f),
                        start.z() + z + (k == bones ? 0.06f * start.y() : 0.0f));
        };
        const std::string label = word + std::to_string(i) + s;
        add(label, parent, at(i), at(i + 1), 0.06f * start.y());
        charted(chain, label);
        parent = label;
    }
}

void Builder::bird() {
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
        add("wing1" + s, "wing0" + s, wing + Vec3(side * 0.15f, 0.02f, 0),
            wing + Vec3(side * 0.33f, 0, -0.03f), 0.025f);
        add("wing2" + s, "wing1" + s, wing + Vec3(side * 0.33f, 0, -0.03f),
            wing + Vec3(side * 0.5f, 0, -0.06f), 0.02f);
        // Without names a bird's wings may be read as its arms.
        for (const char* bone : {"wing0", "wing1", "wing2"})
            charted(side > 0 ? "wing.left" : "wing.right", bone + s);
    }
    tail("hips", {0, height, -0.05f}, {0, 0.0f, -0.18f}, count(1, 2));
    body_.facing = Vec3::UnitZ();
}

// What is no body: a snake, tentacles around a bell, a fork, a fish, a table, a crane, a spider.
void Builder::thing() {
    const int which = count(0, 6);
    const auto row = [&](const std::string& stem, std::string above, const Vec3& from, const Vec3& direction,
                         int bones, float radius) {
        for (int i = 0; i < bones; ++i) {
            const float step = 1.0f / static_cast<float>(bones);
            const std::string label = stem + std::to_string(i);
            add(label, above, from + direction * (step * static_cast<float>(i)),
                from + direction * (step * static_cast<float>(i + 1)), radius);
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
            row("t" + std::to_string(i) + "_", "bell", Vec3(0, 0.6f, 0) + 0.1f * out,
                Vec3(0, -0.55f, 0) + 0.2f * out, 4, 0.02f);
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
    if (which == 4)
        row("lid", row("box", "", {0, 0, 0}, {0, 0.3f, 0}, 1, 0.3f), {0, 0.3f, -0.2f}, {0, 0.05f, 0.4f}, 1,
            0.2f);
    if (which == 5)
        row("boom", row("mast", "", {0, 0, 0}, {0, 1, 0}, 2, 0.1f), {0, 1, 0}, {0.1f, 0.4f, 1.0f}, 3, 0.06f);
    if (which == 6) {
        add("belly", "", {0, 0.3f, 0}, {0, 0.32f, 0.2f}, 0.15f);
        for (int i = 0; i < 4; ++i) {
            for (const float side : {1.0f, -1.0f}) {
                const float z = 0.15f - 0.1f * static_cast<float>(i);
                const std::string stem = "leg" + std::to_string(i) + (side > 0 ? ".l" : ".r");
                const std::string knee =
                    row(stem + "a", "belly", {side * 0.1f, 0.3f, z}, {side * 0.2f, 0.15f, z}, 1, 0.02f);
                row(stem + "b", knee, {side * 0.3f, 0.45f, 2 * z}, {side * 0.2f, -0.44f, z}, 2, 0.02f);
            }
        }
    }
    body_.facing = Vec3::UnitZ();
}

}  // namespace crowd
