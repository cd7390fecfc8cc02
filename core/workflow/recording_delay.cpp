// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/recording_delay.h"

#include <cmath>
#include <memory>
#include <numbers>
#include <system_error>

#include "core/dsp/alignment.h"
#include "core/dsp/decibels.h"
#include "core/media/sound_file.h"
#include "core/project/editing.h"

namespace rivlen {

namespace {
constexpr double kSweepFromHz = 200, kSweepToHz = 8000, kSweepSeconds = 0.2, kSweepDb = -12;
constexpr std::array kSweepStarts = {0.1, 0.43, 0.91};  // seconds
constexpr double kSweepEdgeSeconds = 0.005;
}  // namespace

std::vector<float> loop_back_signal(int sample_rate) {
    const double seconds = kSweepStarts.back() + kSweepSeconds + kLongestRecordingDelaySeconds;
    std::vector<float> out(static_cast<std::size_t>(seconds * sample_rate));
    const double rise = std::log(kSweepToHz / kSweepFromHz);
    const auto frames = static_cast<std::size_t>(kSweepSeconds * sample_rate);
    for (const double start : kSweepStarts) {
        const auto from = static_cast<std::size_t>(start * sample_rate);
        for (std::size_t i = 0; i < frames; ++i) {
            // The frequency grows evenly by octaves.
            const double part = static_cast<double>(i) / static_cast<double>(frames);
            const double turns = kSweepFromHz * kSweepSeconds / rise * (std::exp(part * rise) - 1);
            const double seconds_in = static_cast<double>(std::min(i, frames - 1 - i)) / sample_rate;
            const double edge = std::min(1.0, seconds_in / kSweepEdgeSeconds);
            out[from + i] =
                static_cast<float>(edge * amplitude_of_db(kSweepDb) * std::sin(2 * std::numbers::pi * turns));
        }
    }
    return out;
}

Result<std::shared_ptr<const MixPlan>> loop_back_plan(const std::filesystem::path& folder, int sample_rate) {
    const auto signal = folder / "test-sound.wav";
    std::error_code error;  // where the folder cannot be made, the writer says so
    std::filesystem::create_directories(folder, error);
    auto writer = SoundFileWriter::create(signal, SoundFormat::WavFloat, sample_rate, 1);
    if (!writer) return writer.error();
    const std::vector<std::vector<float>> sound = {loop_back_signal(sample_rate)};
    Status written = writer->write(sound);
    if (written) written = writer->commit();
    if (!written) return written.error();
    auto source = Source::bring_in(signal, folder);
    if (!source) return source.error();
    Session session;
    session.timeline.sample_rate = sample_rate;
    session.timeline.edge_fade_ms = 0;
    Placement placement;
    placement.path = signal;
    placement.length = static_cast<std::int64_t>(source->frames());
    place_clip(session.timeline, placement, ClipSource::Whole, 0);
    const MixMediaSet media = {
        {signal, {std::make_shared<const Source>(std::move(*source)), nullptr, sample_rate}}};
    return std::make_shared<const MixPlan>(session, media);
}

Result<std::int64_t> recording_delay(std::span<const float> recorded, int sample_rate,
                                     const JobControl& job) {
    const auto signal = loop_back_signal(sample_rate);
    const auto found = align(recorded, signal, sample_rate, job);
    if (job.cancelled()) return JobControl::cancelled_error();
    const auto most = static_cast<std::int64_t>(kLongestRecordingDelaySeconds * sample_rate);
    if (!found || found->distinctness < kDistinct || found->lag_frames < 0 || found->lag_frames > most) {
        return make_error(ErrorKind::BadInput,
                          "The test sound did not come back. Connect the output with the input, or put the "
                          "microphone before "
                          "the loudspeaker, and measure again.");
    }
    return found->lag_frames;
}

}  // namespace rivlen
