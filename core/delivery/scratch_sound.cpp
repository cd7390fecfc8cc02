// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/scratch_sound.h"

#include "core/space/space_monitor.h"

#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <numeric>

#include "core/base/output_file.h"
#include "core/dsp/decibels.h"
#include "core/dsp/denormals.h"
#include "core/dsp/interleave.h"
#include "core/dsp/resample.h"
#include "core/effects/processor.h"

namespace rivlen {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t kHandedFrames = 1 << 15;  // smaller pieces would cost more in handing on than in work

}  // namespace

Result<ScratchSound> ScratchSound::create(const fs::path& folder, int sample_rate, int channels) {
    auto file = AnonymousFile::create(folder);
    if (!file) return file.error();
    return ScratchSound(std::move(*file), folder, sample_rate, channels);
}

ScratchSound ScratchSound::louder(double gain_db) const {
    ScratchSound out = *this;
    out.gain_ = gain_ * static_cast<float>(amplitude_of_db(gain_db));
    return out;
}

Status ScratchSound::append(std::span<const std::vector<float>> block) {
    interleave(block, interleaved_);
    const auto bytes = std::as_bytes(std::span(interleaved_));
    for (std::size_t done = 0; done < bytes.size();) {
        const auto wrote = ::write(file_->fd(), bytes.data() + done, bytes.size() - done);
        if (wrote < 0 && errno == EINTR) continue;
        if (wrote <= 0) return write_error(folder_ / "rendered sound", wrote == 0 ? ENOSPC : errno);
        done += static_cast<std::size_t>(wrote);
    }
    frames_ += static_cast<std::int64_t>(block.empty() ? 0 : block[0].size());
    return {};
}

Status ScratchSound::read(std::int64_t at, std::int64_t count, AudioBlock& out) const {
    const auto channels = static_cast<std::size_t>(channels_);
    const auto frames = static_cast<std::size_t>(count);
    std::vector<float> interleaved(frames * channels);  // of its own: rows read the same mix side by side
    const auto bytes = std::as_writable_bytes(std::span(interleaved));
    auto offset = static_cast<off_t>(static_cast<std::size_t>(at) * channels * sizeof(float));
    for (std::size_t done = 0; done < bytes.size();) {
        const auto got = ::pread(file_->fd(), bytes.data() + done, bytes.size() - done, offset);
        if (got < 0 && errno == EINTR) continue;
        if (got <= 0)
            return make_error(ErrorKind::Io,
                              "Rendered sound cannot be read back. Check the disk of the work folder.");
        done += static_cast<std::size_t>(got);
        offset += got;
    }
    if (gain_ != 1) {
        for (float& x : interleaved) x *= gain_;
    }
    out.clear();
    out.append_interleaved(interleaved);
    return {};
}

NextSound next_of(const ScratchSound& sound) {
    return [&sound, at = std::int64_t(0)](std::int64_t frames, AudioBlock& out) mutable -> Status {
        const std::int64_t count = std::min(frames, sound.frames() - at);
        out = AudioBlock(sound.sample_rate(), static_cast<std::size_t>(sound.channels()));
        if (count == 0) return {};
        at += count;
        return sound.read(at - count, count, out);
    };
}

LoudnessTimeline peaks_alone(LoudnessTimeline course) {
    course.loudness.integrated_lufs.reset();
    course.loudness.range_lu = 0;
    course.highest_momentary_lufs.reset();
    course.highest_short_term_lufs.reset();
    course.short_term_lufs.clear();
    return course;
}

LoudnessMeter meter_of(int sample_rate, int channels, LoudnessMeter::Kind kind) {
    const auto layout = likely_layout(static_cast<std::size_t>(channels));
    return layout ? LoudnessMeter(sample_rate, *layout, kind) : LoudnessMeter(sample_rate, channels, kind);
}

LoudnessTimelineMeter::LoudnessTimelineMeter(int sample_rate, int channels, bool true_peaks)
    : meter_(meter_of(sample_rate, channels,
                      true_peaks ? LoudnessMeter::Kind::Exact : LoudnessMeter::Kind::Quick)),
      step_frames_(static_cast<std::size_t>(sample_rate / 10)),
      waiting_(sample_rate, static_cast<std::size_t>(channels)) {}

