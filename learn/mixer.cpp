#include "learn/mixer.h"

#include <algorithm>
#include <cmath>

#include "core/base/levels.h"
#include "core/chain/biquad.h"
#include "core/split/stft.h"
#include "learn/synth.h"

namespace rivlen::learn {

namespace {

constexpr double kVoiceLevelDb = -26.0;

float gain_of(double db) {
    return static_cast<float>(amplitude_of_db(db));
}

double power(std::span<const float> x) {
    return x.empty() ? 0.0 : energy_of(x) / static_cast<double>(x.size());
}

void scale(Stereo& x, float gain) {
    for (auto& channel : x) {
        for (float& v : channel) v *= gain;
    }
}

void set_level(Stereo& x, double level_db, bool active) {
    const double now =
        active ? std::max(active_power(x[0]), active_power(x[1])) : 0.5 * (power(x[0]) + power(x[1]));
    if (now > 1e-14) scale(x, static_cast<float>(std::sqrt(std::pow(10.0, level_db / 10.0) / now)));
}

void add(Stereo& to, const Stereo& from, float gain = 1.0F) {
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i < to[c].size(); ++i) to[c][i] += gain * from[c][i];
    }
}

Stereo silence(std::size_t frames) {
    return {std::vector<float>(frames, 0.0F), std::vector<float>(frames, 0.0F)};
}

void filter(Stereo& x, const Biquad& coefficients) {
    for (auto& channel : x) BiquadFilter(coefficients).process(channel);
}

// Reads at another speed (linear interpolation is clean enough at a few per cent, and keeps the highs' place
// honest).
std::vector<float> at_speed(const std::vector<float>& x, double speed) {
    if (x.size() < 2) return x;
    std::vector<float> out(static_cast<std::size_t>(static_cast<double>(x.size() - 1) / speed));
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double at = static_cast<double>(i) * speed;
        const auto k = static_cast<std::size_t>(at);
        const auto part = static_cast<float>(at - static_cast<double>(k));
        out[i] = x[k] * (1.0F - part) + x[std::min(k + 1, x.size() - 1)] * part;
    }
    return out;
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

// What a lossy code at a low rate takes away: the highs, and in every band whatever lies far enough below its
// level at that moment. A sketch of perceptual coding, not a code.
void lose_as_coded(Stereo& x, Rng& rng) {
    const double cutoff_hz = rng.log_uniform(7000, 17000);
    const double kept_db = rng.uniform(8, 18);
    const auto top = static_cast<std::size_t>(cutoff_hz * kModelFft / kCorpusRate);
    Stft stft(kModelFft);
    for (auto& channel : x) {
        auto spectra = analyse(stft, channel);
        for (std::size_t at = 0; at < spectra.size(); at += kModelBins) {
            const auto frame = std::span(spectra).subspan(at, kModelBins);
            for (std::size_t first = 1; first < top; first += std::max<std::size_t>(4, first / 5)) {
                const auto band =
                    frame.subspan(first, std::min(std::max<std::size_t>(4, first / 5), top - first));
                float highest = 0.0F;
                for (const Complex& bin : band) highest = std::max(highest, std::norm(bin));
                const float least = highest * static_cast<float>(power_of_db(-kept_db));
                for (Complex& bin : band) {
                    if (std::norm(bin) < least) bin = {};
                }
            }
            std::ranges::fill(frame.subspan(top), Complex{});
        }
        channel = synthesise(stft, spectra, channel.size());
    }
}

// Cuts the silence before and after an utterance (below -45 dB of its peak), leaving 20 ms.
std::vector<float> trimmed(std::vector<float> x) {
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

}  // namespace

double active_power(std::span<const float> x) {
    constexpr std::size_t kBlock = kCorpusRate / 20;
    std::vector<double> blocks;
    for (std::size_t i = 0; i + kBlock <= x.size(); i += kBlock)
        blocks.push_back(power(x.subspan(i, kBlock)));
    if (blocks.empty()) return power(x);
    const double limit = *std::ranges::max_element(blocks) * 0.00316;
    double sum = 0.0;
    int count = 0;
    for (const double p : blocks) {
        if (p >= limit) {
            sum += p;
            ++count;
        }
    }
    return count > 0 ? sum / count : 0.0;
}

