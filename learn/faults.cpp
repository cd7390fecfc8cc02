// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/faults.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <numbers>

#include "core/base/output_file.h"
#include "core/diagnosis/evidence.h"
#include "core/dsp/biquad.h"
#include "core/dsp/decibels.h"
#include "core/effects/processor.h"
#include "learn/metrics/si_sdr.h"
#include "learn/rooms.h"
#include "learn/world/sound.h"

namespace rivlen::learn {

namespace {

constexpr double kVoiceDbfs = -23;
constexpr double kPi2 = 2 * std::numbers::pi;

double rms_of(std::span<const float> x) {
    return std::sqrt(energy_of(x) / static_cast<double>(std::max<std::size_t>(1, x.size())));
}

void scale_to(std::vector<float>& x, double rms) {
    const double is = rms_of(x);
    if (is <= 0) return;
    for (float& v : x) v *= static_cast<float>(rms / is);
}

// RMS of the voice while it speaks.
double active_rms(std::span<const float> voice) {
    return amplitude_of_db(measure_speech(voice, kCorpusRate).active_dbfs - 3.01);
}

void add_clicks(std::vector<float>& voice, Rng& rng) {
    const double a_minute = rng.log_uniform(12, 80);
    const double peak = amplitude_of_db(measure_speech(voice, kCorpusRate).peak_dbfs);
    for (double at = 0;;) {
        at += -std::log(1 - rng.uniform()) * 60 / a_minute * kCorpusRate;
        const auto first = static_cast<std::size_t>(at);
        const auto length = static_cast<std::size_t>(rng.log_uniform(0.00005, 0.0015) * kCorpusRate) + 1;
        if (first + length >= voice.size()) return;
        const auto height =
            static_cast<float>(peak * rng.log_uniform(0.25, 0.9) * (rng.chance(0.5) ? 1 : -1));
        const double hz = rng.log_uniform(1500, 9000);
        for (std::size_t i = 0; i < length; ++i) {
            const double fall = std::exp(-3.0 * static_cast<double>(i) / static_cast<double>(length));
            voice[first + i] +=
                height *
                static_cast<float>(fall * std::cos(kPi2 * hz * static_cast<double>(i) / kCorpusRate));
        }
    }
}

void add_plosives(std::vector<float>& voice, Rng& rng) {
    // At beginnings of words: where 50 ms are 15 dB louder than the 50 ms before.
    const std::size_t frame = kCorpusRate / 20;
    const double level = active_rms(voice);
    std::vector<std::size_t> onsets;
    for (std::size_t at = frame; at + 4 * frame < voice.size(); at += frame) {
        const double before = rms_of(std::span(voice).subspan(at - frame, frame));
        const double here = rms_of(std::span(voice).subspan(at, frame));
        if (here > 5 * before && here > 0.3 * level) onsets.push_back(at);
    }
    const double wanted = rng.uniform(8, 20) * static_cast<double>(voice.size()) / kCorpusRate / 60;
    for (int i = 0; i < static_cast<int>(wanted) + 3 && !onsets.empty(); ++i) {
        const std::size_t pick = rng.below(onsets.size());
        const std::size_t at = onsets[pick];
        onsets.erase(onsets.begin() + static_cast<std::ptrdiff_t>(pick));
        const double hz = rng.uniform(18, 45);
        const double seconds = rng.uniform(0.04, 0.1);
        const double height = level * amplitude_of_db(rng.uniform(4, 12));
        for (std::size_t k = 0;
             k < static_cast<std::size_t>(4 * seconds * kCorpusRate) && at + k < voice.size(); ++k) {
            const double t = static_cast<double>(k) / kCorpusRate;
            const double rise = 1 - std::exp(-t / 0.006);
            voice[at + k] +=
                static_cast<float>(height * rise * std::exp(-t / seconds) * std::sin(kPi2 * hz * t + 0.5));
        }
    }
}

void add_hum(std::vector<float>& voice, Rng& rng) {
    const double hz = (rng.chance(0.6) ? 50 : 60) + rng.uniform(-0.3, 0.3);
    const int tones = rng.between(4, 14);
    const double drift = rng.uniform(-0.002, 0.002);  // Hz a second
    std::vector<float> hum(voice.size());
    for (int k = 1; k <= tones; ++k) {
        const double height =
            std::pow(k, -rng.uniform(0.3, 1.0)) * (k % 2 == 0 ? rng.uniform(0.2, 1.0) : 1.0);
        const double phase = rng.uniform(0, kPi2);
        for (std::size_t i = 0; i < hum.size(); ++i) {
            const double t = static_cast<double>(i) / kCorpusRate;
            hum[i] +=
                static_cast<float>(height * std::sin(kPi2 * k * (hz * t + 0.5 * drift * t * t) + phase));
        }
    }
    scale_to(hum, active_rms(voice) * amplitude_of_db(-rng.uniform(15, 38)));
    for (std::size_t i = 0; i < voice.size(); ++i) voice[i] += hum[i];
}

// Wind at a microphone: most of it under 50 Hz, falling by 12 dB an octave and less steeply higher up, in
// gusts (spectrum after Nemer and Leblanc, see core/effects/wind.h).
void add_wind(std::vector<float>& voice, Rng& rng) {
    std::vector<float> wind(voice.size());
    std::vector<float> flutter(voice.size());
    for (float& x : wind) x = rng.noise();
    for (float& x : flutter) x = rng.noise();
    filter(wind, Biquad::low_pass(kCorpusRate, rng.uniform(25, 45), 0.7071));
    filter(flutter, Biquad::low_pass(kCorpusRate, rng.uniform(70, 160), 0.7071));
    scale_to(wind, 1);
    scale_to(flutter, amplitude_of_db(-rng.uniform(14, 22)));
    const double step = rng.uniform(0.4, 1.2) * kCorpusRate;
    double from = rng.uniform(-14, 0);
    double to = rng.uniform(-14, 0);
    double at = 0;
    for (std::size_t i = 0; i < wind.size(); ++i, at += 1 / step) {
        if (at >= 1) {
            at -= 1;
            from = to;
            to = rng.uniform(-14, 0);
        }
        wind[i] = static_cast<float>(amplitude_of_db(from + (to - from) * at)) * (wind[i] + flutter[i]);
    }
    scale_to(wind, active_rms(voice) * amplitude_of_db(rng.uniform(-4, 8)));
    for (std::size_t i = 0; i < voice.size(); ++i) voice[i] += wind[i];
}

void add_hiss(std::vector<float>& voice, Rng& rng) {
    std::vector<float> hiss(voice.size());
    for (float& x : hiss) x = rng.noise();
    filter(hiss, Biquad::high_shelf(kCorpusRate, rng.uniform(2000, 7000), rng.uniform(-6, 4)));
    scale_to(hiss, active_rms(voice) * amplitude_of_db(-rng.uniform(22, 42)));
    for (std::size_t i = 0; i < voice.size(); ++i) voice[i] += hiss[i];
}

void make_telephone(std::vector<float>& voice, Rng& rng) {
    const double level = active_rms(voice);
    for (const double q : {0.51763809, 0.70710678, 1.93185165}) {  // Butterworth, order 6
        filter(voice, Biquad::high_pass(kCorpusRate, rng.uniform(280, 340), q));
        filter(voice, Biquad::low_pass(kCorpusRate, rng.uniform(3200, 3500), q));
    }
    filter(voice, Biquad::peaking(kCorpusRate, rng.uniform(700, 2200), 1.2, rng.uniform(-8, 8)));
    scale_to(voice, rms_of(voice) * level / active_rms(voice));
}

void add_echo(std::vector<float>& voice, Rng& rng) {
    RoomSpec room = random_room(rng, Strength::Strong, Microphones::Together);
    room.decay_s.fill(rng.uniform(0.9, 2.0));
    room.direct_to_reverb_db = rng.uniform(-3, 3);
    const auto sound = put_in_room(voice, room, 0.0, rng);
    for (std::size_t i = 0; i < voice.size(); ++i) voice[i] = sound.direct[0][i] + sound.reverb[0][i];
}

}  // namespace

namespace {

// As a studio would have it: little under 40 Hz, and a spectrum that falls towards the highs.
bool balanced(const Corpus& corpus, const Recording& recording) {
    std::vector<float> x(
        static_cast<std::size_t>(std::min<std::uint64_t>(recording.frames, 4ULL * kCorpusRate)));
    corpus.read(recording, 0, 0, x);
    const auto power = [&](const Biquad& low_cut, const Biquad& high_cut) {
        auto band = x;
        for (int section = 0; section < 2; ++section) {
            filter(band, low_cut);
            filter(band, high_cut);
        }
        return energy_of(band);
    };
    constexpr double kQ = 0.7071;
    auto lows = x;
    for (int section = 0; section < 2; ++section) filter(lows, Biquad::low_pass(kCorpusRate, 40, kQ));
    const double middle =
        power(Biquad::high_pass(kCorpusRate, 1000, kQ), Biquad::low_pass(kCorpusRate, 3000, kQ));
    const double highs =
        power(Biquad::high_pass(kCorpusRate, 5000, kQ), Biquad::low_pass(kCorpusRate, 10000, kQ));
    return energy_of(lows) < power_of_db(-20) * energy_of(x) && highs < middle;
}

}  // namespace

CleanVoices::CleanVoices(const Corpus& corpus, Pool pool) : corpus_(&corpus) {
    for (const auto& [name, recordings] : corpus.groups("speech", pool)) {
        std::vector<const Recording*> clean;
        for (const auto& r : recordings) {
            const auto& m = r.measures;
            if (m.bandwidth_hz >= 14000 && m.clipped_share == 0 && m.noise_floor_db < m.level_db - 50 &&
                balanced(corpus, r))
                clean.push_back(&r);
        }
        constexpr std::size_t kEnough = 12;
        if (clean.size() >= kEnough) groups_.push_back(std::move(clean));
    }
}

std::vector<float> CleanVoices::draw(std::size_t frames, Rng& rng) const {
    std::vector<float> out(frames);
    if (groups_.empty()) return out;
    const auto& group = groups_[rng.below(groups_.size())];
    const auto fade = static_cast<std::size_t>(0.01 * kCorpusRate);
    for (auto at = static_cast<std::size_t>(rng.uniform(0.1, 0.6) * kCorpusRate); at < frames;) {
        const Recording& recording = *group[rng.below(group.size())];
        std::vector<float> words(
            static_cast<std::size_t>(std::min<std::uint64_t>(recording.frames, 12ULL * kCorpusRate)));
        corpus_->read(recording, 0, 0, words);
        const double level = active_rms(words);
        const double gain =
            level > 0 ? amplitude_of_db(kVoiceDbfs - 3.01) / level * amplitude_of_db(rng.uniform(-2, 2)) : 0;
        for (std::size_t i = 0; i < words.size() && at + i < frames; ++i) {
            const std::size_t edge = std::min(i, words.size() - 1 - i);
            const double in = std::min(1.0, static_cast<double>(edge) / static_cast<double>(fade));
            out[at + i] = static_cast<float>(gain * in) * words[i];
        }
        at += words.size() + static_cast<std::size_t>(rng.log_uniform(0.15, 0.8) * kCorpusRate);
    }
    for (const double q : {0.54119610, 1.30656296}) filter(out, Biquad::high_pass(kCorpusRate, 70, q));
    return out;
}

void put_fault(Fault fault, std::vector<float>& voice, Rng& rng) {
    switch (fault) {
        case Fault::Level:
            for (float& x : voice) x *= static_cast<float>(amplitude_of_db(-rng.uniform(16, 30)));
            break;
        case Fault::Clipping: {
            const double peak = measure_speech(voice, kCorpusRate).peak_dbfs;
            const auto level = static_cast<float>(amplitude_of_db(peak - rng.uniform(4, 10)));
            for (float& x : voice) x = std::clamp(x, -level, level);
            break;
        }
        case Fault::Clicks:
            add_clicks(voice, rng);
            break;
        case Fault::Plosives:
            add_plosives(voice, rng);
            break;
        case Fault::Hum:
            add_hum(voice, rng);
            break;
        case Fault::Wind:
            add_wind(voice, rng);
            break;
        case Fault::Hiss:
            add_hiss(voice, rng);
            break;
        case Fault::Telephone:
            make_telephone(voice, rng);
            break;
        case Fault::Sibilance: {
            const double gain = rng.uniform(14, 20);
            filter(voice, Biquad::peaking(kCorpusRate, 7500, 1.2, gain));
            break;
        }
        case Fault::Reverberation:
            add_echo(voice, rng);
            break;
    }
}

namespace {

std::vector<float> through(const Insert& part, const std::vector<float>& sound) {
    return through_chain(std::span(&part, 1), sound, kCorpusRate);
}

// Energy of the difference against that of the first, in dB.
double error_db(std::span<const float> clean, std::span<const float> changed) {
    double sum = 0;
    for (std::size_t i = 0; i < clean.size(); ++i) {
        const double d = static_cast<double>(changed[i]) - static_cast<double>(clean[i]);
        sum += d * d;
    }
    return db_of_power(sum / std::max(energy_of(clean), 1e-20));
}

struct Tally {
    int with = 0, hits = 0, without = 0, alarms = 0;
    int normalised = 0;
    double before_db = 0, after_db = 0, worst_gain_db = 1000;
};

}  // namespace

Status study_faults(const FaultStudyOptions& options) {
    const auto corpus = Corpus::open(options.corpus);
    if (!corpus) return corpus.error();
    const CleanVoices voices(*corpus, options.held_in ? Pool::Learn : Pool::Tell);
    if (voices.empty())
        return make_error(ErrorKind::BadInput,
                          "No reader of the corpus is clean enough. Build all packages of speech.");
    const auto frames = static_cast<std::size_t>(options.seconds * kCorpusRate);
    std::array<Tally, kFaults> tallies;
    nlohmann::json cases = nlohmann::json::array();
    int clean_cases = 0;
    int clean_alarms = 0;
    std::array<double, kEffectTypes> worst_on_clean;
    worst_on_clean.fill(-200);
    Rng rng(options.seed);
    // Fault kFaults: none.
    for (std::size_t fault = 0; fault <= kFaults; ++fault) {
        const int count = fault == kFaults ? 2 * options.cases : options.cases;
        for (int i = 0; i < count; ++i) {
            Rng own(rng.bits());
            const auto clean = voices.draw(frames, own);
            auto sound = clean;
            if (fault < kFaults) put_fault(static_cast<Fault>(fault), sound, own);
            const auto look = look_at(std::span(&sound, 1), kCorpusRate);
            nlohmann::json row = {{"put", fault < kFaults ? key_of(static_cast<Fault>(fault)) : "none"}};
            bool alarm = false;
            for (std::size_t f = 0; f < kFaults; ++f) {
                const auto& finding = look.findings[f];
                Tally& tally = tallies[f];
                if (f == fault) {
                    ++tally.with;
                    tally.hits += finding.found ? 1 : 0;
                    row["found"] = finding.found;
                    row["sentence"] = finding.sentence;
                } else {
                    ++tally.without;
                    tally.alarms += finding.found ? 1 : 0;
                    alarm = alarm || finding.found;
                    if (finding.found) row["alarms"].push_back(finding.sentence);
                }
            }
            if (fault < kFaults && look.findings[fault].proposal &&
                is_repair(look.findings[fault].proposal->kind)) {
                Tally& tally = tallies[fault];
                const double before = si_sdr_db(sound, clean);
                const double after = si_sdr_db(through(*look.findings[fault].proposal, sound), clean);
                ++tally.normalised;
                tally.before_db += before;
                tally.after_db += after;
                tally.worst_gain_db = std::min(tally.worst_gain_db, after - before);
                row["si_sdr_before_db"] = before;
                row["si_sdr_after_db"] = after;
            }
            if (fault == kFaults) {
                ++clean_cases;
                clean_alarms += alarm ? 1 : 0;
                for (std::size_t k = 0; k < kEffectTypes; ++k) {
                    const auto kind = static_cast<EffectType>(k);
                    if (is_repair(kind))
                        worst_on_clean[k] =
                            std::max(worst_on_clean[k], error_db(clean, through(make_part(kind, 1), clean)));
                }
            }
            if (alarm || (fault < kFaults && !look.findings[fault].found) || !options.json.empty())
                cases.push_back(row);
            if (options.log && options.json.empty() && row.contains("alarms"))
                options.log(row.dump());
            else if (options.log && options.json.empty() && row.contains("found") &&
                     !row["found"].get<bool>())
                options.log(row.dump());
        }
    }
    std::string table =
        "| fault | put in | found | not put in | false alarms | SI-SDR before | after | least gain |\n"
        "| --- | ---: | ---: | ---: | ---: | ---: | ---: | ---: |\n";
    for (std::size_t f = 0; f < kFaults; ++f) {
        const Tally& t = tallies[f];
        table += fmt::format("| {} | {} | {} | {} | {} |", label_of(static_cast<Fault>(f)), t.with, t.hits,
                             t.without, t.alarms);
        if (t.normalised > 0)
            table += fmt::format(" {:.1f} dB | {:.1f} dB | {:.1f} dB |\n", t.before_db / t.normalised,
                                 t.after_db / t.normalised, t.worst_gain_db);
        else
            table += " | | |\n";
    }
    table += fmt::format("\nClean voices: {}, of which something is proposed for: {}\n", clean_cases,
                         clean_alarms);
    table += "\n| repair with standard values | largest change of a clean voice |\n| --- | ---: |\n";
    for (std::size_t k = 0; k < kEffectTypes; ++k) {
        const auto kind = static_cast<EffectType>(k);
        if (is_repair(kind))
            table += fmt::format("| {} | {:.1f} dB |\n", info(kind).label, worst_on_clean[k]);
    }
    if (options.log) options.log(table);
    return options.json.empty() ? Status{} : write_text_file(options.json, cases.dump(1) + "\n");
}

}  // namespace rivlen::learn
