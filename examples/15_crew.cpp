// One plays a clip, a crew follows; in the middle the first of them becomes somebody else. Usage:
// 15_crew CREW.cast.json CLIP ID
#include <dendraxis/base/error.hpp>
#include <dendraxis/io/sheet/cast_file.hpp>
#include <dendraxis/pipeline/threads.hpp>
#include <dendraxis/retarget/cast.hpp>

#include <fmt/core.h>

namespace dx = dendraxis;

int main(int count, char** words) {
    if (count != 4) {
        fmt::print(stderr, "usage: {} CREW.cast.json CLIP ID\n", words[0]);
        return 2;
    }
    try {
        dx::io::CastFile file = dx::io::read_cast(words[1]);
        for (const dx::io::CastEntry& entry : file.entries)
            if (!entry.problem.empty()) fmt::print("{} stays at home: {}\n", entry.id, entry.problem);
        dx::Cast cast(dx::io::bodies_of(file), 8);  // at most eight at once
        std::vector<dx::CastMember> crew;
        for (std::size_t body = 0; body < cast.ids().size(); ++body) crew.push_back(cast.add(body));

        const dx::Clip& clip = file.source.character.clip(words[2]);
        for (std::size_t frame = 0; frame < clip.frame_count(); ++frame) {
            if (frame == clip.frame_count() / 2)  // between two frames, by id
                cast.swap(crew.front(), cast.body(words[3]));
            cast.play(clip.frame(frame), 1.0f / clip.fps, dx::pipeline::on_threads);
            if (frame % 20 != 0) continue;
            for (const std::size_t changed : dx::io::read_changed(file)) {  // while it plays
                const dx::io::CastEntry& entry = file.entries[changed];
                if (entry.problem.empty())
                    cast.replace(cast.body(entry.id), *entry.pairing);
                else
                    fmt::print("{} goes on as it was: {}\n", entry.id, entry.problem);
            }
            fmt::print("frame {:2}:", frame);
            for (const dx::CastMember member : crew)
                fmt::print("  {} ({} bones)", cast.ids()[cast.body_of(member)], cast.pose(member).size());
            fmt::print("\n");
        }
        return 0;
    } catch (const dx::Error& problem) {
        fmt::print(stderr, "{}\n", problem.what());
        return 3;
    }
}