MixGains mix_gains(const Scene& scene, double music_power, double ambience_power, Rng& rng) {
    const auto to_level = [](double power, double level_db) {
        return power > 1e-14 ? std::sqrt(power_of_db(level_db) / power) : 1.0;
    };
    const float level = gain_of(rng.uniform(-14, 6));
    const double music = to_level(music_power, kVoiceLevelDb - scene.voice_over_music_db);
    const double ambience = to_level(ambience_power, kVoiceLevelDb - scene.voice_over_ambience_db);
    return {{level, level, level * static_cast<float>(music), level * static_cast<float>(ambience)}, level};
}

std::size_t learned_bins(double bandwidth_hz) {
    if (bandwidth_hz >= 20000) return kModelBins;
    return std::min<std::size_t>(kModelBins, static_cast<std::size_t>(bandwidth_hz * kModelFft / kModelRate));
}

Mixer::Mixer(const Corpus& corpus, Pool pool) : corpus_(&corpus), vary_(pool == Pool::Learn) {
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
}

const Mixer::Source& Mixer::draw(const std::vector<Source>& sources, Rng& rng) const {
    double total = 0.0;
    for (const auto& s : sources) total += s.weight;
    double at = rng.uniform() * total;
    for (const auto& s : sources) {
        at -= s.weight;
        if (at <= 0.0) return s;
    }
    return sources.back();
}

std::vector<float> Mixer::talk(std::size_t frames, double& bandwidth_hz, Rng& rng) const {
    const auto& recordings = *draw(readers_, rng).recordings;
    const double speed = rng.chance(0.6) ? rng.uniform(0.84, 1.18) : 1.0;
    std::vector<float> out(frames, 0.0F);
    std::size_t at = rng.chance(0.3) ? rng.below(frames / 3 + 1) : 0;
    bool first = true;
    while (at < frames) {
        const auto& recording = recordings[rng.below(recordings.size())];
        std::vector<float> utterance(
            static_cast<std::size_t>(std::min<std::uint64_t>(recording.frames, kCorpusRate * 20)));
        const std::uint64_t skip =
            recording.frames > utterance.size() ? rng.below(recording.frames - utterance.size()) : 0;
        corpus_->read(recording, skip, 0, utterance);
        utterance = trimmed(std::move(utterance));
        if (speed != 1.0) utterance = at_speed(utterance, speed);
        const double p = active_power(utterance);
        const float gain =
            p > 1e-12 ? static_cast<float>(std::sqrt(1e-2 / p)) * gain_of(rng.uniform(-3, 3)) : 0.0F;
        // A long utterance may be entered in its middle.
        std::size_t from = first && utterance.size() > frames ? rng.below(utterance.size() - frames / 2) : 0;
        const std::size_t count = std::min(utterance.size() - from, frames - at);
        for (std::size_t i = 0; i < count; ++i) out[at + i] = gain * utterance[from + i];
        at += count + static_cast<std::size_t>(rng.log_uniform(0.03, 0.7) * kCorpusRate);
        double top = recording.measures.bandwidth_hz * speed;
        bandwidth_hz = std::min(bandwidth_hz, std::max(top, 3000.0));
        first = false;
        if (rng.chance(0.06)) break;
    }
    return out;
}

Stereo Mixer::music(std::size_t frames, Rng& rng) const {
    const auto& recordings = *draw(pieces_, rng).recordings;
    const auto& recording = recordings[rng.below(recordings.size())];
    // Few pieces have to stand for all music: other speeds are other keys and tempos.
    const double speed = vary_             ? (rng.chance(0.6) ? rng.log_uniform(0.7, 1.42) : 1.0)
                         : rng.chance(0.4) ? rng.uniform(0.85, 1.17)
                                           : 1.0;
    const auto wanted = static_cast<std::size_t>(static_cast<double>(frames) * speed) + 8;
    const std::uint64_t start = recording.frames > wanted ? rng.below(recording.frames - wanted) : 0;
    Stereo out;
    for (int c = 0; c < 2; ++c) {
        std::vector<float> raw(wanted);
        corpus_->read(recording, start, c, raw);
        raw = speed != 1.0 ? at_speed(raw, speed) : std::move(raw);
        raw.resize(frames, 0.0F);
        out[static_cast<std::size_t>(c)] = std::move(raw);
    }
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
                const auto g = static_cast<float>(std::clamp(starts ? along : 1.0 - along, 0.0, 1.0));
                channel[i] *= g;
            }
        }
    }
    return out;
}

