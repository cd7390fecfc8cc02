// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/delivery_rows.h"

#include <algorithm>

#include "core/delivery/deliver.h"
#include "core/media/layback.h"
#include "core/mix/sound_objects.h"

namespace rivlen {

namespace fs = std::filesystem;

bool holds(Content content, Stem stem) {
    switch (content) {
        case Content::Mix:
            return true;
        case Content::Dialogue:
            return stem == Stem::Dialogue;
        case Content::Reverb:
            return stem == Stem::Reverb;
        case Content::Music:
        case Content::Instrumental:
        case Content::MusicWithoutDrums:
            return stem == Stem::Music;
        case Content::Ambience:
            return stem == Stem::Ambience;
        case Content::MusicAndEffects:
            return stem == Stem::Music || stem == Stem::Ambience;
        case Content::Voice:
            return stem == Stem::Dialogue || stem == Stem::Reverb;
        case Content::Stems:
        case Content::Limiter:
            return true;
    }
    return false;
}

std::optional<MusicPart> left_out_by(Content content) {
    if (content == Content::Instrumental) return MusicPart::Voices;
    if (content == Content::MusicWithoutDrums) return MusicPart::Drums;
    return {};
}

const fs::path* picture_of(const Session& session) {
    if (session.timeline.picture.empty()) return nullptr;
    return &session.timeline.picture.front().path;
}

std::string picture_ending(const Session& session) {
    const fs::path* picture = picture_of(session);
    return layback_ending(picture != nullptr ? *picture : fs::path());
}

LoopRange range_of_row(const Session& session, const HandoverRow& row) {
    const Timeline& r = session.timeline;
    return row.loop_only && r.loop ? *r.loop : LoopRange{0, r.end()};
}
double seconds_of_row(const Session& session, const HandoverRow& row) {
    const LoopRange range = range_of_row(session, row);
    return static_cast<double>(range.last - range.first) / std::max(1, session.timeline.sample_rate);
}
int rate_of_row(const Session& session, const HandoverRow& row) {
    const int rate = row.sample_rate != 0 ? row.sample_rate : session.timeline.sample_rate;
    if (row.container == Container::Picture && row.ac3) {  // ETSI TS 102 366, table 4.1
        return rate <= 32000 ? 32000 : rate % 11025 == 0 ? 44100 : 48000;
    }
    const auto coded = coded_kind(row.container);
    return coded ? coded_rate(*coded, rate) : rate;
}

std::optional<CodedKind> coded_kind(Container container) {
    switch (container) {
        case Container::Opus:
            return CodedKind::Opus;
        case Container::Mp3:
            return CodedKind::Mp3;
        case Container::Aac:
            return CodedKind::Aac;
        case Container::Wav:
        case Container::Flac:
        case Container::Picture:
            break;
    }
    return {};
}

bool codes_with_loss(const Session& session, const HandoverRow& row) {
    if (row.container == Container::Picture)
        return row.ac3 || layback_codes_with_loss(picture_ending(session));
    return coded_kind(row.container).has_value();
}

std::size_t object_channels(const Session& session, const HandoverRow& row) {
    std::size_t channels = 0;
    if (!row.objects) return 0;
    for (const auto& track : session_for(session, row.content, row.card).timeline.tracks) {
        if (can_be_object(session.timeline, track)) channels += channels_of(track.layout);
    }
    return channels;
}

std::string channels_label(const HandoverRow& row) {
    if (row.binaural) return "binaural";
    if (row.layout == Layout::Mono) return "mono";
    std::string label = row.layout == Layout::Stereo ? "" : key_of(row.layout);
    return row.objects ? label + " with objects" : label;
}

std::string lower(std::string text) {
    for (char& c : text) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return text;
}

Stem stem_of(const Track& track) {
    for (const auto& clip : track.clips) {
        if (const auto sound = sound_of_clip_source(clip.clip_source)) return stem_of_sound(*sound);
    }
    const std::string name = lower(track.name);
    const auto has = [&](const char* word) { return name.find(word) != std::string::npos; };
    if (has("reverb")) return Stem::Reverb;
    if (has("dialog") || has("voice") || has("narrat") || has("speech")) return Stem::Dialogue;
    if (has("music") || has("song")) return Stem::Music;
    return Stem::Ambience;
}

namespace {

// Silences a part wherever it would sound in the music, and takes out clips that play nothing else.
void leave_out(Session& session, MusicPart part) {
    const std::size_t sound = sound_of(part);
    for (auto& item : session.items) {
        item.settings.stems[sound].mute = true;
        for (auto& range : item.ranges) range.settings.stems[sound].mute = true;
        for (auto& card : item.cards) {
            if (card) card->settings.stems[sound].mute = true;
        }
    }
    for (auto& track : session.timeline.tracks) {
        std::erase_if(track.clips,
                      [sound](const Clip& clip) { return clip.clip_source == clip_source_of_sound(sound); });
    }
}

}  // namespace

Session session_for(const Session& session, Content content, int card) {
    Session out = session;
    if (const auto part = left_out_by(content)) leave_out(out, *part);
    for (auto& track : out.timeline.tracks) {
        if (card >= 0) track.card = card;
        if (content == Content::Mix) continue;
        track.strip.solo = false;
        if (holds(content, stem_of(track))) continue;
        track.strip.mute = true;
        std::erase_if(track.strip.lines, [](const StripLane& l) { return l.target == LaneTarget::Mute; });
        // Not even read, unless it ducks one that is heard.
        const bool ducks = std::ranges::any_of(session.timeline.tracks, [&](const Track& other) {
            return other.ducking.acts() && other.ducking.has_key(track.id) && holds(content, stem_of(other));
        });
        if (!ducks) track.clips.clear();
    }
    return out;
}

}  // namespace rivlen
