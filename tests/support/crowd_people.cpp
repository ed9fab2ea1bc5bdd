// People: trunk, head, arms and legs of an upright body, and what it wears.
#include "crowd_builder.hpp"

namespace crowd {

Body Builder::build() {
    if (body_.kind == Kind::biped) biped();
    if (body_.kind == Kind::quadruped) quadruped();
    if (body_.kind == Kind::bird) bird();
    if (body_.kind == Kind::none) thing();
    rebuild_hierarchy();
    finish();
    return std::move(body_);
}

Joint& Builder::joint(const std::string& label) {
    return *std::find_if(joints_.begin(), joints_.end(), [&](const Joint& j) { return j.label == label; });
}

void Builder::add(const std::string& label, const std::string& parent, const Vec3& where, const Vec3& end,
                  float radius) {
    joints_.push_back({label, parent, "", where, end, odd().no_skin ? 0.0f : radius});
}

// Hips, spine, chest, neck and head of an upright body; gives the chest's label.
void Builder::upright_trunk(float hip_height, float shoulder_height, float lean) {
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
    neck_and_head(Vec3(0, shoulder_height + 0.04f, lean),
                  Vec3(0, shoulder_height + uniform(0.08f, 0.14f), lean + 0.02f));
}

void Builder::neck_and_head(const Vec3& neck, const Vec3& head) {
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
    const Vec3 direction = body_.kind == Kind::biped ? Vec3(0, 1, 0.15f) : Vec3(0, 0.3f, 1);
    add("head", parent, head, head + 2.0f * skull * direction.normalized(), skull);
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
            const Vec3 at = head + Vec3(0, 0.3f * skull - 0.12f * static_cast<float>(i),
                                        1.2f * skull + 0.02f * static_cast<float>(i));
            add(label, above, at, at + Vec3(0, -0.12f, 0.02f), 0.04f);
            above = label;
        }
    }
    if (odd().hat)
        add("hat", "head", head + 1.9f * skull * direction.normalized(),
            head + (2.0f * skull + 0.12f) * direction.normalized(), 0.8f * skull);
    if (odd().ears) {
        for (const float side : {1.0f, -1.0f}) {
            const Vec3 ear = head + Vec3(side * 0.07f, 1.6f * skull, 0);
            add(side > 0 ? "ear.l" : "ear.r", "head", ear,
                ear + Vec3(side * 0.03f, odd().long_ears ? 0.3f : 0.09f, 0), 0.02f);
        }
    }
    if (odd().hair) {
        std::string strand = "head";
        for (int i = 0; i < 3; ++i) {
            const std::string label = "hair" + std::to_string(i);
            const Vec3 at = head + Vec3(0, skull * (1.5f - 0.9f * static_cast<float>(i)),
                                        -skull - 0.02f * static_cast<float>(i));
            add(label, strand, at, at + Vec3(0, -0.9f * skull, -0.02f), 0.025f);
            strand = label;
        }
    }
}

void Builder::digits(const std::string& s, float side, const Vec3& hand, const Vec3& direction,
                     const std::string& parent, float length) {
    const int fingers = fingers_;
    if (fingers == 0) return;
    const Vec3 forward(0, 0, 1);
    static const std::vector<std::vector<const char*>> k_rows{{},
                                                              {"middle"},
                                                              {"index", "middle"},
                                                              {"index", "middle", "ring"},
                                                              {"index", "middle", "ring", "little"}};
    const auto row = [&](const std::string& name, const Vec3& start, const Vec3& along, float finger,
                         int joints) {
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
        const float off =
            fingers == 1 ? 0.0f : 0.035f - 0.07f * static_cast<float>(i) / static_cast<float>(fingers - 1);
        const float bow = 1.0f - 0.15f * std::abs(static_cast<float>(i) - 1.0f);
        row(k_rows[static_cast<std::size_t>(fingers)][static_cast<std::size_t>(i)],
            hand + direction * (0.45f * length) + forward * off, direction, 0.55f * length * bow, 3);
    }
    if (fingers >= 1)
        row("thumb", hand + direction * (0.12f * length) + forward * 0.03f,
            (0.6f * direction + 0.8f * forward).normalized(), 0.4f * length, thumb_joints_);
}

