// Plans a made-up body joint by joint, then makes the character of it. Shared by the files that make up the
// crowd.
#pragma once

#include "crowd.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>
#include <random>

namespace crowd {

using dendraxis::Quat;
using dendraxis::SkinnedMesh;
using dendraxis::Vec3;

struct Joint {
    std::string label;   // unique, says the truth
    std::string parent;  // in the file
    std::string holder;  // in the body; empty: the parent
    Vec3 position = Vec3::Zero();
    Vec3 end = Vec3::Zero();  // of its flesh
    float radius = 0.0f;      // of its flesh; 0: none
};

class Builder {
 public:
    Builder(unsigned number, Kind kind, Names names, const Oddities& odd) : random_(number * 7919u + 13u) {
        body_.kind = kind;
        body_.names = names;
        body_.odd = odd;
    }

    Body build();
    Body build(Build build);

 private:
    float uniform(float low, float high) { return std::uniform_real_distribution<float>(low, high)(random_); }
    int count(int low, int high) { return std::uniform_int_distribution<int>(low, high)(random_); }
    const Oddities& odd() const { return body_.odd; }

    Joint& joint(const std::string& label);
    Vec3 position(const std::string& label) { return joint(label).position; }

    void add(const std::string& label, const std::string& parent, const Vec3& where, const Vec3& end,
             float radius);

    void charted(const std::string& chain, const std::string& label) { body_.chains[chain].push_back(label); }

    // Hips, spine, chest, neck and head of an upright body; gives the chest's label.
    void upright_trunk(float hip_height, float shoulder_height, float lean);

    void neck_and_head(const Vec3& neck, const Vec3& head);

    void digits(const std::string& s, float side, const Vec3& hand, const Vec3& direction,
                const std::string& parent, float length);

    void arm(const std::string& s, float side, float shoulder_height, float half_width, float upper,
             float lower, float angle, float lean);

    void leg(const std::string& s, float side, float hip_height, float half_width, float thigh, float shin);

    bool has(const std::string& label) const;

    void clothes(float hip_height, float shoulder_height);

    void tail(const std::string& parent, const Vec3& start, const Vec3& direction, int bones);

    void biped();

    // Legs of three to five bones below a level trunk.
    void quadruped();

    void low_leg(const std::string& word, const std::string& key, const std::string& s, float side,
                 const std::string& holder, const Vec3& start, int bones, bool hind);

    void bird();

    // A row of bones through `points`, one more than labels.
    void row(const std::string& chain, const std::string& parent, const std::vector<std::string>& labels,
             const std::vector<Vec3>& points, float radius);

    // The same on the left and mirrored on the right. A parent that ends in `.` has a side, too.
    void rows(const std::string& chain, const std::string& parent, const std::vector<std::string>& labels,
              const std::vector<Vec3>& points, float radius);

    void root_and_hips(const Vec3& where, const Vec3& end, float radius);

    void person(float hips);

    void horse();

    void theropod();

    void crouching();

    void short_legs();

    void walker(bool arms);

    void legless();

    // Adds a body made the same way, its labels marked `.2`, moved and scaled.
    void add_second(const std::vector<Joint>& joints, const Vec3& offset, float scale);

    // What is no body: a snake, tentacles around a bell, a fork, a fish, a table, a crane, a spider.
    void thing();

    // What the file's hierarchy says differs from the body.
    void rebuild_hierarchy();

    // ---------------------------------------------------------------- the file

    std::string written_name(const Joint& joint, std::size_t index);

    void finish();

    int index_of(const std::string& label) const;

    // Parents first, else in an order that tells nothing.
    void sort_joints();

    // Around each bone a tube of six sides; its ends are shared with the bones before and after it.
    void add_skin();

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

}  // namespace crowd
