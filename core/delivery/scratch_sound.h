// SPDX-License-Identifier: GPL-3.0-or-later
// Rendered sound on its way into files: float, planar in use, on disk without a name, read as often as
// needed.
#pragma once

#include <array>
#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "core/base/anonymous_file.h"
#include "core/base/audio_block.h"
#include "core/base/background_worker.h"
#include "core/base/job.h"
#include "core/dsp/true_peak.h"
#include "core/media/sound_comparison.h"
#include "core/metering/loudness.h"
#include "core/space/conversion.h"
#include "core/space/head_responses.h"

namespace rivlen {

class ScratchSound {
  public:
    // Errors: Io, DiskFull.
    [[nodiscard]] static Result<ScratchSound> create(const std::filesystem::path& folder, int sample_rate,
                                                     int channels);
    [[nodiscard]] int sample_rate() const { return rate_; }
    [[nodiscard]] int channels() const { return channels_; }
    [[nodiscard]] std::int64_t frames() const { return frames_; }
    // Planar, equal lengths.
    [[nodiscard]] Status append(std::span<const std::vector<float>> block);
    // The same samples times a gain; nothing is copied, so that neither must be appended to any more.
    [[nodiscard]] ScratchSound louder(double gain_db) const;
    // Frames that are there, into `out`, which has the channels and is sized. Errors: Io.
    [[nodiscard]] Status read(std::int64_t at, std::int64_t count, AudioBlock& out) const;
    // All of it in blocks of so many frames, the last as long as it comes. Errors: Io, Cancelled, those of
    // `take`.
    template <typename Take>
    [[nodiscard]] Status each(const JobControl& job, Take take, std::int64_t block_frames = 1 << 13) const {
        AudioBlock block(rate_, static_cast<std::size_t>(channels_));
        for (std::int64_t at = 0; at < frames_; at += block_frames) {
            if (job.cancelled()) return JobControl::cancelled_error();
            if (auto status = read(at, std::min(block_frames, frames_ - at), block); !status) return status;
            if (Status status = take(at, block); !status) return status;
        }
        return {};
    }

  private:
    ScratchSound(AnonymousFile file, std::filesystem::path folder, int rate, int channels)
        : file_(std::make_shared<AnonymousFile>(std::move(file))),
          folder_(std::move(folder)),
          rate_(rate),
          channels_(channels) {}
    std::shared_ptr<AnonymousFile> file_;  // shared with the same sound louder
    std::filesystem::path folder_;         // for sentences
    int rate_, channels_;
    std::int64_t frames_ = 0;
    float gain_ = 1;  // of what is read
    std::vector<float> interleaved_;
};

// Its blocks one after the other, from the start on. The sound must outlive it.
[[nodiscard]] NextSound next_of(const ScratchSound& sound);

// What meters say of a whole sound.
struct LoudnessTimeline {
    Loudness loudness;
    Level highest_momentary_lufs, highest_short_term_lufs;
    std::vector<float> short_term_lufs;  // every second, to be drawn: -120 for silence
    std::vector<float> peak_dbfs;        // of every second
};
// Without loudness, of sounds whose channels nobody hears together.
[[nodiscard]] LoudnessTimeline peaks_alone(LoudnessTimeline course);

// Of a sound to be delivered: channels as likely_layout() has them, ambisonics included.
[[nodiscard]] LoudnessMeter meter_of(int sample_rate, int channels, LoudnessMeter::Kind kind);

// Fed in pieces of any length; looks at momentary and short-term loudness every 100 ms, as EBU Tech 3341 asks
// for (at least ten times a second).
class LoudnessTimelineMeter {
  public:
    // channels: as meter_of() has them.
    // Without true peaks (true_peak_dbtp is then missing) where they are known.
    LoudnessTimelineMeter(int sample_rate, int channels, bool true_peaks = true);
    void add(std::span<const std::vector<float>> block);
    // At the end.
    [[nodiscard]] LoudnessTimeline finish();

  private:
    void step();
    LoudnessMeter meter_;
    std::size_t step_frames_;
    AudioBlock waiting_;
    static constexpr std::ptrdiff_t kShortTerm = 30;  // 3 s
    std::array<double, kShortTerm> powers_{};         // of the last 100 ms each
    LoudnessTimeline course_;
    float peak_ = 0;
    int steps_ = 0;
};

// The highest true peak of all channels, for where levels are measured without; the result is the same.
class TruePeaks {
  public:
    explicit TruePeaks(std::size_t channels) : meters_(channels) {}
    void add(std::span<const std::vector<float>> block) {
        for (std::size_t c = 0; c < meters_.size(); ++c) meters_[c].add(block[c]);
    }
    // At the end; missing for silence.
    [[nodiscard]] Level finish_dbtp();

  private:
    std::vector<TruePeakMeter> meters_;
};

// Gathers what comes and hands it on in larger pieces to a thread of its own, while more comes.
class BlocksInBackground {
  public:
    // `take` gets planar pieces, in order; it must not be used otherwise before finish().
    BlocksInBackground(int sample_rate, std::size_t channels, std::function<void(const AudioBlock&)> take)
        : take_(std::move(take)), coming_(sample_rate, channels), taken_(sample_rate, channels) {}
    void add(std::span<const std::vector<float>> block);
    // What is left is handed on, and all of it has been taken.
    void finish();

  private:
    void hand_on();
    std::function<void(const AudioBlock&)> take_;
    AudioBlock coming_, taken_;
    BackgroundWorker thread_;
};

// The same sound with its channels mixed: gains of each in each.
[[nodiscard]] Result<ScratchSound> mixed(const ScratchSound& sound, const ChannelMatrix& gains,
                                         const std::filesystem::path& folder, const JobControl& job);
// For headphones, through a measured head at the sound's rate.
[[nodiscard]] Result<ScratchSound> binaural(const ScratchSound& sound, Layout layout,
                                            const HeadResponses& head, const ConversionSettings& settings,
                                            const std::filesystem::path& folder, const JobControl& job);
// The same sound at another rate, times a gain, in one channel when mono. Errors: Io, DiskFull, Cancelled.
[[nodiscard]] Result<ScratchSound> converted(const ScratchSound& sound, int sample_rate, bool mono,
                                             double gain_db, const std::filesystem::path& folder,
                                             const JobControl& job);
// What a limiter did, and how much of it.
struct LimitedSound {
    ScratchSound sound;
    double highest_reduction_db = 0;         // 0 or less
    std::vector<float> reduction_by_second;  // dB, the most of every second, 0 or less
};
// Through a limiter whose true peaks stay under a ceiling. Errors: Io, DiskFull, Cancelled.
[[nodiscard]] Result<LimitedSound> limited(const ScratchSound& sound, double ceiling_dbtp,
                                           const std::filesystem::path& folder, const JobControl& job);
[[nodiscard]] Result<LoudnessTimeline> course_of(const ScratchSound& sound, const JobControl& job);

}  // namespace rivlen
