// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/track_reader.h"

#include <algorithm>
#include <functional>
#include <limits>

#include "core/dsp/decibels.h"
#include "core/separation/shaper.h"

namespace rivlen {

struct ClipSourceReader::Shaping {
    Shaping(const Source& source, const MaskMap& map)
        : shaper(source, map, 1),
          block(source.sample_rate(), static_cast<std::size_t>(source.channels()),
                static_cast<std::size_t>(shaper.hop())) {
        for (std::size_t c = 0; c < block.channels(); ++c) spans.push_back(block[c]);
    }
    Shaper shaper;
    AudioBlock block;
    std::vector<std::span<float>> spans;
    std::int64_t start = std::numeric_limits<std::int64_t>::min();  // of the block
    std::int64_t next = std::numeric_limits<std::int64_t>::min();   // that the shaper renders without a seek
    std::array<MaskWeights, 1> weights;
};

ClipSourceReader::ClipSourceReader(MixMedia media, ClipSource clip_source)
    : media_(std::move(media)), clip_source_(clip_source) {}
ClipSourceReader::~ClipSourceReader() = default;

void ClipSourceReader::render_block(const TimedMaskWeights& weight_sets) {
    Shaping& s = *shaping_;
    const auto stem = stem_of_clip_source(clip_source_);
    const auto weight_sets_at = [&](std::int64_t at) {
        s.weights[0] = stem ? weight_sets.stem(*stem, at) : weight_sets.kept(at);
        return std::span<const MaskWeights>(s.weights);
    };
    const std::array<std::span<const std::span<float>>, 1> view = {s.spans};
    s.shaper.next(std::cref(weight_sets_at), view);
}

void ClipSourceReader::read(const TimedMaskWeights* weight_sets, std::int64_t frame, StereoBlock out) {
    const Source* source = media_.source.get();
    const bool plain = clip_source_ == ClipSource::Whole || (clip_source_ == ClipSource::Kept && !media_.map);
    if (source == nullptr || (!plain && (!media_.map || weight_sets == nullptr))) {
        for (auto& channel : out) std::ranges::fill(channel, 0.0F);
        return;
    }
    const auto channels = static_cast<std::size_t>(source->channels());
    if (plain) {
        for (std::size_t c = 0; c < kMixChannels; ++c)
            source->read(static_cast<int>(std::min(c, channels - 1)), frame, out[c]);
        return;
    }
    if (!shaping_) shaping_ = std::make_unique<Shaping>(*source, *media_.map);
    Shaping& s = *shaping_;
    const std::int64_t hop = s.shaper.hop();
    std::size_t done = 0;
    while (done < out[0].size()) {
        const std::int64_t at = frame + static_cast<std::int64_t>(done);
        if (at < s.start || at >= s.start + hop) {
            if (s.next == std::numeric_limits<std::int64_t>::min() || at < s.next || at >= s.next + hop)
                s.next = s.shaper.seek(at);
            render_block(*weight_sets);
            s.start = s.next;
            s.next += hop;
        }
        const auto from = static_cast<std::size_t>(at - s.start);
        const std::size_t count = std::min(out[0].size() - done, static_cast<std::size_t>(hop) - from);
        for (std::size_t c = 0; c < kMixChannels; ++c) {
            const auto channel = s.block[std::min(c, channels - 1)];
            std::copy_n(channel.begin() + static_cast<std::ptrdiff_t>(from), count,
                        out[c].begin() + static_cast<std::ptrdiff_t>(done));
        }
        done += count;
    }
}

ClipSource TrackReader::heard(const PlannedClip& planned) const {
    const ClipSource plays = planned.clip.clip_source;
    const bool mixed = plays == ClipSource::Whole || plays == ClipSource::Kept;
    return hears_ == Hears::Talk && mixed && planned.media.map ? ClipSource::Dialogue : plays;
}

ClipSourceReader& TrackReader::reader_for(const PlannedClip& planned, int voice) {
    const Clip& clip = planned.clip;
    const ClipSource source = heard(planned);
    Entry* free = nullptr;  // longest unused, that fits
    for (auto& entry : readers_) {
        const bool fits = entry.reader->fits(planned.media, source);
        if (fits && entry.clip == clip.id && entry.voice == voice) {
            entry.used = clock_;
            return *entry.reader;
        }
        if (fits && entry.used != clock_ && (free == nullptr || entry.used < free->used)) free = &entry;
    }
    if (free == nullptr) {
        if (readers_.size() >= kMostReaders) {
            const auto oldest = std::ranges::min_element(readers_, {}, &Entry::used);
            if (oldest->used != clock_) readers_.erase(oldest);
        }
        readers_.push_back({0, 0, 0, std::make_unique<ClipSourceReader>(planned.media, source)});
        free = &readers_.back();
    }
    free->clip = clip.id;
    free->voice = voice;
    free->used = clock_;
    return *free->reader;
}

// frame: of what the clip plays.
void TrackReader::read_clip(const PlannedClip& planned, std::int64_t frame, StereoBlock out) {
    if (planned.clip.room_tone) return read_room_tone(planned, frame, out);
    reader_for(planned, 0).read(planned.weight_sets.get(), frame, out);
}

void TrackReader::read_room_tone(const PlannedClip& planned, std::int64_t frame, StereoBlock out) {
    for (auto& channel : out) std::ranges::fill(channel, 0.0F);
    if (!planned.room_tone) return;
    const RoomTone& tone = *planned.room_tone;
    const std::int64_t end = frame + static_cast<std::int64_t>(out[0].size());
    for (std::int64_t grain = tone.grain_at(frame) - 1; tone.grain_start(grain) < end; ++grain) {
        const std::int64_t start = tone.grain_start(grain);
        const std::int64_t from = std::max(frame, start);
        const std::int64_t to = std::min(end, start + tone.grain_frames());
        if (from >= to) continue;
        const auto count = static_cast<std::size_t>(to - from);
        const StereoBlock piece = {std::span(grain_[0]).first(count), std::span(grain_[1]).first(count)};
        reader_for(planned, static_cast<int>(grain & 1))
            .read(planned.weight_sets.get(), tone.place_of(grain) + from - start, piece);
        for (std::size_t k = 0; k < count; ++k) {
            const float w = tone.window(from - start + static_cast<std::int64_t>(k));
            const auto into = static_cast<std::size_t>(from - frame) + k;
            for (std::size_t c = 0; c < kMixChannels; ++c) out[c][into] += piece[c][k] * w;
        }
    }
}

void TrackReader::read(const MixPlan& plan, std::size_t track, std::int64_t frame, StereoBlock out) {
    ++clock_;
    for (auto& channel : out) std::ranges::fill(channel, 0.0F);
    const auto size = static_cast<std::int64_t>(out[0].size());
    for (auto* buffers : {&piece_, &grain_}) {
        for (auto& channel : *buffers) {
            if (channel.size() < out[0].size()) channel.resize(out[0].size());
        }
    }
    for (const PlannedClip& planned : plan.clips(track)) {
        const Clip& clip = planned.clip;
        if (clip.start >= frame + size) break;  // they stand in order of start
        if (clip.end() <= frame || (hears_ == Hears::Talk && clip.room_tone)) continue;
        const std::int64_t from = std::max(frame, clip.start);
        const std::int64_t to = std::min(frame + size, clip.end());
        const auto count = static_cast<std::size_t>(to - from);
        const StereoBlock piece = {std::span(piece_[0]).first(count), std::span(piece_[1]).first(count)};
        read_clip(planned, clip.offset + from - clip.start, piece);
        const double gain = amplitude_of_db(clip.gain_db);
        const auto into = static_cast<std::size_t>(from - frame);
        const bool fading = from < clip.start + clip.fade_in.frames || to > clip.end() - clip.fade_out.frames;
        for (std::size_t k = 0; k < count; ++k) {
            const double middle = static_cast<double>(from - clip.start) + static_cast<double>(k) + 0.5;
            const auto g = static_cast<float>(fading ? gain * clip_fade_gain(clip, middle) : gain);
            for (std::size_t c = 0; c < kMixChannels; ++c) out[c][into + k] += piece[c][k] * g;
        }
    }
}

}  // namespace rivlen
