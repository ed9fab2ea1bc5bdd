// A hand, or an arm with its hand, that stands alone. Left or right is told by shape: fingers, thumb and the
// side of the palm that fingers curl to make a frame that is the mirror image of the other hand's.
#include "charter.hpp"
#include "digits.hpp"

#include <algorithm>

namespace dendraxis::detail {
namespace {

constexpr std::size_t k_least_digits = 3;
constexpr float k_image = 0.03f;  // of the size: how far a limb's joints are off the other's mirror image

class LoneHand {
 public:
    LoneHand(const Body& body, Chart& chart) : body_(body), chart_(chart) {}

    bool run() {
        const int hand = find_hand();
        if (hand == k_no_bone || is_part_of_a_body(hand)) return false;
        float sureness = 0.0f;
        const auto digits = digits_by_shape(body_, hand, digits_of(body_, hand), sureness);
        if (!digits.contains("thumb")) return false;
        const float sided = handedness(hand, digits);
        const Side side = sided != 0.0f ? (sided < 0.0f ? Side::left : Side::right) : said_side_of(hand);
        if (side == Side::none) return false;
        const Reading reading;
        const std::vector<Reading> others;
        Charter charter{body_, reading, others, 1.0f, chart_};
        std::vector<int> arm{hand};
        for (int bone = body_.hangs_on(hand); bone != k_no_bone; bone = body_.hangs_on(bone)) {
            if (!body_.has_skin || body_.mass_of(bone) > 0.0f) arm.insert(arm.begin(), bone);
        }
        const std::size_t lower = arm.size() < 2 ? 0 : arm.size() - 2;
        charter.add("arm." + std::string(to_string(side)), arm, 0.92f,
                    {"several digits on one bone, and no body"});
        if (chart_.chains.empty()) return false;
        chart_.chains.back().lower = lower;
        chart_digits(charter, hand, side, 0.92f);
        return true;
    }

 private:
    // The bone with the most digits: rows of two to four bones that begin near it, alike in length.
    int find_hand() const {
        int best = k_no_bone;
        std::size_t most = k_least_digits;
        for (int bone = 0; bone < static_cast<int>(body_.count()); ++bone) {
            if (!body_.lives(bone)) continue;
            const std::vector<Digit> digits = digits_of(body_, bone);
            if (digits.size() > 6) continue;
            float longest = 0.0f;
            float shortest = 1e30f;
            bool rows = true;
            for (const Digit& digit : digits) {
                float length = (body_.end(digit.bones.back()) - body_.at(digit.bones.back())).norm();
                for (std::size_t i = 1; i < digit.bones.size(); ++i)
                    length += body_.distance(digit.bones[i - 1], digit.bones[i]);
                longest = std::max(longest, length);
                shortest = std::min(shortest, length);
                rows = rows && digit.bones.size() >= 2 && digit.bones.size() <= 5;
            }
            if (digits.size() > most && rows && shortest > 0.3f * longest && point_one_way(digits)) {
                most = digits.size();
                best = bone;
            }
        }
        return best;
    }

    // Fingers point one way, the thumb not against them; limbs of a body point to all sides.
    bool point_one_way(const std::vector<Digit>& digits) const {
        std::vector<Vec3> directions;
        Vec3 sum = Vec3::Zero();
        for (const Digit& digit : digits) {
            directions.push_back(
                (body_.end(digit.bones.back()) - body_.at(digit.bones.front())).normalized());
            sum += directions.back();
        }
        const Vec3 mean = sum.normalized();
        const auto along = std::count_if(directions.begin(), directions.end(),
                                         [&](const Vec3& direction) { return direction.dot(mean) > 0.8f; });
        return static_cast<std::size_t>(along) + 1 >= digits.size() &&
               std::all_of(directions.begin(), directions.end(),
                           [&](const Vec3& direction) { return direction.dot(mean) > 0.0f; });
    }

    // Whether anything pairs that is no digit of the hand, or all of it does, as no hand's digits do.
    bool is_part_of_a_body(int hand) const {
        const bool has_more = std::any_of(body_.branches.begin(), body_.branches.end(), [&](const Branch& b) {
            return !body_.hangs_below(b.holder == k_no_bone ? b.path.front() : b.holder, hand);
        });
        return has_more || std::all_of(body_.branches.begin(), body_.branches.end(),
                                       [&](const Branch& b) { return is_mirrored(b); });
    }

    bool is_mirrored(const Branch& branch) const {
        if (branch.partner == -1) return false;
        const Branch& other = body_.branches[static_cast<std::size_t>(branch.partner)];
        const auto off = [&](const Vec3& point, const Vec3& image) {
            const float aside = 2.0f * (body_.lateral.dot(point) - body_.middle_plane);
            return (point - aside * body_.lateral - image).norm();
        };
        return off(body_.at(branch.path.front()), body_.at(other.path.front())) < k_image * body_.size &&
               off(branch.tip, other.tip) < k_image * body_.size;
    }

    // Right hands give a positive triple product of fingers, palm and thumb; left hands a negative one.
    float handedness(int hand, const std::map<std::string, std::vector<int>>& digits) const {
        Vec3 along = Vec3::Zero();
        Vec3 curl = Vec3::Zero();
        for (const auto& [name, bones] : digits) {
            if (name == "thumb") continue;
            const Vec3 first = (body_.at(bones[1]) - body_.at(bones[0])).normalized();
            // Joints tell the curl better than the flesh of a last bone.
            const Vec3 last = bones.size() > 2 ? body_.at(bones.back()) - body_.at(bones[bones.size() - 2])
                                               : body_.end(bones.back()) - body_.at(bones.back());
            if (last.norm() < 1e-9f) continue;
            along += first;
            curl += last.normalized() - first;
        }
        const auto& thumb = digits.at("thumb");
        const Vec3 out = body_.end(thumb.back()) - body_.at(hand);
        const Vec3 fingers = along.normalized();
        // The thumb stands to the palm's side too, where fingers are straight.
        Vec3 palm = curl - fingers * fingers.dot(curl);
        if (palm.norm() < 0.02f * static_cast<float>(digits.size())) return 0.0f;
        const Vec3 across = out - fingers * fingers.dot(out);
        return fingers.cross(palm.normalized()).dot(across.normalized());
    }

    Side said_side_of(int hand) const {
        int said = 0;
        for (const int bone : hanging_from(body_, hand)) {
            if (body_.name(bone).side == Side::left) ++said;
            if (body_.name(bone).side == Side::right) --said;
        }
        return said > 0 ? Side::left : said < 0 ? Side::right : Side::none;
    }

    const Body& body_;
    Chart& chart_;
};

}  // namespace

bool chart_lone_hand(const Body& body, Chart& chart) {
    return LoneHand(body, chart).run();
}

}  // namespace dendraxis::detail
