// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/exchange.h"

#include <fmt/format.h>

#include "core/base/markup.h"
#include "core/base/output_file.h"
#include "core/delivery/dawproject.h"
#include "core/delivery/edl.h"
#include "core/delivery/otio.h"
#include "core/delivery/report.h"
#include "core/media/decode.h"
#include "core/project/delivery_table.h"
#include "core/project/editing.h"

namespace rivlen {

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

namespace {

Status write_cut_lists(const ExchangePlan& plan) {
    const Timeline& timeline = plan.session.timeline;
    const auto start_timecode = [&](const std::filesystem::path& file) {
        const auto info = probe(file);
        return info ? start_timecode_frame(*info, timeline.frame_rate) : 0;
    };
    Reels reels;
    for (const auto& track : timeline.tracks) {
        if (track.clips.empty()) continue;
        const auto lists = edls_of(timeline, track, plan.name, reels, start_timecode);
        for (std::size_t i = 0; i < lists.size(); ++i) {
            const std::string number = i > 0 ? fmt::format(" {}", i + 1) : std::string();
            const auto file = plan.folder / (file_part(plan.name + " " + track.name) + number + ".edl");
            if (auto s = write_beside_earlier(file, lists[i]); !s) return s;
        }
    }
    return {};
}

}  // namespace

Status write_exchange(const ExchangePlan& plan, const JobControl& job) {
    std::error_code ignored;  // a folder that cannot be made is told of by the first file
    std::filesystem::create_directories(plan.folder, ignored);
    if (auto s = write_cut_lists(plan); !s) return s;
    const auto file = [&plan](const char* ending) { return plan.folder / (file_part(plan.name) + ending); };
    if (auto s = write_beside_earlier(file(" clips.csv"), clips_to_csv(plan.session.timeline)); !s) return s;
    const MixPlan mix(plan.session, plan.media);
    if (auto s = write_beside_earlier(file(".otio"), otio_of(mix, plan.name, plan.folder, plan.rows)); !s)
        return s;
    return write_dawproject(plan.session, plan.media, file(kDawprojectEnding), plan.work, job);
}

Status write_papers(const DeliveryPlan& plan, const DeliveryReport& report, const JobControl& job) {
    if (auto s = write_reports(report, plan.table, plan.folder); !s) return s;
    if (!plan.table.exchange) return {};
    return write_exchange({plan.session, plan.media, plan.name, plan.folder, plan.work, report.rows}, job);
}

}  // namespace rivlen