Stereo Mixer::recorded_ambience(std::size_t frames, Rng& rng) const {
    Stereo out = silence(frames);
    const int layers = rng.between(1, 3);
    for (int layer = 0; layer < layers; ++layer) {
        const auto& recordings = *draw(effects_, rng).recordings;
        const bool looped = rng.chance(0.5);
        const float gain = gain_of(rng.uniform(-12, 0));
        std::size_t at = rng.below(frames);
        const Recording* recording = &recordings[rng.below(recordings.size())];
        if (looped) at = 0;
        const double pan = rng.uniform(0.0, 1.0);
        const auto draw_speed = [&] { return vary_ && rng.chance(0.6) ? rng.log_uniform(0.55, 1.8) : 1.0; };
        // A loop keeps its speed: a steady machine that changed its pitch with every turn would be a melody.
        double speed = draw_speed();
        while (at < frames) {
            if (!looped) speed = draw_speed();
            const auto raw_length = static_cast<std::size_t>(std::min<std::uint64_t>(
                recording->frames, static_cast<std::uint64_t>(static_cast<double>(frames - at) * speed) + 2));
            const std::uint64_t start =
                recording->frames > raw_length ? rng.below(recording->frames - raw_length) : 0;
            std::array<std::vector<float>, 2> piece;
            for (int c = 0; c < 2; ++c) {
                auto& samples = piece[static_cast<std::size_t>(c)];
                samples.resize(raw_length);
                corpus_->read(*recording, start, c, samples);
                if (speed != 1.0) samples = at_speed(samples, speed);
            }
            const std::size_t length = std::min(piece[0].size(), frames - at);
            const double p = std::max(active_power(piece[0]), active_power(piece[1]));
            const float level = p > 1e-12 ? gain * static_cast<float>(std::sqrt(1e-2 / p)) : 0.0F;
            const std::size_t fade = std::min<std::size_t>(length / 4, 960);
            for (std::size_t c = 0; c < 2; ++c) {
                const auto side = recording->channels == 1
                                      ? static_cast<float>(c == 0 ? 1.0 - 0.7 * pan : 0.3 + 0.7 * pan)
                                      : 1.0F;
                for (std::size_t i = 0; i < length; ++i) {
                    const std::size_t edge = std::min(i, length - 1 - i);
                    const float ramp =
                        edge < fade ? static_cast<float>(edge) / static_cast<float>(fade) : 1.0F;
                    out[c][at + i] += level * side * ramp * piece[c][i];
                }
            }
            const double gap = looped ? 0.0 : rng.log_uniform(0.05, 2.0);
            at += length - (looped ? fade : 0) + static_cast<std::size_t>(gap * kCorpusRate) + 1;
            if (!looped) recording = &recordings[rng.below(recordings.size())];
        }
    }
    return out;
}

// Talkers are added dry in two heaps, and each heap is convolved once: a room each would cost three times the
// time.
Stereo Mixer::crowd(std::size_t frames, Rng& rng) const {
    Stereo out = silence(frames);
    const int talkers = rng.between(5, 16);
    for (int heap = 0; heap < 2; ++heap) {
        std::vector<float> dry(frames, 0.0F);
        for (int t = 0; t < talkers / 2; ++t) {
            double bandwidth = 24000;
            const auto voice = talk(frames, bandwidth, rng);
            const float gain = gain_of(rng.uniform(-14, 0));
            for (std::size_t i = 0; i < frames; ++i) dry[i] += gain * voice[i];
        }
        RoomSpec room = random_room(rng, true);
        room.direct_to_reverb_db = rng.uniform(-10, 0);
        const auto sound = put_in_room(dry, room, rng.uniform(-1, 1), rng);
        add(out, sound.direct);
        add(out, sound.reverb);
    }
    filter(out, Biquad::low_pass(kCorpusRate, rng.log_uniform(2500, 16000), 0.6));
    return out;
}

