// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/delivery_proof.h"

#include <algorithm>
#include <cmath>
#include <fstream>
#include <optional>

#include "core/assessment/tradeoff.h"
#include "core/base/hash.h"
#include "core/delivery/adm_reading.h"
#include "core/delivery/delivery_rows.h"
#include "core/delivery/spectrogram_picture.h"
#include "core/dsp/decibels.h"
#include "core/media/decode.h"
#include "core/media/sound_comparison.h"
#include "core/media/sound_under_picture.h"

namespace rivlen {

namespace fs = std::filesystem;

std::string file_checksum(const fs::path& path) {
    std::ifstream stream(path, std::ios::binary);
    if (!stream) return {};
    Hasher hasher;
    std::vector<char> block(1 << 20);
    while (stream) {
        stream.read(block.data(), static_cast<std::streamsize>(block.size()));
        hasher.add(std::as_bytes(std::span(block.data(), static_cast<std::size_t>(stream.gcount()))));
    }
    return hasher.hex();
}

namespace {

constexpr double kMeterLu = 0.1;  // EBU Tech 3341: what meters may differ by

}  // namespace

AllowedLevels allowed_levels(const LoudnessTarget& target, bool codes_with_loss) {
    // Common practice, no source.
    constexpr double kCodedDb = 0.5, kMeterDb = 0.05;
    return {target.integrated_lufs - target.tolerance_lu - kMeterLu,
            target.integrated_lufs + target.tolerance_lu + kMeterLu,
            target.true_peak_dbtp + (codes_with_loss ? kCodedDb : kMeterDb)};
}

namespace {

// Whether a row meets its target, and the sentence that says how far it is off.
void judge(const LoudnessTarget& target, bool overshoots, DeliveredRow& row) {
    if (row.asked.content == Content::Limiter) return;  // nobody hears it alone
    const auto fails = [&row](std::string sentence) {
        row.on_target = false;
        row.sentence = std::move(sentence);
    };
    const bool mix = row.asked.content == Content::Mix;
    const bool limited = mix && !row.asked.objects;
    const double off = row.gated_lufs ? *row.gated_lufs - target.integrated_lufs : 0;
    const Level peak = row.course.loudness.true_peak_dbtp;
    const Level short_term = row.course.highest_short_term_lufs;
    const AllowedLevels allowed = allowed_levels(target, overshoots);
    const bool held_down =
        target.short_term_lufs && short_term.value_or(-HUGE_VAL) > *target.short_term_lufs - 0.5;
    if (mix && !row.gated_lufs)
        return fails(
            "It is silent, and no gain brings silence to a target. Look whether its tracks are muted.");
    if (mix && target.short_term_lufs && short_term && *short_term > *target.short_term_lufs + kMeterLu)
        return fails(fmt::format("{:.1f} LUFS over 3 s where {:.1f} are allowed.", *short_term,
                                 *target.short_term_lufs));
    const bool too_soft = mix && *row.gated_lufs < allowed.lowest_lufs;
    const bool too_loud = mix && *row.gated_lufs > allowed.highest_lufs;
    if (too_loud || (too_soft && !held_down))
        return fails(fmt::format("{:.1f} LU {} the target: its peaks do not allow more.", std::abs(off),
                                 off < 0 ? "under" : "over"));
    if (peak && *peak > allowed.highest_dbtp)
        return fails(fmt::format(
            "True peak {:.1f} dBTP where {:.1f} are allowed.{}", *peak, target.true_peak_dbtp,
            limited ? "" : " It is not limited, so that it adds up: turn down what is loud in it."));
    if (!mix) return;
    if (too_soft)
        row.sentence = fmt::format("{:.1f} LU under the target, so that no 3 s are louder than {:.1f} LUFS.",
                                   -off, *target.short_term_lufs);
    else if (row.spoken && !is_anchor(row.spoken.get()))
        row.sentence =
            fmt::format("{:.0f} % of it is speech: all of it was measured.", 100 * row.spoken->share);
}

}  // namespace

Status read_back(const DeliveryPlan& plan, const JobControl& job, const Written& written, DeliveredRow& out) {
    const HandoverRow& row = out.asked;
    const auto info = probe(out.path);
    if (!info) return info.error();
    if (std::ssize(info->audio) <= written.sound)
        return make_error(ErrorKind::Internal, "\"{}\" lacks a sound; it was taken away again.",
                          out.path.string());
    const int stream = info->audio[static_cast<std::size_t>(written.sound)].index;
    auto decoder = AudioDecoder::open(out.path, stream);
    if (!decoder) return decoder.error();
    out.sample_rate = decoder->info().sample_rate;
    out.channels = decoder->info().channels;
    const auto channels = static_cast<std::size_t>(out.channels);
    std::optional<AdmReading> model;
    std::optional<AdmRenderer> renderer;  // objects are heard together with their bed
    if (row.objects) {
        auto read = read_adm(out.path);
        if (!read) return read.error();
        model = std::move(*read);
        renderer.emplace(*model, row.layout, out.sample_rate);
    }
    const std::size_t heard_channels = row.objects ? row.channels() : channels;
    LoudnessTimelineMeter meter(out.sample_rate, static_cast<int>(heard_channels), false);
    TruePeaks peaks(heard_channels);
    std::optional<SpokenLoudness> spoken;
    if (row.content == Content::Mix && is_anchor(out.spoken.get()))
        spoken.emplace(*out.spoken, out.sample_rate, static_cast<int>(heard_channels));
    SpectrogramPicture picture(written.frames, out.sample_rate);
    // Two threads share the measuring about evenly.
    BlocksInBackground measuring(out.sample_rate, heard_channels, [&](const AudioBlock& block) {
        meter.add(block);
        if (spoken) spoken->add(block);
    });
    AudioBlock block(out.sample_rate, channels), rendered;
    for (;;) {
        if (job.cancelled()) return JobControl::cancelled_error();
        auto part = decoder->read();
        if (!part) return part.error();
        if (part->empty()) break;
        block.clear();
        block.append_interleaved(*part);
        if (renderer) renderer->render(block, rendered);
        const AudioBlock& heard = renderer ? rendered : block;
        measuring.add(heard);
        peaks.add(heard);
        if (row.content == Content::Mix) picture.add(heard);
        out.frames += static_cast<std::int64_t>(block.frames());
    }
    measuring.finish();
    out.course = meter.finish();
    out.course.loudness.true_peak_dbtp = peaks.finish_dbtp();
    if (row.content == Content::Mix) out.picture = picture.data_uri();
    if (row.content == Content::Stems) out.course = peaks_alone(std::move(out.course));
    out.gated_lufs = spoken ? spoken->integrated_lufs() : out.course.loudness.integrated_lufs;
    out.checksum = file_checksum(out.path);
    std::error_code error;
    out.bytes = fs::file_size(out.path, error);
    // Coders work in frames: what they add at the end is theirs; a sample missing is not.
    const auto wanted = static_cast<std::int64_t>(
        std::llround(static_cast<double>(written.frames) * out.sample_rate / rate_of_row(plan.session, row)));
    if (keeps_samples(row.container) ? out.frames != wanted : out.frames + 1 < wanted)
        return make_error(ErrorKind::Internal,
                          "\"{}\" holds {} samples where {} were written; it was taken away again.",
                          out.path.string(), out.frames, wanted);
    if (const LoudnessTarget* target = find_target(plan.table.targets, row.target))
        judge(*target, codes_with_loss(plan.session, row), out);
    return {};
}

Status compare_coded(const ScratchSound& given, const JobControl& job, DeliveredRow& row) {
    auto decoded = SoundUnderPicture::open(row.path);
    if (!decoded) return decoded.error();
    const auto next_decoded = [&](std::int64_t frames, AudioBlock& out) {
        return decoded->next(frames, out);
    };
    const auto found = compare(next_of(given), next_decoded, {{}, job.cancel});
    if (!found) return found.error();
    row.difference_db = found->difference_db;
    if (found->offset_samples != 0)
        return make_error(
            ErrorKind::Internal,
            "\"{}\" came out {} samples out of step; it was taken away again. Choose another kind.",
            row.path.string(), found->offset_samples);
    if (found->difference_db > kFarthestCodedDb && found->wanted_energy > 0)
        return make_error(
            ErrorKind::Internal,
            "\"{}\" does not sound like its mix (difference {:.0f} dB); it was taken away again. "
            "Choose another kind.",
            row.path.string(), found->difference_db);
    return {};
}

std::vector<StemFigures> stem_figures(const DeliveryPlan& plan, const JobControl& job) {
    constexpr std::int64_t kSeconds = 60;
    std::vector<StemFigures> out;
    for (const auto& item : plan.session.items) {
        const auto media = plan.media.find(item.path);
        if (media == plan.media.end() || !media->second.source || !media->second.map) continue;
        const Source& source = *media->second.source;
        const auto frames = static_cast<std::int64_t>(source.frames());
        const std::int64_t length = std::min(frames, kSeconds * source.sample_rate());
        const std::int64_t first = (frames - length) / 2;
        const auto assessment =
            Assessment::prepare(source, *media->second.map, first, first + length, {{}, job.cancel});
        if (!assessment) continue;
        for (std::size_t s = 0; s < media->second.map->row_size() / kBands; ++s) {
            const bool played = std::ranges::any_of(plan.session.timeline.tracks, [&](const Track& t) {
                return std::ranges::any_of(t.clips, [&](const Clip& c) {
                    return c.path == item.path && sound_of_clip_source(c.clip_source) == s;
                });
            });
            if (!played) continue;
            const TradeOff figure = assessment->measure(stem_weights(item.settings.stems[s], s), s);
            out.push_back({item.path.filename().string(), s,
                           figure.bleed_db > kNoBleedDb ? Level(figure.bleed_db) : std::nullopt,
                           figure.damage});
        }
    }
    return out;
}

std::string before_picture(const DeliveryPlan& plan) {
    for (const auto& item : plan.session.items) {
        const auto media = plan.media.find(item.path);
        if (media == plan.media.end() || !media->second.source) continue;
        const Source& source = *media->second.source;
        SpectrogramPicture picture(static_cast<std::int64_t>(source.frames()), source.sample_rate());
        constexpr std::int64_t kBlock = 1 << 16;
        AudioBlock block(source.sample_rate(), 1, static_cast<std::size_t>(kBlock));
        for (std::int64_t at = 0; at < static_cast<std::int64_t>(source.frames()); at += kBlock) {
            source.read(0, at, block[0]);
            picture.add(block);
        }
        return picture.data_uri();
    }
    return {};
}

}  // namespace rivlen