void LoudnessTimelineMeter::step() {
    meter_.add(waiting_);
    for (std::size_t c = 0; c < waiting_.channels(); ++c) {
        for (const float x : waiting_[c]) peak_ = std::max(peak_, std::abs(x));
    }
    waiting_.clear();
    std::rotate(powers_.begin(), powers_.begin() + 1, powers_.end());
    powers_.back() = meter_.weighted_power();
    const auto level_of_last = [this](std::ptrdiff_t count) {
        return LoudnessMeter::lufs_of(std::accumulate(powers_.end() - count, powers_.end(), 0.0) /
                                      static_cast<double>(count));
    };
    course_.highest_momentary_lufs = higher(course_.highest_momentary_lufs, level_of_last(4));
    const Level short_term = level_of_last(kShortTerm);
    course_.highest_short_term_lufs = higher(course_.highest_short_term_lufs, short_term);
    if (++steps_ % 10 != 0) return;
    course_.short_term_lufs.push_back(static_cast<float>(short_term.value_or(-120)));
    course_.peak_dbfs.push_back(static_cast<float>(db_of_amplitude(static_cast<double>(peak_))));
    peak_ = 0;
}

void LoudnessTimelineMeter::add(std::span<const std::vector<float>> block) {
    const std::size_t frames = block.empty() ? 0 : block[0].size();
    for (std::size_t at = 0; at < frames;) {
        const std::size_t count = std::min(frames - at, step_frames_ - waiting_.frames());
        waiting_.append(block, at, count);
        at += count;
        if (waiting_.frames() == step_frames_) step();
    }
}

LoudnessTimeline LoudnessTimelineMeter::finish() {
    // What is left over is too short for a further look, but counts for the whole.
    if (!waiting_.empty()) {
        meter_.add(waiting_);
        waiting_.clear();
    }
    course_.loudness = meter_.result();
    return course_;
}

Level TruePeaks::finish_dbtp() {
    float highest = 0;
    for (auto& meter : meters_) highest = std::max(highest, meter.finish());
    return highest > 0 ? Level(db_of_amplitude(static_cast<double>(highest))) : std::nullopt;
}

void BlocksInBackground::hand_on() {
    thread_.wait();
    std::swap(coming_, taken_);
    coming_.clear();
    thread_.start([this] { take_(taken_); });
}

void BlocksInBackground::add(std::span<const std::vector<float>> block) {
    coming_.append(block, 0, block.empty() ? 0 : block[0].size());
    if (coming_.frames() >= kHandedFrames) hand_on();
}

void BlocksInBackground::finish() {
    if (!coming_.empty()) hand_on();
    thread_.wait();
}

Result<LoudnessTimeline> course_of(const ScratchSound& sound, const JobControl& job) {
    LoudnessTimelineMeter meter(sound.sample_rate(), sound.channels());
    const Status status = sound.each(job, [&](std::int64_t, const AudioBlock& block) -> Status {
        meter.add(block);
        return {};
    });
    if (!status) return status.error();
    return meter.finish();
}

Result<ScratchSound> mixed(const ScratchSound& sound, const ChannelMatrix& gains, const fs::path& folder,
                           const JobControl& job) {
    auto out = ScratchSound::create(folder, sound.sample_rate(), static_cast<int>(gains.to()));
    if (!out) return out.error();
    AudioBlock now(sound.sample_rate(), gains.to()), in;
    const Status status = sound.each(job, [&](std::int64_t, const AudioBlock& block) -> Status {
        in = block;
        now.resize(block.frames());
        gains.apply(in.view(), now.view());
        return out->append(now);
    });
    if (!status) return status.error();
    return out;
}

Result<ScratchSound> binaural(const ScratchSound& sound, Layout layout, const HeadResponses& head,
                              const ConversionSettings& settings, const fs::path& folder,
                              const JobControl& job) {
    auto out = ScratchSound::create(folder, sound.sample_rate(), static_cast<int>(kStereoChannels));
    if (!out) return out.error();
    SpaceMonitor ears = SpaceMonitor::headphones(layout, head, settings);
    AudioBlock now(sound.sample_rate(), kStereoChannels, SpaceMonitor::kFrames), in;
    const Status status = sound.each(
        job,
        [&](std::int64_t, const AudioBlock& block) -> Status {
            in = block;
            in.resize(SpaceMonitor::kFrames);  // the last one is filled up with silence
            now.resize(SpaceMonitor::kFrames);
            ears.process(in.view(), now.view());
            now.resize(block.frames());
            return out->append(now);
        },
        static_cast<std::int64_t>(SpaceMonitor::kFrames));
    if (!status) return status.error();
    return out;
}

