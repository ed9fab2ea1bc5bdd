// Bodies of builds that few have.
#include "crowd_builder.hpp"

namespace crowd {

Body strange_body(unsigned number, Build build, Names names, bool skin) {
    Oddities odd;
    odd.no_skin = !skin;
    odd.ends = number % 2 == 1;
    return Builder(number, Kind::biped, names, odd).build(build);
}

Body Builder::build(Build build) {
    body_.facing = Vec3::UnitZ();
    switch (build) {
        case Build::theropod:
            theropod();
            break;
        case Build::crouching:
            crouching();
            break;
        case Build::short_legs:
            short_legs();
            break;
        case Build::walker:
            walker(false);
            break;
        case Build::armed_walker:
            walker(true);
            break;
        case Build::legless:
            legless();
            break;
        case Build::horse:
            horse();
            break;
        case Build::sleeves:
            person(0.95f);
            rows("", "lower.", {"sleeve0", "sleeve1", "sleeve2"},
                 {{0.55f, 1.38f, 0}, {0.56f, 1.2f, 0}, {0.57f, 1.0f, 0}, {0.57f, 0.8f, 0}}, 0.04f);
            break;
        case Build::two_people:
            person(0.95f);
            add_second(joints_, {2.2f, 0, 0}, 0.9f);
            break;
        case Build::rider: {
            Builder second(1, Kind::biped, Names::none, odd());
            second.person(0.95f);
            horse();
            add_second(second.joints_, {0, 1.2f, 0}, 0.5f);
            break;
        }
    }
    rebuild_hierarchy();
    finish();
    return std::move(body_);
}

void Builder::row(const std::string& chain, const std::string& parent, const std::vector<std::string>& labels,
                  const std::vector<Vec3>& points, float radius) {
    std::string above = parent;
    for (std::size_t i = 0; i < labels.size(); ++i) {
        add(labels[i], above, points[i], points[i + 1], radius);
        if (!chain.empty()) charted(chain, labels[i]);
        above = labels[i];
    }
}

void Builder::rows(const std::string& chain, const std::string& parent,
                   const std::vector<std::string>& labels, const std::vector<Vec3>& points, float radius) {
    for (const bool left : {true, false}) {
        const std::string letter = left ? "l" : "r";
        std::vector<std::string> own;
        for (const std::string& label : labels) own.push_back(label + "." + letter);
        std::vector<Vec3> places = points;
        for (Vec3& place : places) place.x() *= left ? 1.0f : -1.0f;
        row(chain.empty() ? "" : chain + (left ? ".left" : ".right"),
            parent.ends_with(".") ? parent + letter : parent, own, places, radius);
    }
}

void Builder::root_and_hips(const Vec3& where, const Vec3& end, float radius) {
    const bool root = count(0, 1) == 0;
    if (root) add("root", "", Vec3::Zero(), Vec3::Zero(), 0.0f);
    add("hips", root ? "root" : "", where, end, radius);
    body_.hips.insert("hips");
}

void Builder::person(float hips) {
    root_and_hips({0, hips, 0}, {0, hips + 0.1f, 0}, 0.14f);
    row("spine", "hips", {"spine0", "spine1", "spine2"},
        {{0, hips + 0.1f, 0}, {0, hips + 0.2f, 0}, {0, hips + 0.33f, 0}, {0, hips + 0.5f, 0}}, 0.14f);
    row("neck", "spine2", {"neck0"}, {{0, hips + 0.53f, 0}, {0, hips + 0.6f, 0.02f}}, 0.05f);
    row("head", "neck0", {"head"}, {{0, hips + 0.62f, 0.02f}, {0, hips + 0.85f, 0.03f}}, 0.1f);
    rows("leg", "hips", {"thigh", "shin", "foot"},
         {{0.09f, hips - 0.03f, 0}, {0.1f, 0.5f, 0.01f}, {0.1f, 0.08f, -0.02f}, {0.1f, 0.02f, 0.16f}}, 0.06f);
    rows("arm", "spine2", {"upper", "lower", "hand"},
         {{0.18f, 1.42f, 0}, {0.45f, 1.42f, -0.01f}, {0.7f, 1.42f, 0}, {0.88f, 1.42f, 0}}, 0.04f);
}

void Builder::horse() {
    root_and_hips({0, 1.5f, -0.7f}, {0, 1.5f, -0.5f}, 0.24f);
    row("spine", "hips", {"spine0", "spine1", "spine2"},
        {{0, 1.5f, -0.5f}, {0, 1.5f, -0.14f}, {0, 1.5f, 0.28f}, {0, 1.5f, 0.7f}}, 0.24f);
    row("neck", "spine2", {"neck0", "neck1"}, {{0, 1.6f, 0.78f}, {0, 1.9f, 1.0f}, {0, 2.3f, 1.2f}}, 0.12f);
    row("head", "neck1", {"head"}, {{0, 2.32f, 1.3f}, {0, 2.3f, 1.8f}}, 0.15f);
    rows("leg", "hips", {"hind0", "hind1", "hind2", "hind3"},
         {{0.18f, 1.35f, -0.7f},
          {0.18f, 0.82f, -0.55f},
          {0.18f, 0.38f, -0.88f},
          {0.18f, 0.08f, -0.78f},
          {0.18f, 0.03f, -0.55f}},
         0.09f);
    rows("arm", "spine2", {"fore0", "fore1", "fore2", "fore3"},
         {{0.18f, 1.2f, 0.7f},
          {0.18f, 0.75f, 0.55f},
          {0.18f, 0.3f, 0.7f},
          {0.18f, 0.08f, 0.7f},
          {0.18f, 0.03f, 0.85f}},
         0.09f);
    row("tail", "hips", {"tail0", "tail1", "tail2"},
        {{0, 1.5f, -0.85f}, {0, 1.2f, -0.92f}, {0, 0.9f, -0.96f}, {0, 0.6f, -1.0f}}, 0.04f);
}

void Builder::theropod() {
    root_and_hips({0, 1, 0}, {0, 1, 0.2f}, 0.2f);
    row("spine", "hips", {"spine0", "spine1", "spine2"},
        {{0, 1, 0.2f}, {0, 1.02f, 0.4f}, {0, 1.05f, 0.6f}, {0, 1.08f, 0.8f}}, 0.18f);
    row("neck", "spine2", {"neck0", "neck1"}, {{0, 1.1f, 0.82f}, {0, 1.25f, 1.0f}, {0, 1.35f, 1.1f}}, 0.1f);
    row("head", "neck1", {"head"}, {{0, 1.36f, 1.12f}, {0, 1.3f, 1.6f}}, 0.14f);
    rows("leg", "hips", {"thigh", "shin", "foot", "toes"},
         {{0.14f, 0.95f, 0},
          {0.16f, 0.6f, 0.2f},
          {0.16f, 0.3f, -0.15f},
          {0.16f, 0.05f, -0.02f},
          {0.16f, 0.02f, 0.2f}},
         0.08f);
    rows("arm", "spine2", {"upper", "lower", "hand"},
         {{0.14f, 0.95f, 0.75f}, {0.15f, 0.8f, 0.72f}, {0.15f, 0.75f, 0.85f}, {0.15f, 0.72f, 0.92f}}, 0.03f);
    tail("hips", {0, 1, -0.15f}, {0, 0, -1.5f}, 6);
}

void Builder::crouching() {
    root_and_hips({0, 0.18f, 0}, {0, 0.22f, 0.08f}, 0.08f);
    row("spine", "hips", {"spine0", "spine1"}, {{0, 0.22f, 0.08f}, {0, 0.27f, 0.16f}, {0, 0.32f, 0.24f}},
        0.1f);
    row("head", "spine1", {"head"}, {{0, 0.33f, 0.26f}, {0, 0.36f, 0.42f}}, 0.1f);
    rows("leg", "hips", {"thigh", "shin", "foot", "toes"},
         {{0.06f, 0.16f, 0},
          {0.16f, 0.14f, 0.2f},
          {0.14f, 0.05f, -0.05f},
          {0.18f, 0.02f, 0.1f},
          {0.19f, 0.01f, 0.2f}},
         0.035f);
    rows("arm", "spine1", {"upper", "lower", "hand"},
         {{0.08f, 0.26f, 0.22f}, {0.13f, 0.15f, 0.18f}, {0.12f, 0.03f, 0.25f}, {0.13f, 0.01f, 0.31f}},
         0.025f);
}

void Builder::short_legs() {
    root_and_hips({0, 0.15f, 0}, {0, 0.25f, 0}, 0.15f);
    row("spine", "hips", {"spine0", "spine1"}, {{0, 0.25f, 0}, {0, 0.4f, 0}, {0, 0.55f, 0}}, 0.15f);
    row("head", "spine1", {"head"}, {{0, 0.6f, 0}, {0, 0.75f, 0.03f}}, 0.09f);
    rows("leg", "hips", {"thigh", "shin", "foot"},
         {{0.07f, 0.13f, 0}, {0.07f, 0.08f, 0.02f}, {0.07f, 0.03f, 0}, {0.08f, 0.01f, 0.1f}}, 0.03f);
    rows("arm", "spine1", {"upper", "lower", "hand"},
         {{0.15f, 0.5f, 0}, {0.2f, 0.38f, 0}, {0.22f, 0.26f, 0}, {0.23f, 0.18f, 0}}, 0.03f);
}

void Builder::walker(bool arms) {
    root_and_hips({0, 1.2f, 0}, {0, 1.3f, 0}, 0.2f);
    row("spine", "hips", {"spine0"}, {{0, 1.4f, 0}, {0, 1.8f, 0}}, 0.35f);
    rows("leg", "hips", {"thigh", "shin", "foot", "toes"},
         {{0.25f, 1.15f, 0},
          {0.3f, 0.85f, 0.25f},
          {0.3f, 0.45f, -0.2f},
          {0.3f, 0.08f, 0},
          {0.3f, 0.03f, 0.25f}},
         0.1f);
    if (arms)
        rows("arm", "spine0", {"upper", "lower", "hand"},
             {{0.4f, 1.7f, 0}, {0.5f, 1.35f, 0}, {0.5f, 1.1f, 0.3f}, {0.5f, 1.05f, 0.5f}}, 0.09f);
}

void Builder::legless() {
    root_and_hips({0, 0.95f, 0}, {0, 1.05f, 0}, 0.14f);
    row("spine", "hips", {"spine0", "spine1", "spine2"},
        {{0, 1.05f, 0}, {0, 1.15f, 0}, {0, 1.28f, 0}, {0, 1.45f, 0}}, 0.14f);
    row("neck", "spine2", {"neck0"}, {{0, 1.48f, 0}, {0, 1.55f, 0.02f}}, 0.05f);
    row("head", "neck0", {"head"}, {{0, 1.57f, 0.02f}, {0, 1.8f, 0.03f}}, 0.1f);
    rows("arm", "spine2", {"upper", "lower", "hand"},
         {{0.18f, 1.42f, 0}, {0.45f, 1.42f, -0.01f}, {0.7f, 1.42f, 0}, {0.88f, 1.42f, 0}}, 0.04f);
    row("tail", "hips", {"tail0", "tail1", "tail2", "tail3", "tail4"},
        {{0, 0.9f, -0.02f},
         {0, 0.74f, -0.08f},
         {0, 0.58f, -0.16f},
         {0, 0.42f, -0.26f},
         {0, 0.26f, -0.38f},
         {0, 0.12f, -0.52f}},
        0.12f);
}

void Builder::add_second(const std::vector<Joint>& joints, const Vec3& offset, float scale) {
    const auto marked = [](const std::string& label) {
        const auto dot = label.find('.');
        return dot == std::string::npos ? label + ".2" : label.substr(0, dot) + ".2" + label.substr(dot);
    };
    std::vector<Joint> more;
    for (Joint joint : joints) {
        if (joint.label == "root") continue;
        joint.label = marked(joint.label);
        if (joint.parent == "root" && !has("root")) joint.parent.clear();
        if (!joint.parent.empty() && joint.parent != "root") joint.parent = marked(joint.parent);
        joint.position = scale * joint.position + offset;
        joint.end = scale * joint.end + offset;
        joint.radius *= scale;
        more.push_back(joint);
    }
    joints_.insert(joints_.end(), more.begin(), more.end());
}

}  // namespace crowd