void Builder::arm(const std::string& s, float side, float shoulder_height, float half_width, float upper,
                  float lower, float angle, float lean) {
    const std::string to_side = side > 0 ? ".left" : ".right";
    const Vec3 shoulder(side * half_width, shoulder_height, lean);
    std::string parent = chest_;
    if (with_shoulders_) {
        add("shoulder" + s, parent, {side * 0.15f * half_width, shoulder_height - 0.01f, lean}, shoulder,
            0.05f);
        charted("shoulder" + to_side, "shoulder" + s);
        parent = "shoulder" + s;
    }
    if (odd().uneven) upper *= uniform(0.93f, 1.07f), lower *= uniform(0.93f, 1.07f);
    if (odd().posed) angle += side > 0 ? -0.7f : 0.2f;
    const Vec3 direction = Vec3(side * std::cos(angle), -std::sin(angle), 0.0f);
    const Vec3 bent = (direction + Vec3(0, 0, odd().posed && side < 0 ? 1.2f : 0.12f)).normalized();
    const Vec3 elbow = shoulder + upper * direction;
    const Vec3 wrist = elbow + lower * bent;
    const float hand = uniform(0.16f, 0.2f);
    const std::string chain = "arm" + to_side;
    if (odd().block) {
        add("upper" + s, parent, shoulder, wrist + hand * direction, 0.07f);
        charted(chain, "upper" + s);
        return;
    }
    add("upper" + s, parent, shoulder, elbow, 0.05f);
    charted(chain, "upper" + s);
    parent = "upper" + s;
    if (odd().twist_halves) {
        add("upper2" + s, parent, shoulder + 0.5f * upper * direction, elbow, 0.05f);
        charted(chain, "upper2" + s);
        parent = "upper2" + s;
    }
    if (odd().twist_leaves) add("twist" + s, parent, shoulder + 0.7f * upper * direction, elbow, 0.04f);
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
    if (odd().shield && side > 0)
        add("shield", "lower" + s, 0.5f * (elbow + wrist), 0.5f * (elbow + wrist) + Vec3(0, 0, 0.12f), 0.25f);
    if (odd().sword && side < 0)
        add("sword", "hand" + s, wrist + 0.3f * hand * bent + Vec3(0, 0, 0.05f), wrist + Vec3(0, 0, 0.9f),
            0.02f);
}

void Builder::leg(const std::string& s, float side, float hip_height, float half_width, float thigh,
                  float shin) {
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
    if (odd().ends)
        add("end" + s, with_toes_ ? "toes" + s : "foot" + s, {ankle.x(), 0.02f, with_toes_ ? 0.2f : 0.16f},
            Vec3::Zero(), 0.0f);
}

bool Builder::has(const std::string& label) const {
    return std::any_of(joints_.begin(), joints_.end(), [&](const Joint& j) { return j.label == label; });
}

void Builder::clothes(float hip_height, float shoulder_height) {
    if (odd().cape) {
        std::string parent = chest_;
        for (int i = 0; i < 3; ++i) {
            const std::string label = "cape" + std::to_string(i);
            const Vec3 at(0, shoulder_height - 0.3f * static_cast<float>(i),
                          -0.17f - 0.03f * static_cast<float>(i));
            add(label, parent, at, at + Vec3(0, -0.3f, -0.03f), 0.12f);
            parent = label;
        }
    }
    if (odd().wings) {
        for (const float side : {1.0f, -1.0f}) {
            std::string parent = chest_;
            for (int i = 0; i < 3; ++i) {
                const std::string label = "wing" + std::to_string(i) + (side > 0 ? ".l" : ".r");
                const Vec3 at(side * (0.06f + 0.3f * static_cast<float>(i)),
                              shoulder_height - 0.05f + 0.08f * static_cast<float>(i), -0.15f);
                add(label, parent, at, at + Vec3(side * 0.3f, 0.08f, -0.02f), 0.05f);
                parent = label;
            }
        }
    }
    if (odd().dress)
        joint("hips").end = joint("hips").position - Vec3(0, 0.75f * hip_height, 0),
        joint("hips").radius = 0.2f;
    if (odd().skirt) {
        for (const float side : {1.0f, -1.0f}) {
            std::string parent = "hips";
            for (int i = 0; i < 2; ++i) {
                const std::string label = "skirt" + std::to_string(i) + (side > 0 ? ".l" : ".r");
                const Vec3 at(side * (0.17f + 0.03f * static_cast<float>(i)),
                              hip_height - 0.2f * static_cast<float>(i), 0.0f);
                add(label, parent, at, at + Vec3(side * 0.03f, -0.2f, 0), 0.06f);
                parent = label;
            }
        }
    }
}

void Builder::tail(const std::string& parent, const Vec3& start, const Vec3& direction, int bones) {
    std::string above = parent;
    for (int i = 0; i < bones; ++i) {
        const std::string label = "tail" + std::to_string(i);
        const float step = 1.0f / static_cast<float>(bones);
        add(label, above, start + direction * (step * static_cast<float>(i)),
            start + direction * (step * static_cast<float>(i + 1)), 0.03f);
        charted("tail", label);
        above = label;
    }
}

void Builder::biped() {
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
    const float lean = position(chest_).z();
    for (const float side : {1.0f, -1.0f}) {
        const std::string s = side > 0 ? ".l" : ".r";
        arm(s, side, hip + trunk - 0.03f, uniform_width_ * wide_, upper, lower, angle, lean);
        leg(s, side, hip, 0.1f * wide_, thigh, shin);
    }
    clothes(hip, hip + trunk);
    if (odd().tail)
        tail("hips", {0, hip, -0.1f}, {0, uniform(-0.3f, 0.1f), -uniform(0.3f, 0.7f)}, count(2, 6));
    body_.facing = Vec3::UnitZ();
}

}  // namespace crowd