Result<ScratchSound> converted(const ScratchSound& sound, int sample_rate, bool mono, double gain_db,
                               const fs::path& folder, const JobControl& job) {
    if (sample_rate == sound.sample_rate() && !mono) return sound.louder(gain_db);
    const int channels = mono ? 1 : sound.channels();
    auto out = ScratchSound::create(folder, sample_rate, channels);
    if (!out) return out.error();
    std::vector<Resampler> resamplers;
    if (sample_rate != sound.sample_rate()) {
        for (int c = 0; c < channels; ++c) {
            auto resampler = Resampler::create(sound.sample_rate(), sample_rate, ResampleQuality::VeryHigh);
            if (!resampler) return resampler.error();
            resamplers.push_back(std::move(*resampler));
        }
    }
    const auto gain = static_cast<float>(amplitude_of_db(gain_db));
    AudioBlock now(sound.sample_rate(), static_cast<std::size_t>(channels));
    std::vector<std::vector<float>> made(now.channels());
    const Status status = sound.each(job, [&](std::int64_t at, const AudioBlock& block) -> Status {
        const float share = mono ? gain / static_cast<float>(block.channels()) : gain;
        now.clear();
        now.resize(block.frames());
        for (std::size_t c = 0; c < now.channels(); ++c) {
            for (std::size_t from = c; from < (mono ? block.channels() : c + 1); ++from) {
                for (std::size_t i = 0; i < now.frames(); ++i) now[c][i] += share * block[from][i];
            }
        }
        if (resamplers.empty()) return out->append(now);
        const bool last = at + static_cast<std::int64_t>(block.frames()) == sound.frames();
        for (std::size_t c = 0; c < now.channels(); ++c) {
            made[c].clear();
            resamplers[c].process(now[c], last, made[c]);
        }
        return out->append(made);
    });
    if (!status) return status.error();
    return out;
}

Result<LimitedSound> limited(const ScratchSound& sound, double ceiling_dbtp, const fs::path& folder,
                             const JobControl& job) {
    const FlushDenormals fast;
    auto made = ScratchSound::create(folder, sound.sample_rate(), sound.channels());
    if (!made) return made.error();
    LimitedSound out{std::move(*made), 0, {}};
    auto part = make_part(EffectType::Limiter, 1);
    part[parameter::kLimiterCeilingDb] = ceiling_dbtp;
    Chain chain(std::span(&part, 1), sound.sample_rate(), static_cast<std::size_t>(sound.channels()));
    const std::int64_t late = chain.latency();
    std::int64_t heard = -late;  // frames that have come out
    AudioBlock held(sound.sample_rate(), static_cast<std::size_t>(sound.channels()));
    constexpr std::size_t kPiece = 256;  // the meter shows the last piece
    const auto note = [&](double reduction_db) {
        out.highest_reduction_db = std::min(out.highest_reduction_db, reduction_db);
        const auto second = static_cast<std::size_t>(std::max<std::int64_t>(0, heard) / sound.sample_rate());
        if (second >= out.reduction_by_second.size()) out.reduction_by_second.resize(second + 1);
        float& most = out.reduction_by_second[second];
        most = std::min(most, static_cast<float>(reduction_db));
    };
    const auto run = [&](const AudioBlock& block) -> Status {
        held.resize(block.frames());
        for (std::size_t c = 0; c < held.channels(); ++c) std::ranges::copy(block[c], held[c].begin());
        const auto drop = static_cast<std::size_t>(
            std::clamp<std::int64_t>(-heard, 0, static_cast<std::int64_t>(held.frames())));
        for (std::size_t at = 0; at < held.frames(); at += kPiece) {
            const std::size_t count = std::min(kPiece, held.frames() - at);
            chain.process(held.view().subblock(at, count));
            note(chain.reduction_db(0));
            heard += static_cast<std::int64_t>(count);
        }
        held.drop_front(drop);
        return out.sound.append(held);
    };
    Status status = sound.each(job, [&](std::int64_t, const AudioBlock& block) { return run(block); });
    if (!status) return status.error();
    const AudioBlock tail(sound.sample_rate(), static_cast<std::size_t>(sound.channels()),
                          static_cast<std::size_t>(late));
    if (status = run(tail); !status) return status.error();
    return out;
}

}  // namespace rivlen
