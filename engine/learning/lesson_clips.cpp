// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/learning/lesson_clips.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/decibels.h"
#include "core/dsp/stft.h"

namespace rivlen {

namespace {

constexpr std::size_t kDialogue = static_cast<std::size_t>(Stem::Dialogue);
constexpr std::size_t kReverb = static_cast<std::size_t>(Stem::Reverb);
constexpr std::size_t kMusic = static_cast<std::size_t>(Stem::Music);
constexpr std::size_t kAmbience = static_cast<std::size_t>(Stem::Ambience);
constexpr std::size_t kClipFrames = static_cast<std::size_t>(kTeachingClipSeconds * kModelRate);
constexpr double kKeptShare = 0.25;    // of a lesson
constexpr std::size_t kOneKeptOf = 5;  // others

using Sides = std::array<std::vector<float>, 2>;

std::span<const float> part_of(std::span<const float> x, std::size_t first, std::size_t count) {
    return x.subspan(first, std::min(count, x.size() - first));
}

Sides cut(const AudioBlock& sound, std::size_t first, std::size_t count) {
    Sides out;
    for (std::size_t c = 0; c < 2; ++c) {
        const auto part = part_of(sound[c], first, count);
        out[c].assign(part.begin(), part.end());
    }
    return out;
}

// How a passage is heard this time.
struct Variation {
    std::size_t first = 0;  // frame it begins with
    double speed = 1.0;
    bool turned = false;  // sides changed
    float tilt = 0.0F;    // of a filter y[i] = x[i] + tilt x[i - 1]
};

Variation vary(std::size_t frames, double fastest, Rng& rng) {
    Variation v;
    v.first = rng.below(frames);
    v.speed = rng.chance(0.5) ? rng.log_uniform(1.0 / fastest, fastest) : 1.0;
    v.turned = rng.chance(0.5);
    v.tilt = rng.chance(0.5) ? static_cast<float>(rng.uniform(-0.3, 0.3)) : 0.0F;
    return v;
}

// The passage over and over, each end going over into its beginning within kJoin frames, so that a clip of
// any length can begin anywhere in it. Between samples it is read by a cubic through four of them
// (Catmull-Rom).
class Round {
  public:
    explicit Round(std::span<const float> x) {
        const std::size_t join = std::min(kJoin, x.size() / 4);
        samples_.assign(x.begin(), x.end() - static_cast<std::ptrdiff_t>(join));
        for (std::size_t i = 0; i < join; ++i) {
            const float part = (static_cast<float>(i) + 0.5F) / static_cast<float>(join);
            // Equal power: an end and a beginning have nothing in common.
            samples_[i] = std::sqrt(part) * x[i] + std::sqrt(1.0F - part) * x[x.size() - join + i];
        }
    }
    [[nodiscard]] float at(double place) const {
        const double whole = std::floor(place);
        const auto t = static_cast<float>(place - whole);
        const auto size = static_cast<std::int64_t>(samples_.size());
        const auto k = static_cast<std::int64_t>(whole);
        const auto x = [&](std::int64_t i) {
            return samples_[static_cast<std::size_t>((k + i + size) % size)];
        };
        const float a = x(-1);
        const float b = x(0);
        const float c = x(1);
        const float d = x(2);
        return b + 0.5F * t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * (b - c) + d - a)));
    }

  private:
    static constexpr std::size_t kJoin = kModelRate / 50;
    std::vector<float> samples_;
};

Sides varied(const Sides& sound, const Variation& v, std::size_t frames) {
    Sides out;
    for (std::size_t c = 0; c < 2; ++c) {
        const Round round(sound[v.turned ? 1 - c : c]);
        out[c].resize(frames);
        float before = 0.0F;
        for (std::size_t i = 0; i < frames; ++i) {
            const float now = round.at(static_cast<double>(v.first) + static_cast<double>(i) * v.speed);
            out[c][i] = now + v.tilt * before;
            before = now;
        }
    }
    return out;
}

torch::Tensor features_of(const AudioBlock& sound) {
    std::array<std::vector<float>, 2> sides;
    for (std::size_t c = 0; c < 2; ++c) sides[c].assign(sound[c].begin(), sound[c].end());
    const StemSpectra spectra = spectra_of(sides);
    Blend blend;
    blend.frames = spectra.frames;
    if (!spectra.values.empty()) blend.stems[kAmbience] = &spectra;
    return example_of(blend).features;
}

