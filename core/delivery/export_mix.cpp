// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/export_mix.h"

#include <chrono>

#include "core/base/output_file.h"
#include "core/media/sound_file.h"
#include "core/mix/engine.h"

namespace rivlen {

Result<MixReport> export_mix(const std::shared_ptr<const MixPlan>& plan, const std::filesystem::path& file,
                             const JobControl& job) {
    const Timeline& r = plan->timeline();
    if (r.end() == 0 || r.sample_rate == 0)
        return make_error(ErrorKind::BadInput,
                          "There is nothing on the tracks yet. Place stems or files first.");
    std::vector<std::filesystem::path> played;
    for (const auto& track : r.tracks) {
        for (const auto& clip : track.clips) played.push_back(clip.path);
    }
    if (auto free = never_over(file, played); !free) return free.error();
    const auto begun = std::chrono::steady_clock::now();
    auto writer = SoundFileWriter::create(file, format_for(file), r.sample_rate,
                                          static_cast<int>(channels_of(r.main_layout())));
    if (!writer) return writer.error();
    MixReport report;
    LoudnessMeter meter(r.sample_rate, r.main_layout());
    const Status status = render_mix(plan, 0, r.end(), job, [&](std::int64_t, auto block) -> Status {
        meter.add(block);
        return writer->write(block);
    });
    if (!status) return status.error();
    report.over_full_scale = writer->over_full_scale();
    if (auto done = writer->commit(); !done) return done.error();
    report.loudness = meter.result();
    report.frames = r.end();
    report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
    report.times_real_time = static_cast<double>(r.end()) / r.sample_rate / report.seconds;
    return report;
}

}  // namespace rivlen
