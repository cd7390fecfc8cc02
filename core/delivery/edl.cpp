// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/edl.h"

#include <fmt/format.h>

#include <cctype>

#include "core/base/markup.h"
#include "core/project/editing.h"

namespace rivlen {

namespace {

constexpr std::size_t kLongestReel = 8;

std::string short_name(const std::string& name) {
    std::string out;
    for (const char c : name) {
        if (std::isalnum(static_cast<unsigned char>(c)) != 0)
            out += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
        if (out.size() == kLongestReel) break;
    }
    return out.empty() ? "AX" : out;
}

struct Event {
    std::filesystem::path file;
    std::int64_t from = 0, frames = 0;  // pictures of the source
    std::int64_t start = 0, end = 0;    // on the session's line
};

std::vector<Event> events_of(const Timeline& r, const Track& track, const StartTimecode& start_timecode) {
    std::vector<Event> out;
    for (const auto& clip : track.clips) {
        if (clip.mute) continue;
        // Lengths follow from the places, so that the record side has neither holes nor overlaps from
        // rounding.
        const std::int64_t frames = picture_frame_of(r, clip.end()) - picture_frame_of(r, clip.start);
        if (frames <= 0) continue;
        out.push_back({clip.path, start_timecode(clip.path) + picture_frame_of(r, clip.offset), frames,
                       clip.start, clip.end()});
    }
    return out;
}

std::string list_of(const Timeline& r, std::span<const Event> events, const std::string& title,
                    Reels& reels) {
    std::string out = fmt::format("TITLE: {}\r\nFCM: {}\r\n", one_line(title),
                                  r.drop_frame ? "DROP FRAME" : "NON-DROP FRAME");
    std::map<std::string, std::string> files;
    for (const auto& event : events) files[reels.of(event.file)] = event.file.filename().string();
    for (const auto& [reel, file] : files) out += fmt::format("* REEL {:<8} IS {}\r\n", reel, one_line(file));
    int number = 0;
    for (const auto& event : events)
        out += fmt::format("{:03}  {:<8} AA    C        {} {} {} {}\r\n* FROM CLIP NAME: {}\r\n", ++number,
                           reels.of(event.file), format_timecode(event.from, r.frame_rate, r.drop_frame),
                           format_timecode(event.from + event.frames, r.frame_rate, r.drop_frame),
                           timecode_at(r, event.start), timecode_at(r, event.end),
                           one_line(event.file.filename().string()));
    return out;
}

}  // namespace

const std::string& Reels::of(const std::filesystem::path& file) {
    auto [found, fresh] = names_.try_emplace(file);
    if (fresh) found->second = free_name(short_name(file.stem().string()));
    return found->second;
}

std::string Reels::free_name(const std::string& wanted) {
    std::string name = wanted;
    for (int n = 2; !taken_.insert(name).second; ++n) {
        const std::string number = std::to_string(n);
        name = wanted.substr(0, kLongestReel - number.size()) + number;
    }
    return name;
}

std::vector<std::string> edls_of(const Timeline& r, const Track& track, const std::string& title,
                                 Reels& reels, const StartTimecode& start_timecode) {
    constexpr std::size_t kMostEvents = 999;
    const auto events = events_of(r, track, start_timecode);
    std::vector<std::string> lists;
    for (std::size_t at = 0; at == 0 || at < events.size(); at += kMostEvents)
        lists.push_back(list_of(r, std::span(events).subspan(at, std::min(kMostEvents, events.size() - at)),
                                title, reels));
    return lists;
}

}  // namespace rivlen
