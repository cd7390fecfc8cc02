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
    const auto sound = sound_of_clip_source(clip_source_);
    const auto weight_sets_at = [&](std::int64_t at) {
        s.weights[0] = sound ? weight_sets.stem(*sound, at) : weight_sets.kept(at);
        return std::span<const MaskWeights>(s.weights);
    };
    const std::array<std::span<const std::span<float>>, 1> view = {s.spans};
    s.shaper.next(std::cref(weight_sets_at), view);
}

// What of the recording's channels goes to each of the layout's.
void ClipSourceReader::bring_to(Layout layout) {
    if (brought_to_ == layout) return;
    brought_to_ = layout;
    const auto channels = static_cast<std::size_t>(media_.source->channels());
    const std::size_t wanted = channels_of(layout);
    matrix_ = ChannelMatrix(wanted, channels);
    auto from = likely_layout(channels);
    // Four or nine channels may be as many microphones: only where ambisonics are wanted are they taken for
    // such.
    if (from && ambisonic_order(*from) > 0 && ambisonic_order(layout) == 0) from.reset();
    if (channels <= 2 && wanted <= 2) {
        for (std::size_t t = 0; t < wanted; ++t) {
            for (std::size_t f = 0; f < channels; ++f)
                matrix_(t, f) = channels == 1 || wanted == 2 ? (channels == 1 || t == f ? 1 : 0) : 0.5;
        }
    } else if (from) {
        matrix_ = conversion(*from, layout);
    } else {  // channels of no layout: as many as fit
        for (std::size_t c = 0; c < std::min(wanted, channels); ++c) matrix_(c, c) = 1;
    }
}

void ClipSourceReader::read(const TimedMaskWeights* weight_sets, std::int64_t frame, Layout layout,
                            const ChannelBlock& out) {
    if (!media_.source) return out.fill(0.0F);
    bring_to(layout);
    const std::size_t channels = matrix_.from();
    if (channels <= 2 && out.size() == channels) return read_own(weight_sets, frame, out);
    own_.resize(channels);
    for (auto& channel : own_) channel.resize(std::max(channel.size(), out.frames()));
    const ChannelBlock own(own_, out.frames());
    read_own(weight_sets, frame, own);
    matrix_.apply(own, out);
}

// out: of the recording's channels.
void ClipSourceReader::read_own(const TimedMaskWeights* weight_sets, std::int64_t frame,
                                const ChannelBlock& out) {
    const Source* source = media_.source.get();
    const bool plain = clip_source_ == ClipSource::Whole || (clip_source_ == ClipSource::Kept && !media_.map);
    if (!plain && (!media_.map || weight_sets == nullptr)) return out.fill(0.0F);
    if (plain) {
        for (std::size_t c = 0; c < out.size(); ++c) source->read(static_cast<int>(c), frame, out[c]);
        return;
    }
    if (!shaping_) shaping_ = std::make_unique<Shaping>(*source, *media_.map);
    Shaping& s = *shaping_;
    const std::int64_t hop = s.shaper.hop();
    std::size_t done = 0;
    while (done < out.frames()) {
        const std::int64_t at = frame + static_cast<std::int64_t>(done);
        if (at < s.start || at >= s.start + hop) {
            if (s.next == std::numeric_limits<std::int64_t>::min() || at < s.next || at >= s.next + hop)
                s.next = s.shaper.seek(at);
            render_block(*weight_sets);
            s.start = s.next;
            s.next += hop;
        }
        const auto from = static_cast<std::size_t>(at - s.start);
        const std::size_t count = std::min(out.frames() - done, static_cast<std::size_t>(hop) - from);
        for (std::size_t c = 0; c < out.size(); ++c)
            std::copy_n(s.block[c].begin() + static_cast<std::ptrdiff_t>(from), count,
                        out[c].begin() + static_cast<std::ptrdiff_t>(done));
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
void TrackReader::read_clip(const PlannedClip& planned, std::int64_t frame, Layout layout,
                            const ChannelBlock& out) {
    if (planned.clip.room_tone) return read_room_tone(planned, frame, layout, out);
    reader_for(planned, 0).read(planned.weight_sets.get(), frame, layout, out);
}

void TrackReader::read_room_tone(const PlannedClip& planned, std::int64_t frame, Layout layout,
                                 const ChannelBlock& out) {
    out.fill(0.0F);
    if (!planned.room_tone) return;
    const RoomTone& tone = *planned.room_tone;
    const std::int64_t end = frame + static_cast<std::int64_t>(out[0].size());
    for (std::int64_t grain = tone.grain_at(frame) - 1; tone.grain_start(grain) < end; ++grain) {
        const std::int64_t start = tone.grain_start(grain);
        const std::int64_t from = std::max(frame, start);
        const std::int64_t to = std::min(end, start + tone.grain_frames());
        if (from >= to) continue;
        const auto count = static_cast<std::size_t>(to - from);
        const ChannelBlock piece(grain_, count);
        reader_for(planned, static_cast<int>(grain & 1))
            .read(planned.weight_sets.get(), tone.place_of(grain) + from - start, layout, piece);
        for (std::size_t k = 0; k < count; ++k) {
            const float w = tone.window(from - start + static_cast<std::int64_t>(k));
            const auto into = static_cast<std::size_t>(from - frame) + k;
            for (std::size_t c = 0; c < out.size(); ++c) out[c][into] += piece[c][k] * w;
        }
    }
}

void TrackReader::read(const MixPlan& plan, std::size_t track, std::int64_t frame, const ChannelBlock& out) {
    ++clock_;
    out.fill(0.0F);
    const Layout layout = plan.timeline().tracks[track].layout;
    const auto size = static_cast<std::int64_t>(out[0].size());
    for (auto* buffers : {&piece_, &grain_}) {
        buffers->resize(out.size());
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
        const ChannelBlock piece(piece_, count);
        read_clip(planned, clip.offset + from - clip.start, layout, piece);
        const double gain = amplitude_of_db(clip.gain_db);
        const auto into = static_cast<std::size_t>(from - frame);
        const bool fading = from < clip.start + clip.fade_in.frames || to > clip.end() - clip.fade_out.frames;
        for (std::size_t k = 0; k < count; ++k) {
            const double middle = static_cast<double>(from - clip.start) + static_cast<double>(k) + 0.5;
            const auto g = static_cast<float>(fading ? gain * clip_fade_gain(clip, middle) : gain);
            for (std::size_t c = 0; c < out.size(); ++c) out[c][into + k] += piece[c][k] * g;
        }
    }
}

}  // namespace rivlen
