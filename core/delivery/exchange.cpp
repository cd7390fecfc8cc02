// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/exchange.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <set>

#include "core/base/markup.h"
#include "core/base/output_file.h"
#include "core/project/delivery_table.h"
#include "core/project/editing.h"

namespace rivlen {

namespace {

using nlohmann::json;

// Reel names of CMX 3600: eight letters and figures; no two files share one.
class Reels {
  public:
    const std::string& of(const std::filesystem::path& file) {
        auto [found, fresh] = names_.try_emplace(file);
        if (fresh) found->second = free_name(short_name(file.stem().string()));
        return found->second;
    }

  private:
    static constexpr std::size_t kLongest = 8;
    static std::string short_name(const std::string& name) {
        std::string out;
        for (const char c : name) {
            if (std::isalnum(static_cast<unsigned char>(c)) != 0)
                out += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
            if (out.size() == kLongest) break;
        }
        return out.empty() ? "AX" : out;
    }
    std::string free_name(const std::string& wanted) {
        std::string name = wanted;
        for (int n = 2; !taken_.insert(name).second; ++n) {
            const std::string number = std::to_string(n);
            name = wanted.substr(0, kLongest - number.size()) + number;
        }
        return name;
    }
    std::map<std::filesystem::path, std::string> names_;
    std::set<std::string> taken_;
};

json time(std::int64_t frames, int rate) {
    return {{"OTIO_SCHEMA", "RationalTime.1"},
            {"value", static_cast<double>(frames)},
            {"rate", static_cast<double>(rate)}};
}

json range(std::int64_t start, std::int64_t length, int rate) {
    return {
        {"OTIO_SCHEMA", "TimeRange.1"}, {"start_time", time(start, rate)}, {"duration", time(length, rate)}};
}

// clips: anything with path, start, offset and length, in order.
template <typename Clips>
json otio_track(const std::string& name, const char* kind, const Clips& clips, int rate) {
    json track = {{"OTIO_SCHEMA", "Track.1"}, {"name", name}, {"kind", kind}, {"children", json::array()}};
    std::int64_t at = 0;
    for (const auto& clip : clips) {
        if (clip.start > at)
            track["children"].push_back(
                {{"OTIO_SCHEMA", "Gap.1"}, {"source_range", range(0, clip.start - at, rate)}});
        // What an earlier clip covers (a cross-fade) belongs to it: tracks here are a line without overlaps.
        const std::int64_t covered = std::clamp<std::int64_t>(at - clip.start, 0, clip.length);
        if (covered == clip.length) continue;
        track["children"].push_back(
            {{"OTIO_SCHEMA", "Clip.1"},
             {"name", clip.path.stem().string()},
             {"source_range", range(clip.offset + covered, clip.length - covered, rate)},
             {"media_reference",
              {{"OTIO_SCHEMA", "ExternalReference.1"}, {"target_url", clip.path.string()}}}});
        at = clip.start + clip.length;
    }
    return track;
}

}  // namespace

std::vector<std::string> edls_of(const Timeline& r, const Track& track, const std::string& title) {
    constexpr int kMostEvents = 999;
    const std::string head = fmt::format("TITLE: {}\r\nFCM: {}\r\n", one_line(title),
                                         r.drop_frame ? "DROP FRAME" : "NON-DROP FRAME");
    Reels reels;
    std::vector<std::string> lists = {head};
    int event = 0;
    for (const auto& clip : track.clips) {
        if (clip.mute) continue;
        // Lengths follow from the places, so that the record side has neither holes nor overlaps from
        // rounding.
        const std::int64_t frames = picture_frame_of(r, clip.end()) - picture_frame_of(r, clip.start);
        if (frames <= 0) continue;
        if (event == kMostEvents) {
            lists.push_back(head);
            event = 0;
        }
        const std::int64_t from = picture_frame_of(r, clip.offset);
        lists.back() += fmt::format(
            "{:03}  {:<8} AA    C        {} {} {} {}\r\n* FROM CLIP NAME: {}\r\n", ++event,
            reels.of(clip.path), format_timecode(from, r.frame_rate, r.drop_frame),
            format_timecode(from + frames, r.frame_rate, r.drop_frame), timecode_at(r, clip.start),
            timecode_at(r, clip.end()), one_line(clip.path.filename().string()));
    }
    return lists;
}

std::string clips_to_csv(const Timeline& r) {
    std::string out =
        "track,clip,plays,start_timecode,end_timecode,start_samples,length_samples,offset_samples,gain_db,"
        "muted\r\n";
    for (const auto& cut : r.picture)
        out += fmt::format("Picture,{},picture,{},{},{},{},{},0.0,no\r\n",
                           csv_field(cut.path.filename().string()), timecode_at(r, cut.start),
                           timecode_at(r, cut.end()), cut.start, cut.length, cut.offset);
    for (const auto& track : r.tracks) {
        for (const auto& clip : track.clips)
            out += fmt::format("{},{},{},{},{},{},{},{},{:.1f},{}\r\n", csv_field(track.name),
                               csv_field(clip.path.filename().string()),
                               kClipSourceKeys[static_cast<std::size_t>(clip.clip_source)],
                               timecode_at(r, clip.start), timecode_at(r, clip.end()), clip.start,
                               clip.length, clip.offset, clip.gain_db, clip.mute ? "yes" : "no");
    }
    return out;
}

std::string otio_of(const Timeline& r, const std::string& name) {
    json stack = {{"OTIO_SCHEMA", "Stack.1"}, {"name", "tracks"}, {"children", json::array()}};
    if (!r.picture.empty())
        stack["children"].push_back(otio_track("Picture", "Video", r.picture, r.sample_rate));
    for (const auto& track : r.tracks) {
        std::vector<Clip> heard;
        std::ranges::copy_if(track.clips, std::back_inserter(heard), [](const Clip& c) { return !c.mute; });
        stack["children"].push_back(otio_track(track.name, "Audio", heard, r.sample_rate));
    }
    const double per_second = r.frame_rate.per_second();
    const json timeline = {{"OTIO_SCHEMA", "Timeline.1"},
                           {"name", name},
                           {"global_start_time",
                            {{"OTIO_SCHEMA", "RationalTime.1"},
                             {"value", static_cast<double>(r.first_timecode_frame)},
                             {"rate", per_second}}},
                           {"tracks", stack}};
    return timeline.dump(2, ' ', false, json::error_handler_t::replace) + "\n";
}

Status write_exchange(const Timeline& timeline, const std::string& name,
                      const std::filesystem::path& folder) {
    for (const auto& track : timeline.tracks) {
        if (track.clips.empty()) continue;
        const auto lists = edls_of(timeline, track, name);
        for (std::size_t i = 0; i < lists.size(); ++i) {
            const std::string number = i > 0 ? fmt::format(" {}", i + 1) : std::string();
            const auto file = folder / (file_part(name + " " + track.name) + number + ".edl");
            if (auto s = write_beside_earlier(file, lists[i]); !s) return s;
        }
    }
    if (auto s = write_beside_earlier(folder / (file_part(name) + " clips.csv"), clips_to_csv(timeline)); !s)
        return s;
    return write_beside_earlier(folder / (file_part(name) + ".otio"), otio_of(timeline, name));
}

}  // namespace rivlen