// A talker as dialogue and reverb: all of the sound, shared as the model shares those two.
std::array<AudioBlock, 2> voice_parts(SeparationNetwork& network, const AudioBlock& sound) {
    const auto masks = network->forward(features_of(sound).unsqueeze(0))[0].contiguous();
    const auto at = masks.accessor<float, 3>();
    Stft stft(kModelFft);
    std::array<AudioBlock, 2> out = {AudioBlock(kModelRate, 2, sound.frames()),
                                     AudioBlock(kModelRate, 2, sound.frames())};
    for (std::size_t c = 0; c < 2; ++c) {
        auto direct = analyse(stft, sound[c]);
        for (std::size_t i = 0; i < direct.size(); ++i) {
            const auto t = static_cast<std::int64_t>(i / kModelBins);
            const int band = band_of_bin()[i % kModelBins];
            const float dialogue = at[t][kDialogue][band];
            direct[i] *= dialogue / (dialogue + at[t][kReverb][band] + 1e-6F);
        }
        const auto dry = synthesise(stft, direct, sound.frames());
        for (std::size_t i = 0; i < dry.size(); ++i) {
            out[0][c][i] = dry[i];
            out[1][c][i] = sound[c][i] - dry[i];
        }
    }
    return out;
}

KnownMix known_mix(const Blend& blend) {
    KnownMix mix;
    mix.features = example_of(blend).features;
    const auto frames = static_cast<std::int64_t>(blend.frames);
    mix.power = torch::zeros({frames, kBands});
    mix.agreement = torch::zeros({kStems, frames, kBands});
    auto power = mix.power.accessor<float, 2>();
    auto agreement = mix.agreement.accessor<float, 3>();
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t t = 0; t < blend.frames; ++t) {
            std::array<const float*, kStems> rows{};
            for (std::size_t s = 0; s < kStems; ++s) {
                if (blend.stems[s] != nullptr)
                    rows[s] = blend.stems[s]->values.data() + (c * blend.frames + t) * 2 * kPaddedBins;
            }
            for (std::size_t k = 0; k < kModelBins; ++k) {
                std::array<Complex, kStems> y{};
                Complex x{};
                for (std::size_t s = 0; s < kStems; ++s) {
                    if (rows[s] == nullptr) continue;
                    y[s] = blend.gains[s] * Complex(rows[s][k], rows[s][kPaddedBins + k]);
                    mix.energy[s] += static_cast<double>(std::norm(y[s]));
                    x += y[s];
                }
                const auto row = static_cast<std::int64_t>(t);
                const int band = band_of_bin()[k];
                power[row][band] += std::norm(x);
                for (std::size_t s = 0; s < kStems; ++s)
                    agreement[static_cast<std::int64_t>(s)][row][band] += (x * std::conj(y[s])).real();
            }
        }
    }
    return mix;
}

}  // namespace

std::array<double, kStems> si_sdr_db(const KnownMix& mix, const torch::Tensor& masks) {
    std::array<double, kStems> out{};
    for (std::size_t s = 0; s < kStems; ++s) {
        if (mix.energy[s] <= 0.0) continue;
        const auto i = static_cast<std::int64_t>(s);
        const auto mask = masks[i].to(torch::kFloat64);
        const double along = (mask * mix.agreement[i]).sum().item<double>();
        const double estimate = (mask.square() * mix.power).sum().item<double>();
        const double truth = along * along / mix.energy[s];
        out[s] = db_of_power(truth / std::max(estimate - truth, 1e-12 * estimate + 1e-30));
    }
    return out;
}

LessonClips::LessonClips(const TeachingWish& wish, SeparationNetwork& network)
    : of_parts_(wish.lessons.front().part.has_value()), wish_(&wish) {
    for (const Lesson& lesson : wish.lessons) {
        OwnSound own;
        own.mask = lesson.mask();
        const auto kept = static_cast<std::size_t>(kKeptShare * static_cast<double>(lesson.sound.frames()));
        const std::size_t learned = lesson.sound.frames() - kept;
        const auto take = [&](std::size_t stem, const AudioBlock& sound) {
            own.learned[stem] = cut(sound, 0, learned);
            own.kept[stem] = cut(sound, learned, kept);
        };
        if (!of_parts_ && lesson.stem == Stem::Dialogue) {
            const auto parts = voice_parts(network, lesson.sound);
            take(kDialogue, parts[0]);
            take(kReverb, parts[1]);
        } else {
            take(own.mask, lesson.sound);
        }
        lessons_.push_back(std::move(own));
        if (std::ranges::find(taught_, lesson.mask()) == taught_.end()) taught_.push_back(lesson.mask());
    }
}

