// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/delivery_proof.h"

#include <algorithm>
#include <cmath>
#include <fstream>
#include <map>

#include "core/assessment/tradeoff.h"
#include "core/base/hash.h"
#include "core/delivery/delivery_rows.h"
#include "core/delivery/spectrogram_picture.h"
#include "core/dsp/decibels.h"
#include "core/media/decode.h"

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

Status read_back(const DeliveryPlan& plan, const JobControl& job, const HandoverRow& row,
                 const ReadBack& written, DeliveredRow& out) {
    const bool exact = keeps_samples(row.container);
    const bool known = exact && written.true_peak_dbtp;
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
    LoudnessTimelineMeter meter(out.sample_rate, out.channels, !known);
    SpectrogramPicture picture(written.frames, out.sample_rate);
    MeasuredInBackground measuring(out.sample_rate, static_cast<std::size_t>(out.channels),
                                   [&](const AudioBlock& block) {
                                       meter.add(block);
                                       if (row.content == Content::Mix) picture.add(block);
                                   });
    for (;;) {
        if (job.cancelled()) return JobControl::cancelled_error();
        auto part = decoder->read();
        if (!part) return part.error();
        if (part->empty()) break;
        measuring.add_interleaved(*part);
        out.frames += std::ssize(*part) / out.channels;
    }
    measuring.finish();
    out.course = meter.finish();
    if (row.content == Content::Mix) out.picture = picture.data_uri();
    if (known) out.course.loudness.true_peak_dbtp = *written.true_peak_dbtp;
    if (row.content == Content::Stems) out.course = {};  // nobody hears the channels of such a file together
    out.gated_lufs = out.course.loudness.integrated_lufs;
    out.checksum = file_checksum(out.path);
    std::error_code error;
    out.bytes = fs::file_size(out.path, error);
    // Coders work in frames: what they add at the end is theirs; a sample missing is not.
    const auto wanted = static_cast<std::int64_t>(
        std::llround(static_cast<double>(written.frames) * out.sample_rate / rate_of_row(plan.session, row)));
    if (exact ? out.frames != wanted : out.frames + 1 < wanted)
        return make_error(ErrorKind::Internal,
                          "\"{}\" holds {} samples where {} were written; it was taken away again.",
                          out.path.string(), out.frames, wanted);
    const LoudnessTarget* target = find_target(plan.table.targets, row.target);
    if (target == nullptr || row.content != Content::Mix || row.mono) return {};
    const bool programme = target->gate == LoudnessGate::Programme && !target->short_term_lufs;
    const double off = out.gated_lufs ? *out.gated_lufs - target->integrated_lufs : 0;
    const Level peak = out.course.loudness.true_peak_dbtp;
    if (!out.gated_lufs) {
        out.on_target = false;
        out.sentence =
            "It is silent, and no gain brings silence to a target. Look whether its tracks are muted.";
    } else if (programme && std::abs(off) > target->tolerance_lu) {
        out.on_target = false;
        out.sentence = fmt::format("{:.1f} LU {} the target: its peaks do not allow more.", std::abs(off),
                                   off < 0 ? "under" : "over");
    } else if (peak && *peak > target->true_peak_dbtp + (is_coded(row.container) ? 0.5 : 0.05)) {
        out.on_target = false;
        out.sentence =
            fmt::format("True peak {:.1f} dBTP where {:.1f} are allowed.", *peak, target->true_peak_dbtp);
    }
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
        for (std::size_t s = 0; s < kStems; ++s) {
            const bool played = std::ranges::any_of(plan.session.timeline.tracks, [&](const Track& t) {
                return std::ranges::any_of(t.clips, [&](const Clip& c) {
                    return c.path == item.path && stem_of_clip_source(c.clip_source) == s;
                });
            });
            if (!played) continue;
            const TradeOff figure = assessment->measure(stem_weights(item.settings.stems[s], s), s);
            out.push_back({item.path.filename().string(), static_cast<Stem>(s),
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

std::vector<SumProof> add_up(const std::vector<DeliveredRow>& rows) {
    std::map<VersionKey, std::array<const DeliveredRow*, kStems + 1>> sets;
    for (const auto& row : rows) {
        const auto& asked = row.asked;
        if (row.state != RowState::Done && row.state != RowState::Skipped) continue;
        if (!keeps_samples(asked.container)) continue;
        const auto content = static_cast<std::size_t>(asked.content);
        if (content > kStems || asked.mono) continue;
        auto& set = sets[version_key(asked)];
        if (set[content] == nullptr) set[content] = &row;
    }
    std::vector<SumProof> out;
    for (const auto& [key, set] : sets) {
        if (std::ranges::find(set, nullptr) != set.end()) continue;
        std::vector<AudioDecoder> decoders;
        for (const auto* row : set) {
            auto decoder = AudioDecoder::open(row->path);
            if (decoder && row->sample_rate == set[0]->sample_rate) decoders.push_back(std::move(*decoder));
        }
        if (decoders.size() != set.size()) continue;
        std::vector<std::vector<float>> waiting(decoders.size());
        double peak = 0;
        for (bool more = true; more;) {
            more = false;
            std::size_t ready = SIZE_MAX;
            for (std::size_t i = 0; i < decoders.size(); ++i) {
                if (waiting[i].empty()) {
                    if (auto part = decoders[i].read()) waiting[i] = std::move(*part);
                }
                more = more || !waiting[i].empty();
                ready = std::min(ready, waiting[i].size());
            }
            if (ready == 0) break;
            for (std::size_t i = 0; i < ready; ++i) {
                double difference = -static_cast<double>(waiting[0][i]);
                for (std::size_t s = 1; s < waiting.size(); ++s)
                    difference += static_cast<double>(waiting[s][i]);
                peak = std::max(peak, std::abs(difference));
            }
            for (auto& part : waiting)
                part.erase(part.begin(), part.begin() + static_cast<std::ptrdiff_t>(ready));
        }
        out.push_back(
            {std::get<0>(key), std::get<2>(key), peak > 0 ? Level(db_of_amplitude(peak)) : std::nullopt});
    }
    return out;
}

}  // namespace rivlen
