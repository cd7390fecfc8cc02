// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/world/material.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/active_power.h"
#include "core/dsp/decibels.h"
#include "learn/world/mouth.h"
#include "learn/world/music.h"
#include "learn/world/voices.h"

namespace rivlen::learn {

namespace {

constexpr double kTalkPower = 1e-2;

float gain_of(double db) {
    return static_cast<float>(amplitude_of_db(db));
}

// Cuts the silence before and after an utterance (below -45 dB of its peak), leaving 20 ms.
Samples trimmed(const Samples& x) {
    float peak = 0.0F;
    for (const float v : x) peak = std::max(peak, std::abs(v));
    const float limit = peak * 0.0056F;
    const auto loud = [&](float v) { return std::abs(v) > limit; };
    const auto first = std::ranges::find_if(x, loud);
    if (first == x.end()) return {};
    const auto last = std::find_if(x.rbegin(), x.rend(), loud).base();
    constexpr std::ptrdiff_t kMargin = kCorpusRate / 50;
    const auto from = std::max(x.begin(), first - std::min<std::ptrdiff_t>(kMargin, first - x.begin()));
    const auto to = last + std::min<std::ptrdiff_t>(kMargin, x.end() - last);
    return {from, to};
}

// How a reader is changed: read at another speed (pitch and formants move), and pitch moved against the
// formants.
struct VoiceChange {
    double speed = 1.0;
    double pitch = 1.0;
    bool whispers = false;
};
VoiceChange random_change(bool vary, Rng& rng) {
    VoiceChange change;
    if (!vary) {
        if (rng.chance(0.6)) change.speed = rng.uniform(0.84, 1.18);
        return change;
    }
    if (rng.chance(0.65)) change.speed = rng.log_uniform(0.82, 1.24);
    if (rng.chance(0.4)) change.pitch = rng.log_uniform(0.75, 1.35);
    return change;
}

// A gain that runs from nothing over `fade` frames at both ends.
float edge_gain(std::size_t i, std::size_t length, std::size_t fade) {
    const std::size_t edge = std::min(i, length - 1 - i);
    return edge < fade ? static_cast<float>(edge) / static_cast<float>(fade) : 1.0F;
}

// Gains of a mono sound that stands somewhere between the channels.
std::array<float, 2> place_of(double pan) {
    return {static_cast<float>(1.0 - 0.7 * pan), static_cast<float>(0.3 + 0.7 * pan)};
}

// A loudspeaker of a television, a radio or a hall: little bandwidth, a resonance, some overload.
void through_loudspeaker(Samples& x, Rng& rng) {
    const double low_hz = rng.log_uniform(120, 500);
    const double high_hz = rng.log_uniform(2500, 8000);
    for (int pass = 0; pass < 2; ++pass) {
        filter(x, Biquad::high_pass(kCorpusRate, low_hz, 0.8));
        filter(x, Biquad::low_pass(kCorpusRate, high_hz, 0.8));
    }
    filter(x,
           Biquad::peaking(kCorpusRate, rng.log_uniform(500, 3000), rng.uniform(1, 6), rng.uniform(0, 12)));
    const auto drive = static_cast<float>(rng.log_uniform(1.0, 12.0));
    for (float& v : x) v = std::tanh(drive * v) / drive;
}

}  // namespace

double active_power(std::span<const float> x) {
    return rivlen::active_power(x, kCorpusRate);
}
Stereo silent_stereo(std::size_t frames) {
    return {Samples(frames, 0.0F), Samples(frames, 0.0F)};
}

void add_stereo(Stereo& to, const Stereo& from, float gain) {
    for (std::size_t c = 0; c < 2; ++c) add(to[c], from[c], gain);
}

double active_power(const Stereo& x) {
    return rivlen::active_power(std::span<const std::vector<float>>(x), kCorpusRate);
}

void set_active_level(Stereo& x, double level_db) {
    const double now = active_power(x);
    if (now <= 1e-14) return;
    const auto gain = static_cast<float>(std::sqrt(power_of_db(level_db) / now));
    for (auto& channel : x) {
        for (float& v : channel) v *= gain;
    }
}

std::vector<Biquad> random_colour(Rng& rng, double depth_db) {
    std::vector<Biquad> filters;
    filters.push_back(
        Biquad::low_shelf(kCorpusRate, rng.log_uniform(80, 400), rng.uniform(-depth_db, depth_db)));
    filters.push_back(
        Biquad::high_shelf(kCorpusRate, rng.log_uniform(2000, 9000), rng.uniform(-depth_db, depth_db)));
    filters.push_back(Biquad::peaking(kCorpusRate, rng.log_uniform(200, 6000), rng.uniform(0.5, 3),
                                      rng.uniform(-depth_db, depth_db)));
    return filters;
}

Material::Material(const Corpus& corpus, Pool pool) : corpus_(&corpus), vary_(pool == Pool::Learn) {
    const auto collect = [&](const char* kind, std::vector<Source>& into) {
        for (const auto& [name, recordings] : corpus.groups(kind, pool)) {
            double seconds = 0.0;
            double bandwidth = 0.0;
            for (const auto& r : recordings) {
                seconds += static_cast<double>(r.frames) / kCorpusRate;
                bandwidth += r.measures.bandwidth_hz / static_cast<double>(recordings.size());
            }
            double weight = std::sqrt(std::min(seconds, 1200.0));
            if (std::string_view(kind) == "speech" && bandwidth > 14000) weight *= 2.0;
            into.push_back({&recordings, weight});
        }
    };
    collect("speech", readers_);
    collect("music", pieces_);
    collect("effects", effects_);
    collect("behind", made_talkers_);
}

const Material::Source& Material::draw(const std::vector<Source>& sources, Rng& rng) const {
    double total = 0.0;
    for (const auto& s : sources) total += s.weight;
    double at = rng.uniform() * total;
    for (const auto& s : sources) {
        at -= s.weight;
        if (at <= 0.0) return s;
    }
    return sources.back();
}

Samples Material::talk(std::size_t frames, Pitch pitch, double& bandwidth_hz, Rng& rng) const {
    return talk_of(*draw(readers_, rng).recordings, frames, pitch, bandwidth_hz, rng);
}

Samples Material::distant_talk(std::size_t frames, Rng& rng) const {
    double bandwidth = 24000;
    const bool made = !made_talkers_.empty() && rng.chance(0.3);
    return talk_of(*draw(made ? made_talkers_ : readers_, rng).recordings, frames, Pitch::AsRead, bandwidth,
                   rng);
}

Samples Material::talk_of(const std::vector<Recording>& recordings, std::size_t frames, Pitch pitch,
                          double& bandwidth_hz, Rng& rng) const {
    VoiceChange change = random_change(vary_, rng);
    if (pitch == Pitch::AsRead) change.pitch = 1.0;
    change.whispers = pitch == Pitch::Moved && vary_ && rng.chance(0.03);
    Samples out(frames, 0.0F);
    // Now and then a word or a syllable with nothing around it.
    const bool sparse = vary_ && rng.chance(0.12);
    std::size_t at = sparse ? rng.below(frames * 3 / 4) : rng.chance(0.3) ? rng.below(frames / 3 + 1) : 0;
    bool first = true;
    while (at < frames) {
        const auto& recording = recordings[rng.below(recordings.size())];
        Samples utterance(
            static_cast<std::size_t>(std::min<std::uint64_t>(recording.frames, kCorpusRate * 20)));
        const std::uint64_t skip =
            recording.frames > utterance.size() ? rng.below(recording.frames - utterance.size()) : 0;
        corpus_->read(recording, skip, 0, utterance);
        utterance = trimmed(utterance);
        // Of a long utterance only what fits is changed; it may be entered in its middle.
        const auto wanted = static_cast<std::size_t>(static_cast<double>(frames - at) * change.speed) + 64;
        if (utterance.size() > wanted) {
            const std::size_t from = first ? rng.below(utterance.size() - wanted + 1) : 0;
            utterance = {utterance.begin() + static_cast<std::ptrdiff_t>(from),
                         utterance.begin() + static_cast<std::ptrdiff_t>(from + wanted)};
        }
        if (change.speed != 1.0) utterance = at_speed(utterance, change.speed);
        if (change.whispers)
            utterance = whispered(utterance, rng);
        else if (change.pitch != 1.0 && utterance.size() > 4800)
            utterance = with_pitch(utterance, change.pitch);
        if (sparse && rng.chance(0.6)) {
            utterance.resize(std::min(utterance.size(), frames_of(rng.log_uniform(0.15, 0.8))));
            for (std::size_t i = 0; i < utterance.size(); ++i)
                utterance[i] *= edge_gain(i, utterance.size(), 960);
        }
        const double p = active_power(utterance);
        const float gain =
            p > 1e-12 ? static_cast<float>(std::sqrt(kTalkPower / p)) * gain_of(rng.uniform(-3, 3)) : 0.0F;
        const std::size_t count = std::min(utterance.size(), frames - at);
        for (std::size_t i = 0; i < count; ++i) out[at + i] = gain * utterance[i];
        at += count + frames_of(rng.log_uniform(0.03, 0.7));
        const double top = recording.measures.bandwidth_hz * change.speed * std::min(1.0, change.pitch);
        bandwidth_hz = std::min(bandwidth_hz, std::max(top, 3000.0));
        first = false;
        if (sparse || rng.chance(0.06)) break;
    }
    return out;
}

Stereo Material::read_stereo(const Recording& recording, std::uint64_t start, std::size_t frames,
                             double speed) const {
    Stereo out;
    for (int c = 0; c < 2; ++c) {
        auto& channel = out[static_cast<std::size_t>(c)];
        channel.resize(frames);
        corpus_->read(recording, start, c, channel);
        if (speed != 1.0) channel = at_speed(channel, speed);
    }
    return out;
}

double Material::random_speed(Rng& rng) const {
    return vary_ && rng.chance(0.6) ? rng.log_uniform(0.55, 1.8) : 1.0;
}

Stereo Material::recorded_music(std::size_t frames, Rng& rng) const {
    const auto& recordings = *draw(pieces_, rng).recordings;
    const auto& recording = recordings[rng.below(recordings.size())];
    // Few pieces have to stand for all music: other speeds are other keys and tempos.
    const double speed = vary_             ? (rng.chance(0.6) ? rng.log_uniform(0.7, 1.42) : 1.0)
                         : rng.chance(0.4) ? rng.uniform(0.85, 1.17)
                                           : 1.0;
    const auto wanted = static_cast<std::size_t>(static_cast<double>(frames) * speed) + 64;
    const std::uint64_t start = recording.frames > wanted ? rng.below(recording.frames - wanted) : 0;
    Stereo out = read_stereo(recording, start, wanted, speed);
    for (auto& channel : out) channel.resize(frames, 0.0F);
    return out;
}

Stereo Material::singing(std::size_t frames, Rng& rng) const {
    Stereo out = rng.chance(0.75) ? recorded_music(frames, rng) : silent_stereo(frames);
    const double music = active_power(out);
    const int voices = rng.chance(0.7) ? 1 : rng.between(2, 3);
    const double over_db = rng.uniform(-6, 8);
    Rng tune(rng.bits());
    for (int v = 0; v < voices; ++v) {
        double bandwidth = 24000;
        Rng own = tune;  // a choir sings one tune
        auto voice = sung(talk(frames, Pitch::AsRead, bandwidth, rng), own);
        voice.resize(frames, 0.0F);
        const double p = active_power(voice);
        if (p < 1e-9) continue;
        const auto sound = put_in_room(
            voice, random_room(rng, rng.chance(0.3) ? Strength::Strong : Strength::Light, Microphones::Any),
            rng.uniform(-0.5, 0.5), rng);
        const auto gain =
            static_cast<float>(std::sqrt((music > 1e-9 ? music : kTalkPower) / p)) * gain_of(over_db);
        add_stereo(out, sound.direct, gain);
        add_stereo(out, sound.reverb, gain);
    }
    return out;
}

Stereo Material::music(std::size_t frames, Rng& rng) const {
    const double what = vary_ ? rng.uniform() : 1.0;
    Stereo out = what < 0.10   ? synthesise_music(frames, rng)
                 : what < 0.16 ? singing(frames, rng)
                               : recorded_music(frames, rng);
    const double width = rng.chance(0.15) ? 0.0 : rng.chance(0.12) ? rng.uniform(1.2, 1.8) : 1.0;
    for (std::size_t i = 0; i < frames; ++i) {
        const float mid = 0.5F * (out[0][i] + out[1][i]);
        const float side = 0.5F * (out[0][i] - out[1][i]) * static_cast<float>(width);
        out[0][i] = mid + side;
        out[1][i] = mid - side;
    }
    if (rng.chance(0.25)) {  // it starts or stops within the mix
        const std::size_t edge = rng.below(frames);
        const bool starts = rng.chance(0.5);
        const std::size_t fade = rng.below(kCorpusRate) + 480;
        for (auto& channel : out) {
            for (std::size_t i = 0; i < frames; ++i) {
                const double along =
                    (static_cast<double>(i) - static_cast<double>(edge)) / static_cast<double>(fade);
                channel[i] *= static_cast<float>(std::clamp(starts ? along : 1.0 - along, 0.0, 1.0));
            }
        }
    }
    return out;
}

// One recording again and again, or several of a group with pauses between them. A loop keeps its speed: a
// steady machine that changed its pitch with every turn would be a melody.
void Material::add_pieces(Stereo& out, bool looped, Rng& rng) const {
    const std::size_t frames = out[0].size();
    const auto& recordings = *draw(effects_, rng).recordings;
    const float gain = gain_of(rng.uniform(-12, 0));
    std::size_t at = looped ? 0 : rng.below(frames);
    const Recording* recording = &recordings[rng.below(recordings.size())];
    const auto place = place_of(rng.uniform());
    double speed = random_speed(rng);
    while (at < frames) {
        if (!looped) speed = random_speed(rng);
        const auto raw_length = static_cast<std::size_t>(std::min<std::uint64_t>(
            recording->frames, static_cast<std::uint64_t>(static_cast<double>(frames - at) * speed) + 64));
        const std::uint64_t start =
            recording->frames > raw_length ? rng.below(recording->frames - raw_length) : 0;
        const Stereo piece = read_stereo(*recording, start, raw_length, speed);
        const std::size_t length = std::min(piece[0].size(), frames - at);
        const double p = active_power(piece);
        const float level = p > 1e-12 ? gain * static_cast<float>(std::sqrt(kTalkPower / p)) : 0.0F;
        const std::size_t fade = std::min<std::size_t>(length / 4, 960);
        for (std::size_t c = 0; c < 2; ++c) {
            const float side = recording->channels == 1 ? place[c] : 1.0F;
            for (std::size_t i = 0; i < length; ++i)
                out[c][at + i] += level * side * edge_gain(i, length, fade) * piece[c][i];
        }
        const double gap_s = looped ? 0.0 : rng.log_uniform(0.05, 2.0);
        at += length - (looped ? fade : 0) + frames_of(gap_s) + 1;
        if (!looped) recording = &recordings[rng.below(recordings.size())];
    }
}

Stereo Material::loop(std::size_t frames, Rng& rng) const {
    Stereo out = silent_stereo(frames);
    add_pieces(out, true, rng);
    return out;
}

// A short piece of a sound again and again, as machines do: a rhythm, and yet no music.
void Material::add_repeated(Stereo& out, Rng& rng) const {
    const std::size_t frames = out[0].size();
    const auto& recordings = *draw(effects_, rng).recordings;
    const auto& sound = recordings[rng.below(recordings.size())];
    const double period_s = rng.log_uniform(0.15, 1.3);
    const auto count = static_cast<std::size_t>(
        std::min<std::uint64_t>(sound.frames, frames_of(std::min(period_s * rng.uniform(0.4, 1.3), 1.0))));
    if (count < 960) return;
    const std::uint64_t start = sound.frames > count ? rng.below(sound.frames - count) : 0;
    const Stereo piece = read_stereo(sound, start, count, random_speed(rng));
    const double p = active_power(piece);
    if (p < 1e-12) return;
    const float level = gain_of(rng.uniform(-9, 0)) * static_cast<float>(std::sqrt(kTalkPower / p));
    const double wobble = rng.chance(0.6) ? 0.003 : 0.08;
    const std::size_t length = piece[0].size();
    for (double t_s = rng.uniform(0, period_s); frames_of(t_s) < frames;
         t_s += period_s * rng.uniform(1.0 - wobble, 1.0 + wobble)) {
        const std::size_t at = frames_of(t_s);
        const float gain = level * gain_of(rng.uniform(-2, 2));
        for (std::size_t c = 0; c < 2; ++c) {
            for (std::size_t i = 0; i < std::min(length, frames - at); ++i)
                out[c][at + i] += gain * edge_gain(i, length, 240) * piece[c][i];
        }
    }
}

// Grains of one recording, many at a time: what happened becomes what goes on.
void Material::add_grains(Stereo& out, Rng& rng) const {
    const std::size_t frames = out[0].size();
    const auto& recordings = *draw(effects_, rng).recordings;
    const auto& sound = recordings[rng.below(recordings.size())];
    const std::size_t count = std::min<std::size_t>(sound.frames, 4 * kCorpusRate);
    const Stereo piece = read_stereo(sound, sound.frames > count ? rng.below(sound.frames - count) : 0, count,
                                     random_speed(rng));
    const std::size_t length = std::min(frames_of(rng.log_uniform(0.02, 0.3)), piece[0].size() / 2);
    if (length < 480) return;
    const double rate_hz = rng.log_uniform(1.0, 8.0) * kCorpusRate / static_cast<double>(length);
    for (double t_s = 0.0; frames_of(t_s) < frames; t_s += rng.log_uniform(0.3, 3.0) / rate_hz) {
        const std::size_t at = frames_of(t_s);
        const std::size_t from = rng.below(piece[0].size() - length);
        const float gain = gain_of(rng.uniform(-12, 0));
        for (std::size_t c = 0; c < 2; ++c) {
            for (std::size_t i = 0; i < std::min(length, frames - at); ++i)
                out[c][at + i] += gain * edge_gain(i, length, length / 2) * piece[c][from + i];
        }
    }
}

Stereo Material::recorded_ambience(std::size_t frames, Rng& rng) const {
    Stereo out = silent_stereo(frames);
    const int layers = rng.between(1, 3);
    for (int layer = 0; layer < layers; ++layer) {
        const double what = vary_ ? rng.uniform() : 1.0;
        if (what < 0.15) {
            add_repeated(out, rng);
        } else if (what < 0.27) {
            add_grains(out, rng);
        } else {
            add_pieces(out, rng.chance(0.5), rng);
        }
    }
    return out;
}

// Talkers are added dry in two heaps, and each heap is convolved once: a room each would cost three times the
// time.
Stereo Material::crowd(std::size_t frames, Rng& rng) const {
    Stereo out = silent_stereo(frames);
    const int talkers = rng.between(5, 16);
    for (int heap = 0; heap < 2; ++heap) {
        Samples dry(frames, 0.0F);
        for (int t = 0; t < talkers / 2; ++t) {
            add(dry, distant_talk(frames, rng), gain_of(rng.uniform(-14, 0)));
        }
        RoomSpec room = random_room(rng, Strength::Strong, Microphones::Any);
        room.direct_to_reverb_db = rng.uniform(-22, 0);
        const auto sound = put_in_room(dry, room, rng.uniform(-1, 1), rng);
        add_stereo(out, sound.direct);
        add_stereo(out, sound.reverb);
    }
    const auto top = Biquad::low_pass(kCorpusRate, rng.log_uniform(2500, 16000), 0.6);
    for (auto& channel : out) filter(channel, top);
    return out;
}

Stereo Material::talkers_behind(std::size_t frames, Rng& rng) const {
    Stereo out = silent_stereo(frames);
    const bool loudspeaker = rng.chance(0.45);
    const int talkers = loudspeaker ? 1 : rng.between(2, 4);
    for (int t = 0; t < talkers; ++t) {
        auto voice = distant_talk(frames, rng);
        if (loudspeaker) through_loudspeaker(voice, rng);
        RoomSpec room = random_room(rng, Strength::Strong, Microphones::Any);
        room.direct_to_reverb_db = rng.uniform(-12, loudspeaker ? 4 : 0);
        const auto sound = put_in_room(voice, room, rng.uniform(-1, 1), rng);
        const float gain = gain_of(rng.uniform(-8, 0));
        add_stereo(out, sound.direct, gain);
        add_stereo(out, sound.reverb, gain);
    }
    const auto top = Biquad::low_pass(kCorpusRate, rng.log_uniform(1200, 9000), 0.6);
    for (auto& channel : out) filter(channel, top);
    return out;
}

}  // namespace rivlen::learn