// Kinds of lessons come up equally often, and among lessons of a kind each as often as it is long.
LessonClips::Parts LessonClips::lesson_parts(Rng& rng, From from, std::size_t lesson) const {
    const OwnSound& own = lessons_[lesson];
    const auto& sound = from == From::Learned ? own.learned : own.kept;
    const std::size_t frames = sound[own.mask][0].size();
    constexpr double kFastestTalker = 1.05;
    constexpr double kFastestOther = 1.1;
    const bool talker = !of_parts_ && own.mask == kDialogue;
    const double fastest = talker ? kFastestTalker : kFastestOther;
    const Variation variation = from == From::Learned ? vary(frames, fastest, rng) : Variation{};
    Parts parts;
    for (std::size_t s = 0; s < kStems; ++s) {
        if (!sound[s][0].empty()) parts.stems[s] = spectra_of(varied(sound[s], variation, kClipFrames));
    }
    return parts;
}

LessonClips::Wanted LessonClips::drawn_with(std::size_t mask, Rng& rng) const {
    constexpr double kAlone = 0.1, kTogether = 0.75;
    Wanted wanted{};
    const bool alone = rng.chance(kAlone);
    if (of_parts_) {
        for (std::size_t part = 0; part < kStems; ++part)
            wanted[part] = rng.chance(kTogether) && part != mask && !alone;
        return wanted;
    }
    const bool fully = rng.chance(0.3);  // with everything else at once
    wanted[kDialogue] = mask != kDialogue && !alone;
    wanted[kMusic] = mask != kMusic && !alone && (fully || (mask == kDialogue && rng.chance(0.5)));
    wanted[kAmbience] = mask != kAmbience && !alone && (fully || (mask == kDialogue && !wanted[kMusic]));
    return wanted;
}

LessonClips::Wanted LessonClips::drawn_without(Rng& rng) const {
    Wanted wanted{};
    if (of_parts_) {
        constexpr double kThere = 0.85;
        for (bool& part : wanted) part = rng.chance(kThere);
        if (std::ranges::none_of(wanted, [](bool there) { return there; })) wanted.fill(true);
        return wanted;
    }
    wanted[kDialogue] = rng.chance(0.8);
    wanted[kMusic] = rng.chance(0.65);
    wanted[kAmbience] = rng.chance(0.75);
    if (!wanted[kDialogue] && !wanted[kMusic]) wanted[kAmbience] = true;
    return wanted;
}

LessonClips::Wanted LessonClips::measured_with(std::size_t mask, int n) const {
    Wanted wanted{};
    if (of_parts_) {
        wanted.fill(true);
        wanted[mask] = false;
        // In every other one somebody else is missing, too.
        if (n % 2 == 1) wanted[(mask + 1 + static_cast<std::size_t>(n / 2) % (kStems - 1)) % kStems] = false;
        return wanted;
    }
    wanted[kDialogue] = mask != kDialogue;
    wanted[kMusic] = mask == kDialogue ? n % 2 == 0 : mask == kAmbience && n % 4 == 0;
    wanted[kAmbience] = mask == kDialogue ? n % 2 == 1 : mask == kMusic && n % 4 == 0;
    return wanted;
}

LessonClips::Wanted LessonClips::measured_without(int n) const {
    Wanted wanted{};
    if (of_parts_) {
        wanted.fill(true);
        if (n % 2 == 1) wanted[static_cast<std::size_t>(n / 2) % kStems] = false;
        return wanted;
    }
    wanted[kDialogue] = n % 4 != 3;
    wanted[kMusic] = n % 4 != 0;
    wanted[kAmbience] = n % 4 != 1;
    return wanted;
}