Scene Mixer::random_scene(Rng& rng) {
    Scene scene;
    scene.kind = "random";
    const double who = rng.uniform();
    scene.voices = who < 0.18 ? 0 : who < 0.93 ? 1 : 2;
    const double where = rng.uniform();
    scene.room = where < 0.3 ? 0 : where < 0.62 ? 1 : 2;
    scene.music = rng.chance(0.6);
    scene.voice_over_music_db = rng.uniform(-6, 16);
    const bool surroundings = rng.chance(scene.music ? 0.62 : 0.88);
    if (surroundings) {
        const int layers = rng.chance(0.35) ? 2 : 1;
        for (int i = 0; i < layers; ++i) {
            const double what = rng.uniform();
            if (what < 0.30) {
                scene.ambiences.emplace_back("recorded");
            } else if (what < 0.50) {
                scene.ambiences.emplace_back("crowd");
            } else {
                const auto& kinds = synthetic_ambiences();
                scene.ambiences.push_back(kinds[rng.below(kinds.size())]);
            }
        }
    }
    scene.voice_over_ambience_db = rng.uniform(-6, 22);
    scene.mono = rng.chance(0.4);
    scene.telephone = rng.chance(0.04);
    scene.clipped = rng.chance(0.05);
    scene.coded = rng.chance(0.05);
    return scene;
}

Scene Mixer::random_parts(Rng& rng) {
    Scene scene = random_scene(rng);
    while (scene.ambiences.empty() || scene.voices == 0) scene = random_scene(rng);
    scene.music = true;
    return scene;
}

const std::vector<std::string>& Mixer::kinds() {
    static const std::vector<std::string> all = {
        "voice over music", "voice in traffic",   "voice in a crowd",
        "voice in a room",  "voice in wind",      "voice, music, ambience",
        "voice and hum",    "music and ambience", "voice alone",
        "music only",       "ambience only"};
    return all;
}

Scene Mixer::scene_of_kind(const std::string& kind, Rng& rng) {
    Scene scene;
    scene.kind = kind;
    scene.mono = rng.chance(0.5);
    scene.room = rng.chance(0.5) ? 0 : 1;
    scene.voice_over_music_db = rng.uniform(-4, 8);
    scene.voice_over_ambience_db = rng.uniform(-2, 10);
    if (kind == "voice over music") {
        scene.music = true;
    } else if (kind == "voice in traffic") {
        scene.ambiences = {"traffic", "recorded"};
    } else if (kind == "voice in a crowd") {
        scene.ambiences = {"crowd"};
    } else if (kind == "voice in a room") {
        scene.room = 2;
        scene.ambiences = {"ventilation"};
        scene.voice_over_ambience_db = rng.uniform(10, 20);
    } else if (kind == "voice in wind") {
        scene.ambiences = {"wind"};
    } else if (kind == "voice, music, ambience") {
        scene.music = true;
        scene.ambiences = {"recorded"};
    } else if (kind == "voice and hum") {
        scene.ambiences = {"hum", "ventilation"};
    } else if (kind == "music and ambience") {
        scene.voices = 0;
        scene.music = true;
        scene.ambiences = {"recorded"};
        scene.voice_over_music_db = 0;
        scene.voice_over_ambience_db = rng.uniform(-6, 6);
    } else if (kind == "voice alone") {
        scene.room = 0;
        scene.coloured = false;
    } else if (kind == "music only") {
        scene.voices = 0;
        scene.music = true;
    } else if (kind == "ambience only") {
        scene.voices = 0;
        scene.ambiences = {"recorded", "traffic"};
    }
    return scene;
}

Mix Mixer::make(const Scene& scene, std::size_t frames, Rng& rng) const {
    const Parts parts = make_parts(scene, frames, rng);
    return combine(scene, parts, parts, parts, rng);
}

