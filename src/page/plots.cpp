// What people look at over time: feet, hands, hips, joints against their ranges.
#include "parts.hpp"

#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis::page::detail {
namespace {

// A clip of one actor, in model space.
class Motion {
 public:
    Motion(const Actor& actor, const Clip& clip)
        : chart_(*actor.chart), clip_(clip), model_(clip.transforms.size()) {
        to_model_space(chart_.skeleton, clip.transforms, model_);
    }

    const Chart& chart() const { return chart_; }
    std::size_t frames() const { return clip_.frame_count(); }
    std::span<const Transform> at(std::size_t frame) const {
        return std::span(model_).subspan(frame * clip_.bone_count, clip_.bone_count);
    }

    std::vector<float> hips_height() const {
        std::vector<float> values;
        for (std::size_t f = 0; f < frames(); ++f)
            values.push_back(chart_.up.dot(hips(f)) - floor_of(chart_, clip_.name));
        return values;
    }

    std::vector<float> hips_speed() const {
        return speed([&](std::size_t f) { return hips(f); });
    }

    std::vector<float> hands_apart() const {
        std::vector<float> values;
        if (chart_.shape.arms.size() != 2) return values;
        for (std::size_t f = 0; f < frames(); ++f)
            values.push_back((position_of(chart_.shape.arms[0].palm(), at(f)) -
                              position_of(chart_.shape.arms[1].palm(), at(f)))
                                 .norm());
        return values;
    }

    // Of the part of the foot that is slowest over the floor.
    std::vector<float> foot_speed(const FootTrack& track) const {
        std::vector<float> slowest;
        for (std::size_t part = 0; part < k_foot_parts; ++part) {
            const std::vector<float> own = speed([&](std::size_t f) { return track.parts[f][part]; });
            if (part == 0) slowest = own;
            for (std::size_t f = 0; f < own.size(); ++f) slowest[f] = std::min(slowest[f], own[f]);
        }
        return slowest;
    }

 private:
    Vec3 hips(std::size_t frame) const {
        return at(frame)[static_cast<std::size_t>(std::max(chart_.hips, 0))].translation;
    }

    // Over the floor, metres a second, between the frames before and after.
    template <class Position>
    std::vector<float> speed(const Position& position) const {
        std::vector<float> values;
        for (std::size_t f = 0; f < frames(); ++f) {
            const std::size_t before = f == 0 ? 0 : f - 1;
            const std::size_t after = std::min(f + 1, frames() - 1);
            const Vec3 moved = position(after) - position(before);
            const Vec3 level = moved - chart_.up * chart_.up.dot(moved);
            const float seconds = static_cast<float>(after - before) / clip_.fps;
            values.push_back(seconds > 0.0f ? level.norm() / seconds : 0.0f);
        }
        return values;
    }

    const Chart& chart_;
    const Clip& clip_;
    std::vector<Transform> model_;
};

class Plotter {
 public:
    Plotter(const Page& page, const ShownClip& clip, Blob& blob) : page_(page), clip_(clip), blob_(blob) {
        for (std::size_t a = 0; a < page.actors.size(); ++a)
            motions_.emplace_back(page.actors[a], *clip.played[a]);
    }

    Plots run() {
        if (clip_.is_stance) return {};
        feet();
        plot("hips height", "m", 0.1f, "hips", [](const Motion& motion) { return motion.hips_height(); });
        plot("hips speed over the floor", "m/s", 0.2f, "hips",
             [](const Motion& motion) { return motion.hips_speed(); });
        plot("distance between the hands", "m", 0.1f, "hands",
             [](const Motion& motion) { return motion.hands_apart(); });
        joints();
        return std::move(plots_);
    }

 private:
    using Series = std::vector<float>;

    void add(Json& series, std::size_t actor, const std::string& name, const Series& values) {
        if (!values.empty())
            series.push_back({{"actor", actor}, {"name", name}, {"values", blob_.add(values)}});
    }

    // `least`: the plot's scale reaches at least so far, so that nothing is not drawn as much.
    void put(const char* title, const char* unit, float least, Json series) {
        if (!series.empty())
            plots_.plots.push_back({{"title", title},
                                    {"unit", unit},
                                    {"least", io::rounded(least)},
                                    {"series", std::move(series)}});
    }

    template <class Values>
    void plot(const char* title, const char* unit, float least, const char* name, const Values& values) {
        Json series = Json::array();
        for (std::size_t a = 0; a < motions_.size(); ++a) add(series, a, name, values(motions_[a]));
        put(title, unit, least, std::move(series));
    }

    void joints() {
        Json series = Json::array();
        for (std::size_t a = 0; a < page_.actors.size(); ++a)
            add(series, a, "worst joint", beyond_ranges(page_.actors[a], *clip_.played[a]));
        put("joints beyond their range", "°", 2.0f, std::move(series));
    }

    void feet() {
        Json heights = Json::array();
        Json speeds = Json::array();
        for (std::size_t a = 0; a < motions_.size(); ++a) {
            const bool is_source = a == 0 && page_.pairing != nullptr;
            const std::span<const ContactSpan> set =
                is_source ? std::span<const ContactSpan>(page_.pairing->settings.contacts)
                          : std::span<const ContactSpan>();
            for (const FootTrack& track : track_feet(motions_[a].chart(), *clip_.played[a], set)) {
                add(heights, a, track.leg, track.height);
                add(speeds, a, track.leg, motions_[a].foot_speed(track));
                Json spans = Json::array();
                for (const FrameSpan& span :
                     spans_where(track.size(), [&](std::size_t f) { return track.stands(f); }))
                    spans.push_back({span.first, span.last});
                plots_.contacts.push_back({{"actor", a}, {"leg", track.leg}, {"spans", spans}});
            }
        }
        put("foot height", "m", 0.02f, std::move(heights));
        put("foot speed over the floor", "m/s", 0.2f, std::move(speeds));
    }

    const Page& page_;
    const ShownClip& clip_;
    Blob& blob_;
    std::vector<Motion> motions_;
    Plots plots_;
};

}  // namespace

Plots plots_part(const Page& page, const ShownClip& clip, Blob& blob) {
    return Plotter(page, clip, blob).run();
}

}  // namespace dendraxis::page::detail
