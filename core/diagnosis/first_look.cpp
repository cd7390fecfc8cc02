// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/diagnosis/first_look.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/diagnosis/stretches.h"
#include "core/dsp/decibels.h"
#include "core/effects/processor.h"
#include "core/separation/shaper.h"

namespace rivlen {

namespace {

// Under it nothing can be told.
constexpr double kLeastVoiceDbfs = -70;

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

const char* label_of(Material material) {
    constexpr std::array<const char*, kMaterials> kLabels = {"Silence",
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
    Evidence look{mono, sample_rate, std::max(1.0, static_cast<double>(mono.size())) / sample_rate / 60,
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
    Evidence lows = look;
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

Result<StemLevels> stem_levels(const Source& source, const MaskMap& map, const ShapeSettings& settings,
                               const JobControl& job) {
    std::array<MaskWeights, kStems> weight_sets;
    for (std::size_t s = 0; s < kStems; ++s) weight_sets[s] = stem_weights(settings.stems[s], s);
    std::array<double, kStems> energy{};
    double samples = 0;
    for (const auto& stretch :
         stretches_to_look_at(static_cast<std::int64_t>(source.frames()), source.sample_rate())) {
        const auto done = render(source, map, weight_sets, stretch.first, stretch.last, job,
                                 [&](std::int64_t, std::span<const AudioBlock> blocks) -> Status {
                                     for (std::size_t s = 0; s < kStems; ++s) {
                                         for (std::size_t c = 0; c < blocks[s].channels(); ++c)
                                             energy[s] += energy_of(blocks[s][c]);
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
    AudioBlock sound(source.sample_rate(), static_cast<std::size_t>(std::min(source.channels(), 2)));
    for (const auto& stretch : stretches) {
        const std::size_t at = sound.frames();
        sound.resize(at + static_cast<std::size_t>(stretch.last - stretch.first));
        for (std::size_t c = 0; c < sound.channels(); ++c) {
            const auto piece = sound[c].subspan(at);
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
