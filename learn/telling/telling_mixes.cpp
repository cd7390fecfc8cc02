// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/telling/telling_mixes.h"

#include <algorithm>
#include <cmath>
#include <random>

#include "core/dsp/decibels.h"
#include "learn/telling/image_room.h"
#include "learn/telling/plain_sounds.h"

namespace rivlen::learn {

namespace {

constexpr double kVoiceRms = 0.05;  // of a voice while it speaks

double between(std::mt19937_64& chance, double low, double high) {
    return std::uniform_real_distribution<>(low, high)(chance);
}
std::size_t below(std::mt19937_64& chance, std::size_t count) {
    return std::uniform_int_distribution<std::size_t>(0, count - 1)(chance);
}

Stereo silence(std::size_t frames) {
    return {std::vector<float>(frames, 0.0F), std::vector<float>(frames, 0.0F)};
}

// RMS of the louder half of 100 ms blocks of both channels.
double sounding_rms(const Stereo& x) {
    constexpr std::size_t kBlock = 4800;
    std::vector<double> blocks;
    for (std::size_t i = 0; i + kBlock <= x[0].size(); i += kBlock) {
        blocks.push_back(
            (energy_of(std::span(x[0]).subspan(i, kBlock)) + energy_of(std::span(x[1]).subspan(i, kBlock))) /
            (2.0 * kBlock));
    }
    if (blocks.empty()) return 0.0;
    std::ranges::sort(blocks, std::greater());
    const std::size_t count = std::max<std::size_t>(1, blocks.size() / 2);
    double sum = 0.0;
    for (std::size_t i = 0; i < count; ++i) sum += blocks[i];
    return std::sqrt(sum / static_cast<double>(count));
}
void bring_to(Stereo& x, double rms) {
    const double now = sounding_rms(x);
    if (now < 1e-9) return;
    for (auto& channel : x) {
        for (float& v : channel) v *= static_cast<float>(rms / now);
    }
}
void add(Stereo& to, const Stereo& from) {
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i < to[c].size(); ++i) to[c][i] += from[c][i];
    }
}
void make_mono(Stereo& x) {
    for (std::size_t i = 0; i < x[0].size(); ++i) x[0][i] = x[1][i] = 0.5F * (x[0][i] + x[1][i]);
}
void close(Mix& mix) {
    mix.mix = silence(mix.stems[0][0].size());
    for (const auto& stem : mix.stems) add(mix.mix, stem);
}

std::uint64_t seed_for(const std::string& kind, int n) {
    std::uint64_t seed = 14695981039346656037ULL;  // FNV-1a, which is the same everywhere
    for (const char c : kind) seed = (seed ^ static_cast<unsigned char>(c)) * 1099511628211ULL;
    return seed + static_cast<std::uint64_t>(n) * 0x9E3779B97F4A7C15ULL;
}

}  // namespace

TellingMixes::TellingMixes(const Corpus& corpus) : corpus_(&corpus) {
    const auto collect = [&](const char* kind, std::vector<Group>& into) {
        for (const auto& [name, recordings] : corpus.groups(kind, Pool::Tell))
            into.push_back({name, recordings});
    };
    collect("speech", readers_);
    collect("music", music_);
    collect("effects", effects_);
}

const std::vector<std::string>& TellingMixes::kinds() {
    static const std::vector<std::string> all = {"voice over music",
                                                 "voice in recorded ambience",
                                                 "voice in made ambience",
                                                 "voice in a crowd",
                                                 "voice in a room",
                                                 "voice, music, recorded ambience",
                                                 "voice, music, made ambience",
                                                 "music and recorded ambience",
                                                 "music and made ambience"};
    return all;
}