void LessonClips::add_others(Parts& parts, Wanted wanted, Rng& rng, From from) const {
    const std::size_t count = wish_->others.size();
    const std::size_t kept = std::max<std::size_t>(1, count / kOneKeptOf);
    const auto any = [&]() -> const OtherSound& {
        return wish_
            ->others[from == From::Learned ? rng.below(count - kept) : count - kept + rng.below(kept)];
    };
    const auto take = [&](std::size_t stem, const OtherSound& other, std::size_t first) {
        parts.stems[stem] = spectra_of(cut(other.stems[stem], first, kClipFrames));
    };
    const auto begin = [&](const OtherSound& other) {
        return rng.below(other.stems[0].frames() - kClipFrames + 1);
    };
    if (of_parts_) {
        const OtherSound& song = any();
        const std::size_t first = begin(song);
        for (std::size_t part = 0; part < kStems; ++part) {
            if (wanted[part]) take(part, song, first);
        }
        return;
    }
    if (wanted[kDialogue]) {
        const OtherSound& voice = any();
        const std::size_t first = begin(voice);
        take(kDialogue, voice, first);
        take(kReverb, voice, first);
        parts.bandwidth_hz = voice.bandwidth_hz;
    }
    for (const std::size_t stem : {kMusic, kAmbience}) {
        if (!wanted[stem]) continue;
        const OtherSound& other = any();
        take(stem, other, begin(other));
    }
}

// Music and ambience at levels against the voice, or against one another; parts of a song within a few dB.
Blend LessonClips::blend_of(const Parts& parts, Rng& rng) const {
    constexpr double kAlonePower = 2.5e-3;
    constexpr double kNothing = 1e-12;  // no gain makes something of it
    Blend blend;
    double voice_power = of_parts_ ? kAlonePower : parts.stems[kDialogue].active_power;
    if (voice_power <= kNothing) voice_power = kAlonePower;
    for (std::size_t s = 0; s < kStems; ++s) {
        blend.frames = std::max(blend.frames, parts.stems[s].frames);
        if (!parts.stems[s].values.empty()) blend.stems[s] = &parts.stems[s];
        const double below_db = of_parts_ ? rng.uniform(-6, 6) : rng.uniform(-6, 12);
        const double power = parts.stems[s].active_power;
        if ((of_parts_ || s >= kMusic) && power > kNothing)
            blend.gains[s] = static_cast<float>(std::sqrt(voice_power * power_of_db(-below_db) / power));
    }
    blend.mono = rng.chance(0.25);
    if (parts.bandwidth_hz < kModelRate / 2.0)
        blend.learned_bins = static_cast<std::size_t>(parts.bandwidth_hz * kModelFft / kModelRate);
    return blend;
}

Example LessonClips::draw(Rng& rng) const {
    Parts parts;
    Wanted wanted{};
    if (rng.chance(0.5)) {
        const std::size_t mask = taught_[rng.below(taught_.size())];
        std::vector<double> ends;  // of the lessons of this kind, laid one after another
        double total = 0.0;
        for (const auto& lesson : lessons_) {
            if (lesson.mask == mask) total += static_cast<double>(lesson.longest()[0].size());
            ends.push_back(total);
        }
        const double place = rng.uniform() * total;
        const auto found = std::ranges::upper_bound(ends, place);
        parts = lesson_parts(rng, From::Learned, static_cast<std::size_t>(found - ends.begin()));
        wanted = drawn_with(mask, rng);
    } else {
        wanted = drawn_without(rng);
    }
    add_others(parts, wanted, rng, From::Learned);
    return example_of(blend_of(parts, rng));
}

std::vector<KnownMix> LessonClips::with_lessons() const {
    constexpr int kOfEach = 12;
    std::vector<KnownMix> mixes;
    for (std::size_t i = 0; i < lessons_.size(); ++i) {
        Rng rng(wish_->seed * 7919 + i);
        for (int n = 0; n < kOfEach; ++n) {
            Parts parts = lesson_parts(rng, From::Kept, i);
            add_others(parts, measured_with(lessons_[i].mask, n), rng, From::Kept);
            Blend blend = blend_of(parts, rng);
            blend.mono = false;
            mixes.push_back(known_mix(blend));
        }
    }
    return mixes;
}

std::vector<KnownMix> LessonClips::without_lessons() const {
    constexpr int kMixes = 12;
    std::vector<KnownMix> mixes;
    Rng rng(wish_->seed * 104729 + 1);
    for (int n = 0; n < kMixes; ++n) {
        Parts parts;
        add_others(parts, measured_without(n), rng, From::Kept);
        Blend blend = blend_of(parts, rng);
        blend.mono = false;
        mixes.push_back(known_mix(blend));
    }
    return mixes;
}

}  // namespace rivlen