Parts Mixer::make_parts(const Scene& scene, std::size_t frames, Rng& rng) const {
    Parts parts;
    for (auto* part : {&parts.dialogue, &parts.reverb, &parts.music, &parts.ambience})
        *part = silence(frames);
    parts.dry_voice.assign(frames, 0.0F);
    for (int v = 0; v < scene.voices; ++v) {
        auto dry = talk(frames, parts.bandwidth_hz, rng);
        if (scene.coloured && rng.chance(0.7)) {
            for (const auto& f : random_colour(rng, 7.0)) BiquadFilter(f).process(dry);
        }
        const double p = active_power(dry);
        const double level = kVoiceLevelDb + (v == 0 ? 0.0 : rng.uniform(-10, 0));
        const float gain = p > 1e-12 ? static_cast<float>(std::sqrt(std::pow(10.0, level / 10.0) / p)) : 0.0F;
        for (float& x : dry) x *= gain;
        double pan = rng.chance(0.75) ? 0.0 : rng.uniform(-0.7, 0.7);
        if (rng.chance(0.02)) pan = rng.chance(0.5) ? -1.0 : 1.0;
        if (scene.room > 0) {
            const auto sound = put_in_room(dry, random_room(rng, scene.room == 2), pan, rng);
            add(parts.dialogue, sound.direct);
            add(parts.reverb, sound.reverb);
        } else {
            const double angle = (pan + 1.0) * 0.7853981633974483;
            const std::array<double, 2> place = {std::cos(angle) * 1.4142135623730951,
                                                 std::sin(angle) * 1.4142135623730951};
            const float flip = !scene.mono && rng.chance(0.015) ? -1.0F : 1.0F;
            for (std::size_t i = 0; i < frames; ++i) {
                parts.dialogue[0][i] += static_cast<float>(place[0]) * dry[i];
                parts.dialogue[1][i] += static_cast<float>(place[1]) * flip * dry[i];
            }
        }
        for (std::size_t i = 0; i < frames; ++i) parts.dry_voice[i] += dry[i];
    }
    if (scene.music) {
        parts.music = music(frames, rng);
        if (rng.chance(0.4)) {
            for (const auto& f : random_colour(rng, 6.0)) filter(parts.music, f);
        }
    }
    if (!scene.ambiences.empty()) {
        for (const auto& kind : scene.ambiences) {
            Stereo layer = kind == "crowd"      ? crowd(frames, rng)
                           : kind == "recorded" ? recorded_ambience(frames, rng)
                                                : synthesise_ambience(kind, frames, rng);
            set_level(layer, rng.uniform(-8, 0), kind == "bangs" || kind == "recorded");
            add(parts.ambience, layer);
        }
        if (rng.chance(0.5)) {
            for (const auto& f : random_colour(rng, 8.0)) filter(parts.ambience, f);
        }
    }
    return parts;
}

Mix Mixer::combine(const Scene& scene, const Parts& voice, const Parts& music, const Parts& ambience,
                   Rng& rng) {
    Mix mix;
    mix.kind = scene.kind;
    const std::size_t frames = voice.dry_voice.size();
    for (auto& stem : mix.stems) stem = silence(frames);
    mix.dry_voice.assign(frames, 0.0F);
    if (scene.voices > 0) {
        mix.stems[0] = voice.dialogue;
        mix.stems[1] = voice.reverb;
        mix.dry_voice = voice.dry_voice;
        mix.bandwidth_hz = voice.bandwidth_hz;
    }
    const auto louder_power = [](const Stereo& x) { return std::max(active_power(x[0]), active_power(x[1])); };
    if (scene.music) mix.stems[2] = music.music;
    if (!scene.ambiences.empty()) mix.stems[3] = ambience.ambience;
    const MixGains gains = mix_gains(scene, louder_power(mix.stems[2]), louder_power(mix.stems[3]), rng);
    for (std::size_t s = 0; s < kStems; ++s) scale(mix.stems[s], gains.stems[s]);
    for (float& x : mix.dry_voice) x *= gains.level;
    if (scene.mono) {
        for (auto& stem : mix.stems) {
            for (std::size_t i = 0; i < frames; ++i)
                stem[0][i] = stem[1][i] = 0.5F * (stem[0][i] + stem[1][i]);
        }
    }
    if (scene.telephone) {
        const auto low = Biquad::high_pass(kCorpusRate, rng.log_uniform(150, 400), 0.7);
        const auto high = Biquad::low_pass(kCorpusRate, rng.log_uniform(3000, 5000), 0.7);
        for (auto& stem : mix.stems) {
            for (int pass = 0; pass < 2; ++pass) {
                filter(stem, low);
                filter(stem, high);
            }
        }
    }
    mix.mix = silence(frames);
    for (const auto& stem : mix.stems) add(mix.mix, stem);
    if (scene.coded) lose_as_coded(mix.mix, rng);
    if (scene.clipped) {
        float peak = 1e-9F;
        for (const auto& channel : mix.mix) {
            for (const float x : channel) peak = std::max(peak, std::abs(x));
        }
        const float limit = peak * gain_of(-rng.uniform(2, 9));
        for (auto& channel : mix.mix) {
            for (float& x : channel) x = std::clamp(x, -limit, limit);
        }
    }
    return mix;
}

}  // namespace rivlen::learn