// Utterances of one reader, with margin_s of silence before and behind them.
std::vector<float> TellingMixes::speech(std::size_t frames, double margin_s, double& bandwidth_hz,
                                        Chance& chance) const {
    const auto& recordings = readers_[below(chance, readers_.size())].recordings;
    std::vector<float> out(frames, 0.0F);
    const auto margin = static_cast<std::size_t>(margin_s * kCorpusRate);
    std::size_t at = margin;
    while (at + margin < frames) {
        const auto& recording = recordings[below(chance, recordings.size())];
        const std::size_t count =
            std::min<std::size_t>(static_cast<std::size_t>(recording.frames), frames - margin - at);
        corpus_->read(recording, 0, 0, std::span(out).subspan(at, count));
        bandwidth_hz = std::min(bandwidth_hz, recording.measures.bandwidth_hz);
        at += count + static_cast<std::size_t>(between(chance, 0.1, 0.9) * kCorpusRate);
    }
    return out;
}

Stereo TellingMixes::piece(std::size_t frames, Chance& chance) const {
    const auto& recordings = music_[below(chance, music_.size())].recordings;
    const auto& recording = recordings[below(chance, recordings.size())];
    const std::uint64_t start =
        recording.frames > frames ? below(chance, static_cast<std::size_t>(recording.frames) - frames) : 0;
    Stereo out = silence(frames);
    for (int c = 0; c < 2; ++c) corpus_->read(recording, start, c, out[static_cast<std::size_t>(c)]);
    return out;
}

// A bed that goes round and round, and single sounds over it.
Stereo TellingMixes::recorded(std::size_t frames, Chance& chance) const {
    Stereo out = silence(frames);
    const auto& group = effects_[below(chance, effects_.size())].recordings;
    const auto& bed = group[below(chance, group.size())];
    for (std::size_t c = 0; c < 2; ++c) {
        std::vector<float> once(static_cast<std::size_t>(bed.frames));
        corpus_->read(bed, 0, static_cast<int>(c), once);
        for (std::size_t i = 0; i < frames; ++i) out[c][i] = once[i % once.size()];
    }
    bring_to(out, kVoiceRms);
    const auto& events = effects_[below(chance, effects_.size())].recordings;
    for (std::size_t at = below(chance, kCorpusRate); at < frames;
         at += static_cast<std::size_t>(between(chance, 0.5, 3.0) * kCorpusRate)) {
        const auto& event = events[below(chance, events.size())];
        Stereo once = silence(std::min<std::size_t>(static_cast<std::size_t>(event.frames), frames - at));
        for (int c = 0; c < 2; ++c) corpus_->read(event, 0, c, once[static_cast<std::size_t>(c)]);
        bring_to(once, kVoiceRms * between(chance, 0.3, 1.5));
        for (std::size_t c = 0; c < 2; ++c) {
            for (std::size_t i = 0; i < once[c].size(); ++i) out[c][at + i] += once[c][i];
        }
    }
    return out;
}

Stereo TellingMixes::made(std::size_t frames, Chance& chance) const {
    const auto sounds = plain_ambience();
    Stereo out = silence(frames);
    for (int layer = 0; layer < 2; ++layer) {
        const PlainSound* sound = &sounds[below(chance, sounds.size())];
        const std::uint64_t seed = chance();
        Stereo one = {sound->make(static_cast<double>(frames) / kCorpusRate, seed),
                      sound->make(static_cast<double>(frames) / kCorpusRate, seed)};
        bring_to(one, kVoiceRms * (layer == 0 ? 1.0 : between(chance, 0.2, 1.0)));
        const double side = between(chance, 0.3, 1.0);
        for (float& v : one[layer == 0 ? 1 : 0]) v *= static_cast<float>(side);
        for (auto& channel : one) channel.resize(frames, 0.0F);
        add(out, one);
    }
    return out;
}

