// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/diagnosis/first_look.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/diagnosis/evidence.h"
#include "core/dsp/decibels.h"
#include "core/effects/clicks.h"
#include "core/effects/plosives.h"
#include "core/effects/processor.h"
#include "core/effects/wind.h"
#include "core/separation/shaper.h"

namespace rivlen {

namespace {

// From which figure on a fault is one. Set on generated cases with voices that are not among those of the
// table in docs/repair.md.
constexpr double kSoftDbfs = -35, kWantedDbfs = -20, kPeakDbfs = -3;
constexpr double kClicksAMinute = 5;
constexpr double kPlosivesAMinute = 4;
constexpr int kHumTones = 2;
constexpr double kHumClearDb = 15;
constexpr double kHumOffHz = 1.5;  // generators and tapes are off by so much
constexpr double kWindShare = 0.12;
constexpr double kHissUnderVoiceDb = 60, kHissOverDb = 18, kHissLeastDbfs = -85, kHissRoughDb = 4,
                 kHissUnsteadyDb = 3;
constexpr double kHighEdgeDb = 24, kLowEdgeDb = 8;
constexpr int kTelephoneRate = 9000;
constexpr double kSibilanceDb = -4;
constexpr double kDecaySeconds = 0.45, kDirectDb = 4;
constexpr double kLeastVoiceDbfs = -70;

struct FaultInfo {
    const char* key;
    const char* label;
};
constexpr std::array<FaultInfo, kFaults> kFaultInfo = {{{"level", "Level"},
                                                        {"clipping", "Clipping"},
                                                        {"clicks", "Clicks"},
                                                        {"plosives", "Plosives"},
                                                        {"hum", "Hum"},
                                                        {"wind", "Wind"},
                                                        {"hiss", "Hiss"},
                                                        {"telephone", "Telephone band"},
                                                        {"sibilance", "Sibilance"},
                                                        {"echo", "Echo"}}};

// Runs a processor over a copy of the sound, a second at a time.
template <typename P>
void run(P& processor, const Insert& part, std::span<const float> mono, int rate,
         const std::function<void(std::size_t second)>& after_each = {}) {
    const auto size = static_cast<std::size_t>(rate);
    std::array<std::vector<float>, kMixChannels> block{std::vector<float>(size), std::vector<float>(size)};
    processor.set(part.values);
    const std::size_t end = mono.size() + static_cast<std::size_t>(processor.latency());
    for (std::size_t at = 0; at < end; at += size) {
        for (auto& channel : block) std::ranges::fill(channel, 0.0F);
        if (at < mono.size()) {
            const auto piece = mono.subspan(at, std::min(size, mono.size() - at));
            for (auto& channel : block) std::ranges::copy(piece, channel.begin());
        }
        processor.process({block[0], block[1]});
        if (after_each) after_each(at / size);
    }
}

double rounded(double value, double step) {
    return std::round(value / step) * step;
}

// What all the questions are put to.
struct Look {
    std::span<const float> mono;
    int rate;
    double minutes;
    SpeechLevel speech;
};

Finding look_for_level(const Look& look) {
    Finding finding{Fault::Level, false, {}, {}};
    const auto& speech = look.speech;
    const double gain =
        rounded(std::min(kWantedDbfs - speech.active_dbfs, kPeakDbfs - speech.peak_dbfs), 0.5);
    finding.found = speech.active_dbfs < kSoftDbfs && gain >= 1;
    if (!finding.found) {
        finding.sentence = fmt::format("The voice lies at {:.0f} dBFS, its peak at {:.1f} dBFS: fine.",
                                       speech.active_dbfs, speech.peak_dbfs);
        return finding;
    }
    auto part = make_part(EffectType::Gain, 0);
    part.values[parameter::kGainDb] = gain;
    normalise(part);
    finding.sentence =
        fmt::format("The voice lies at {:.0f} dBFS, its peak at {:.1f} dBFS: {:.1f} dB of gain proposed.",
                    speech.active_dbfs, speech.peak_dbfs, part.values[0]);
    finding.proposal = std::move(part);
    return finding;
}

Finding look_for_clipping(std::span<const std::vector<float>> channels) {
    Finding finding{Fault::Clipping, false, {}, {}};
    ClipEvidence worst;
    for (const auto& channel : channels) {
        const auto evidence = find_clipping(channel);
        if (evidence.clipped && (!worst.clipped || evidence.runs > worst.runs)) worst = evidence;
    }
    finding.found = worst.clipped;
    if (!finding.found) {
        finding.sentence = "No flat tops.";
        return finding;
    }
    auto part = make_part(EffectType::Clipping, 0);
    part.values[parameter::kClipLevelDb] = worst.level_dbfs;
    normalise(part);
    finding.sentence = fmt::format("{} peaks are cut off at {:.1f} dBFS: rebuilding them proposed.",
                                   worst.runs, worst.level_dbfs);
    finding.proposal = std::move(part);
    return finding;
}

Finding look_for_clicks(const Look& look) {
    Finding finding{Fault::Clicks, false, {}, {}};
    const auto part = make_part(EffectType::Clicks, 0);
    ClickRemover remover(look.rate);
    run(remover, part, look.mono, look.rate);
    const double a_minute = static_cast<double>(remover.normalised()) / kMixChannels / look.minutes;
    finding.found = a_minute >= kClicksAMinute && remover.normalised() / kMixChannels >= 2;
    if (finding.found) finding.proposal = part;
    finding.sentence = fmt::format("{:.0f} clicks a minute stand out by {:.0f} dB and more: {}.", a_minute,
                                   part.values[parameter::kClickOverDb],
                                   finding.found ? "taking them out proposed" : "too few to matter");
    return finding;
}

// Which seconds are windy: thumps last less.
std::vector<bool> windy_seconds(const Look& look) {
    WindRemover remover(look.rate);
    std::vector<bool> out;
    std::size_t frames = 0;
    std::size_t windy = 0;
    run(remover, make_part(EffectType::Wind, 0), look.mono, look.rate, [&](std::size_t) {
        constexpr double kMost = 0.6;
        out.push_back(static_cast<double>(remover.windy() - windy) >
                      kMost * static_cast<double>(std::max<std::size_t>(1, remover.frames() - frames)));
        frames = remover.frames();
        windy = remover.windy();
    });
    return out;
}

Finding look_for_plosives(const Look& look, const std::vector<bool>& windy) {
    Finding finding{Fault::Plosives, false, {}, {}};
    const auto part = make_part(EffectType::Plosives, 0);
    PlosiveRemover remover(look.rate);
    std::size_t before = 0;
    std::size_t thumps = 0;
    std::size_t calm = 0;
    const auto is_windy = [&](std::size_t second) { return second < windy.size() && windy[second]; };
    run(remover, part, look.mono, look.rate, [&](std::size_t second) {
        // A thump may begin at the end of the second before.
        if (!is_windy(second) && !is_windy(second + 1) && (second == 0 || !is_windy(second - 1))) {
            thumps += remover.found() - before;
            ++calm;
        }
        before = remover.found();
    });
    constexpr std::size_t kLeastCalm = 5;
    if (calm < std::min(kLeastCalm, windy.size())) {
        finding.sentence = "Wind covers the lows: thumps cannot be told from it.";
        return finding;
    }
    const double a_minute = 60 * static_cast<double>(thumps) / static_cast<double>(calm);
    finding.found = a_minute >= kPlosivesAMinute && thumps >= 2;
    if (finding.found) finding.proposal = part;
    finding.sentence = fmt::format("{:.0f} thumps a minute under 45 Hz: {}.", a_minute,
                                   finding.found ? "softening them proposed" : "too few to matter");
    return finding;
}

Finding look_for_hum(const Look& look) {
    Finding finding{Fault::Hum, false, {}, {}};
    const auto hum = find_hum(look.mono, look.rate);
    const double under = look.speech.active_dbfs - hum.level_dbfs;
    const double off = std::min(std::abs(hum.frequency_hz - 50), std::abs(hum.frequency_hz - 60));
    finding.found = hum.tones >= kHumTones && hum.clearest_db >= kHumClearDb && off < kHumOffHz;
    if (!finding.found) {
        finding.sentence = "No steady tone with overtones near 50 or 60 Hz.";
        return finding;
    }
    auto part = make_part(EffectType::Hum, 0);
    part.values[parameter::kHumHz] = rounded(hum.frequency_hz, 0.01);
    constexpr int kLeastTones =
        8;  // higher ones may hide under the voice; what is not steady is left alone anyway
    part.values[parameter::kHumHarmonics] = std::max(kLeastTones, hum.highest);
    normalise(part);
    finding.sentence = fmt::format("{:.2f} Hz hum with {} tones, {:.0f} dB under the voice: filter proposed.",
                                   hum.frequency_hz, hum.tones, under);
    finding.proposal = std::move(part);
    return finding;
}

Finding look_for_wind(const std::vector<bool>& windy) {
    Finding finding{Fault::Wind, false, {}, {}};
    const double share = static_cast<double>(std::ranges::count(windy, true)) /
                         static_cast<double>(std::max<std::size_t>(1, windy.size()));
    finding.found = share >= kWindShare;
    if (finding.found) finding.proposal = make_part(EffectType::Wind, 0);
    finding.sentence =
        fmt::format("In {:.0f} % of the time rumble under 50 Hz outweighs the voice: {}.", 100 * share,
                    finding.found ? "turning it down proposed" : "no wind to speak of");
    return finding;
}

Finding look_for_hiss(const Look& look) {
    Finding finding{Fault::Hiss, false, {}, {}};
    const auto hiss = find_hiss(look.mono, look.rate);
    const double under = look.speech.active_dbfs - hiss.level_dbfs;
    finding.found = under < kHissUnderVoiceDb && under > kHissOverDb && hiss.level_dbfs > kHissLeastDbfs &&
                    hiss.rough_db < kHissRoughDb && hiss.unsteady_db < kHissUnsteadyDb;
    if (!finding.found) {
        finding.sentence =
            hiss.level_dbfs > kHissLeastDbfs && under < kHissUnderVoiceDb
                ? std::string("What sounds in the pauses is too loud or not steady enough to be hiss.")
                : fmt::format("The pauses lie {:.0f} dB under the voice from 1 kHz up: quiet enough.", under);
        return finding;
    }
    constexpr double kMargin = 1.5;  // a little more, so that nothing is left to tinkle
    auto part = make_part(EffectType::Hiss, 0);
    part.values[parameter::kHissLevelDb] = rounded(hiss.third_octave_dbfs + kMargin, 0.5);
    part.values[parameter::kHissTiltDb] = rounded(hiss.tilt_db, 0.1);
    normalise(part);
    finding.sentence =
        fmt::format("Steady hiss from 1 kHz up, {:.0f} dB under the voice: turning it down proposed.", under);
    finding.proposal = std::move(part);
    return finding;
}

Finding look_for_telephone(const Look& look, const SpectrumEvidence& spectrum) {
    Finding finding{Fault::Telephone, false, {}, {}};
    finding.found = (spectrum.high_edge_db > kHighEdgeDb || look.rate <= kTelephoneRate) &&
                    spectrum.low_edge_db > kLowEdgeDb;
    if (!finding.found) {
        finding.sentence = "The voice has more than the band of a telephone.";
        return finding;
    }
    // Within the band, towards the long-term spectrum of speech: half way, 5 dB at most.
    constexpr double kPart = -0.5, kMost = 5;
    auto part = make_part(EffectType::Equaliser, 0);
    constexpr std::array<double, 3> kMiddle = {450, 1200, 2700};
    for (std::size_t bell = 0; bell < 3; ++bell) {
        const std::size_t at = parameter::kBells + bell * parameter::kBellSize;
        part.values[at] = kMiddle[bell];
        part.values[at + 1] = std::clamp(rounded(kPart * spectrum.colour_db[bell], 0.1), -kMost, kMost);
        part.values[at + 2] = 0.8;
    }
    normalise(part);
    finding.sentence = fmt::format(
        "Above 4 kHz the voice falls by {:.0f} dB, below 200 Hz by {:.0f} dB, as over a telephone: an "
        "equaliser within its "
        "band proposed; nothing is invented above.",
        spectrum.high_edge_db, spectrum.low_edge_db);
    finding.proposal = std::move(part);
    return finding;
}

Finding look_for_sibilance(const SpectrumEvidence& spectrum) {
    Finding finding{Fault::Sibilance, false, {}, {}};
    finding.found = spectrum.sibilance_db > kSibilanceDb;
    if (finding.found) finding.proposal = make_part(EffectType::DeEsser, 0);
    finding.sentence =
        fmt::format("The sharpest s sounds lie {:.1f} dB {} the voice between 6 and 10 kHz: {}.",
                    std::abs(spectrum.sibilance_db), spectrum.sibilance_db >= 0 ? "over" : "under",
                    finding.found ? "de-esser proposed" : "fine");
    return finding;
}

Finding look_for_echo(const Look& look, const std::optional<StemLevels>& stems, Reverberation& echo) {
    Finding finding{Fault::Reverberation, false, {}, {}};
    echo.rt60_s = measure_decay(look.mono, look.rate).seconds;
    if (stems)
        echo.drr_db = (*stems)[static_cast<std::size_t>(Stem::Dialogue)] -
                      (*stems)[static_cast<std::size_t>(Stem::Reverb)];
    finding.found = echo.rt60_s > kDecaySeconds || (echo.drr_db && *echo.drr_db < kDirectDb);
    const auto decay = echo.rt60_s > 0 ? fmt::format("Words decay by 60 dB in {:.1f} s", echo.rt60_s)
                                       : std::string("No decay to be measured between words");
    const auto direct = echo.drr_db
                            ? fmt::format(", the direct voice lies {:.0f} dB {} its reverberation",
                                          std::abs(*echo.drr_db), *echo.drr_db >= 0 ? "over" : "under")
                            : std::string();
    finding.sentence =
        decay + direct +
        (finding.found ? ": turn the reverb stem down in the first view." : ": no echo to speak of.");
    return finding;
}

bool has(const FirstLook& look, Fault fault) {
    return look.findings[static_cast<std::size_t>(fault)].found;
}

void judge_material(FirstLook& look, const std::optional<StemLevels>& stems) {
    const auto say = [&](Material material, std::string sentence) {
        look.material = material;
        look.sentence = std::move(sentence);
    };
    const auto level = [&](Stem stem) { return (*stems)[static_cast<std::size_t>(stem)]; };
    if (look.voice_dbfs < kLeastVoiceDbfs)
        return say(Material::Silence, fmt::format("Nothing is louder than {:.0f} dBFS.",
                                                  std::max(look.voice_dbfs, look.peak_dbfs)));
    constexpr double kNoVoiceDb = 18, kMusicDb = 25, kPlaceDb = 20;
    if (stems && level(Stem::Dialogue) < level(Stem::Music) - kNoVoiceDb &&
        level(Stem::Ambience) < level(Stem::Music))
        return say(Material::Music, fmt::format("What there is of a voice lies {:.0f} dB under the music.",
                                                level(Stem::Music) - level(Stem::Dialogue)));
    if (has(look, Fault::Telephone))
        return say(Material::Telephone, "Lows and highs are missing together, as over a telephone.");
    if (has(look, Fault::Wind)) return say(Material::Wind, "Rumble comes and goes in gusts.");
    if (stems && level(Stem::Music) > level(Stem::Dialogue) - kMusicDb &&
        level(Stem::Music) > level(Stem::Ambience))
        return say(Material::VoiceOverMusic,
                   fmt::format("Music lies {:.0f} dB {} the voice.",
                               std::abs(level(Stem::Dialogue) - level(Stem::Music)),
                               level(Stem::Dialogue) >= level(Stem::Music) ? "under" : "over"));
    if (stems && level(Stem::Ambience) > level(Stem::Dialogue) - kPlaceDb)
        return say(Material::BusyPlace,
                   fmt::format("The place lies {:.0f} dB {} the voice.",
                               std::abs(level(Stem::Dialogue) - level(Stem::Ambience)),
                               level(Stem::Dialogue) >= level(Stem::Ambience) ? "under" : "over"));
    if (has(look, Fault::Reverberation))
        return say(Material::EchoingRoom, "The voice sounds on in its room.");
    if (has(look, Fault::Hiss) && has(look, Fault::Hum))
        return say(Material::Tape, "Steady hiss and a hum lie under all of it.");
    say(Material::Voice, "A voice, and little else.");
}

}  // namespace

const char* key_of(Fault fault) {
    return kFaultInfo[static_cast<std::size_t>(fault)].key;
}

bool repairs(Fault fault, EffectType kind) {
    switch (fault) {
        case Fault::Level:
            return kind == EffectType::Gain;
        case Fault::Clipping:
            return kind == EffectType::Clipping;
        case Fault::Clicks:
            return kind == EffectType::Clicks;
        case Fault::Plosives:
            return kind == EffectType::Plosives;
        case Fault::Hum:
            return kind == EffectType::Hum;
        case Fault::Wind:
            return kind == EffectType::Wind;
        case Fault::Hiss:
            return kind == EffectType::Hiss;
        case Fault::Telephone:
            return kind == EffectType::Equaliser;
        case Fault::Sibilance:
            return kind == EffectType::DeEsser;
        case Fault::Reverberation:
            break;
    }
    return false;
}

const char* label_of(Fault fault) {
    return kFaultInfo[static_cast<std::size_t>(fault)].label;
}

const char* label_of(Material material) {
    constexpr std::array<const char*, 9> kLabels = {"Silence",
                                                    "Voice",
                                                    "Voice over music",
                                                    "Music",
                                                    "Voice in a busy place",
                                                    "Voice in wind",
                                                    "Voice in an echoing room",
                                                    "Voice over a telephone",
                                                    "Voice on a hissing tape"};
    return kLabels[static_cast<std::size_t>(material)];
}

std::vector<Insert> FirstLook::chain(int first_id) const {
    // Waveform first, as later parts would smear it; then steady things, colour, and level at the end.
    constexpr std::array kOrder = {Fault::Clipping,  Fault::Clicks,    Fault::Plosives,
                                   Fault::Hum,       Fault::Wind,      Fault::Hiss,
                                   Fault::Telephone, Fault::Sibilance, Fault::Level};
    std::vector<Insert> out;
    for (const Fault fault : kOrder) {
        const auto& finding = findings[static_cast<std::size_t>(fault)];
        if (!finding.proposal) continue;
        out.push_back(*finding.proposal);
        out.back().id = first_id++;
    }
    return out;
}

void FirstLook::put_into(std::vector<Insert>& chain, std::span<const Fault> taken,
                         const std::function<int()>& new_id) const {
    std::vector<Insert> ahead;
    for (auto& proposal : this->chain(0)) {
        const bool wanted = std::ranges::any_of(taken, [&](Fault fault) {
            const auto& here = findings[static_cast<std::size_t>(fault)].proposal;
            return here && here->kind == proposal.kind;
        });
        const auto there = std::ranges::find(chain, proposal.kind, &Insert::kind);
        if (there != chain.end() && !is_repair(proposal.kind)) continue;
        if (there != chain.end()) {
            there->values = proposal.values;
            there->on = wanted;
            continue;
        }
        proposal.id = new_id();
        proposal.on = wanted;
        ahead.push_back(std::move(proposal));
    }
    chain.insert(chain.begin(), ahead.begin(), ahead.end());
}

FirstLook look_at(std::span<const std::vector<float>> channels, int sample_rate,
                  const std::optional<StemLevels>& stems) {
    FirstLook out;
    std::vector<float> mono(channels.empty() ? 0 : channels[0].size());
    for (const auto& channel : channels) {
        for (std::size_t i = 0; i < mono.size(); ++i)
            mono[i] += channel[i] / static_cast<float>(channels.size());
    }
    Look look{mono, sample_rate, std::max(1.0, static_cast<double>(mono.size())) / sample_rate / 60,
              measure_speech(mono, sample_rate)};
    for (const auto& channel : channels)
        for (const float x : channel)
            look.speech.peak_dbfs =
                std::max(look.speech.peak_dbfs, db_of_amplitude(static_cast<double>(std::abs(x))));
    out.voice_dbfs = look.speech.active_dbfs;
    out.peak_dbfs = look.speech.peak_dbfs;
    if (out.voice_dbfs < kLeastVoiceDbfs) {
        for (std::size_t f = 0; f < kFaults; ++f)
            out.findings.push_back({static_cast<Fault>(f), false, "Too soft to tell.", {}});
        judge_material(out, stems);
        return out;
    }
    const auto spectrum = measure_spectrum(mono, sample_rate);
    // A hum is no rumble: it is taken out before lows are judged.
    auto hum = look_for_hum(look);
    std::vector<float> without_hum;
    Look lows = look;
    if (hum.proposal) {
        without_hum = through_chain(std::span(&*hum.proposal, 1), mono, sample_rate);
        lows.mono = without_hum;
    }
    const auto windy = windy_seconds(lows);
    out.findings.push_back(look_for_level(look));
    out.findings.push_back(look_for_clipping(channels));
    out.findings.push_back(look_for_clicks(look));
    out.findings.push_back(look_for_plosives(lows, windy));
    out.findings.push_back(std::move(hum));
    out.findings.push_back(look_for_wind(windy));
    out.findings.push_back(look_for_hiss(look));
    out.findings.push_back(look_for_telephone(look, spectrum));
    out.findings.push_back(look_for_sibilance(spectrum));
    out.findings.push_back(look_for_echo(look, stems, out.echo));
    judge_material(out, stems);
    return out;
}

std::vector<Stretch> stretches_to_look_at(std::int64_t frames, int sample_rate) {
    constexpr int kWholeSeconds = 240, kStretchSeconds = 30, kStretches = 8;
    if (frames <= static_cast<std::int64_t>(kWholeSeconds) * sample_rate) return {{0, frames}};
    std::vector<Stretch> out;
    const auto length = static_cast<std::int64_t>(kStretchSeconds) * sample_rate;
    for (int i = 0; i < kStretches; ++i) {
        const std::int64_t first = (frames - length) * i / (kStretches - 1);
        out.push_back({first, first + length});
    }
    return out;
}

void fade_ends(std::span<float> stretch, int sample_rate) {
    const auto fade = std::min(stretch.size() / 2, static_cast<std::size_t>(sample_rate / 50));
    for (std::size_t i = 0; i < fade; ++i) {
        const float gain = static_cast<float>(i) / static_cast<float>(fade);
        stretch[i] *= gain;
        stretch[stretch.size() - 1 - i] *= gain;
    }
}

Result<StemLevels> stem_levels(const Source& source, const MaskMap& map, const ShapeSettings& settings,
                               const JobControl& job) {
    std::array<MaskWeights, kStems> weight_sets;
    for (std::size_t s = 0; s < kStems; ++s) weight_sets[s] = stem_weights(settings.stems[s], s);
    std::array<double, kStems> energy{};
    double samples = 0;
    for (const auto& stretch :
         stretches_to_look_at(static_cast<std::int64_t>(source.frames()), source.sample_rate())) {
        const auto done =
            render(source, map, weight_sets, stretch.first, stretch.last, job,
                   [&](std::int64_t, std::span<const std::vector<std::vector<float>>> blocks) -> Status {
                       for (std::size_t s = 0; s < kStems; ++s) {
                           for (const auto& channel : blocks[s]) energy[s] += energy_of(channel);
                       }
                       return {};
                   });
        if (!done) return done.error();
        samples += static_cast<double>(stretch.last - stretch.first) * source.channels();
    }
    StemLevels out{};
    for (std::size_t s = 0; s < kStems; ++s) out[s] = db_of_power(energy[s] / std::max(samples, 1.0));
    return out;
}

Result<FirstLook> look_at(const Source& source, const MaskMap* map, const JobControl& job) {
    const auto stretches =
        stretches_to_look_at(static_cast<std::int64_t>(source.frames()), source.sample_rate());
    std::vector<std::vector<float>> sound(static_cast<std::size_t>(std::min(source.channels(), 2)));
    for (const auto& stretch : stretches) {
        for (std::size_t c = 0; c < sound.size(); ++c) {
            const std::size_t at = sound[c].size();
            sound[c].resize(at + static_cast<std::size_t>(stretch.last - stretch.first));
            const auto piece = std::span(sound[c]).subspan(at);
            source.read(static_cast<int>(c), stretch.first, piece);
            if (stretches.size() > 1) fade_ends(piece, source.sample_rate());
        }
        if (job.cancelled()) return JobControl::cancelled_error();
    }
    std::optional<StemLevels> stems;
    if (map != nullptr) {
        auto levels = stem_levels(source, *map, {}, job);
        if (!levels) return levels.error();
        stems = *levels;
    }
    return look_at(sound, source.sample_rate(), stems);
}

}  // namespace rivlen