// Eight readers in one large room, far from the microphones.
Stereo TellingMixes::babble(std::size_t frames, Chance& chance) const {
    std::vector<float> heap(frames, 0.0F);
    for (int talker = 0; talker < 8; ++talker) {
        double bandwidth = 24000;
        const auto voice = speech(frames, 0.0, bandwidth, chance);
        const auto gain = static_cast<float>(between(chance, 0.3, 1.0) / std::sqrt(energy_of(voice) + 1e-9));
        for (std::size_t i = 0; i < frames; ++i) heap[i] += gain * voice[i];
    }
    const auto responses = responses_of(draw_room(true, true, chance));
    Stereo out;
    for (std::size_t c = 0; c < 2; ++c) out[c] = convolved(heap, responses.late[c]);
    return out;
}

Mix TellingMixes::make(const std::string& kind, int n, double seconds) const {
    Chance chance(seed_for(kind, n));
    const auto frames = static_cast<std::size_t>(seconds * kCorpusRate);
    Mix mix;
    mix.kind = kind;
    for (auto& stem : mix.stems) stem = silence(frames);
    mix.dry_voice.assign(frames, 0.0F);
    const bool stereo = n % 2 == 1;
    const auto has = [&](const char* word) { return kind.find(word) != std::string::npos; };
    if (has("voice")) {
        const auto dry = speech(frames, between(chance, 1.5, 3.0), mix.bandwidth_hz, chance);
        const bool strong = has("a room");
        if (strong || n % 3 != 0) {
            const auto responses = responses_of(draw_room(strong, stereo, chance));
            for (std::size_t c = 0; c < 2; ++c) {
                mix.stems[0][c] = convolved(dry, responses.early[c]);
                mix.stems[1][c] = convolved(dry, responses.late[c]);
            }
        } else {
            mix.stems[0] = {dry, dry};
        }
        const double now = sounding_rms(mix.stems[0]);
        const auto gain = static_cast<float>(now > 1e-9 ? kVoiceRms / now : 0.0);
        for (std::size_t s = 0; s < 2; ++s) {
            for (auto& channel : mix.stems[s]) {
                for (float& v : channel) v *= gain;
            }
        }
        for (std::size_t i = 0; i < frames; ++i) mix.dry_voice[i] = gain * dry[i];
    }
    if (has("music")) {
        mix.stems[2] = piece(frames, chance);
        bring_to(mix.stems[2], kVoiceRms * amplitude_of_db(between(chance, -9, 3)));
    }
    if (has("ambience") || has("crowd") || has("a room")) {
        mix.stems[3] = has("crowd")      ? babble(frames, chance)
                       : has("recorded") ? recorded(frames, chance)
                                         : made(frames, chance);
        bring_to(mix.stems[3], kVoiceRms * amplitude_of_db(has("a room") ? between(chance, -24, -14)
                                                                         : between(chance, -12, 0)));
    }
    if (!stereo) {
        for (auto& stem : mix.stems) make_mono(stem);
    }
    close(mix);
    return mix;
}

Mix TellingMixes::lone(Lone part, int n, double seconds) const {
    constexpr std::array<const char*, 3> kNames = {"lone voice", "lone music", "lone ambience"};
    Mix mix;
    mix.kind = kNames[static_cast<std::size_t>(part)];
    Chance chance(seed_for(mix.kind, n));
    const auto frames = static_cast<std::size_t>(seconds * kCorpusRate);
    for (auto& stem : mix.stems) stem = silence(frames);
    mix.dry_voice.assign(frames, 0.0F);
    if (part == Lone::Voice) {
        const auto dry = speech(frames, between(chance, 0.5, 2.0), mix.bandwidth_hz, chance);
        mix.stems[0] = {dry, dry};
        bring_to(mix.stems[0], kVoiceRms * amplitude_of_db(between(chance, -12, 6)));
        mix.dry_voice = mix.stems[0][0];
    } else if (part == Lone::Music) {
        mix.stems[2] = piece(frames, chance);
        bring_to(mix.stems[2], kVoiceRms);
    } else {
        mix.stems[3] = n % 2 == 0 ? recorded(frames, chance) : made(frames, chance);
        bring_to(mix.stems[3], kVoiceRms);
    }
    close(mix);
    return mix;
}

}  // namespace rivlen::learn
