// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/sum_proof.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <optional>
#include <span>

#include "core/delivery/delivery_rows.h"
#include "core/dsp/decibels.h"
#include "core/media/sound_under_picture.h"

namespace rivlen {

namespace {

Result<NextSound> file_of(const DeliveredRow& row) {
    auto opened = SoundUnderPicture::open(row.path);
    if (!opened) return opened.error();
    auto sound = std::make_shared<SoundUnderPicture>(std::move(*opened));
    return NextSound([sound](std::int64_t frames, AudioBlock& out) { return sound->next(frames, out); });
}

// Highest sample of the parts' sum less the whole; nothing where one cannot be read.
std::optional<double> peak_of_difference(const NextSound& whole, std::span<const NextSound> parts) {
    constexpr std::int64_t kFrames = 1 << 15;
    double peak = 0;
    for (AudioBlock sum, part;;) {
        if (!whole(kFrames, sum)) return {};
        if (sum.empty()) return peak;
        for (const auto& next : parts) {
            if (!next(kFrames, part) || part.channels() != sum.channels() || part.frames() != sum.frames())
                return {};
            for (std::size_t c = 0; c < sum.channels(); ++c) {
                for (std::size_t i = 0; i < sum.frames(); ++i) sum[c][i] -= part[c][i];
            }
        }
        for (std::size_t c = 0; c < sum.channels(); ++c) {
            for (const float x : sum[c]) peak = std::max(peak, std::abs(static_cast<double>(x)));
        }
    }
}

// The files of one version that can be added up.
struct SumSet {
    std::array<const DeliveredRow*, kStems + 1> mix_and_stems{};
    const DeliveredRow* limiter = nullptr;
};

std::optional<SumProof> proof_of(const SumSet& set, const BeforeLimiter& before_limiter) {
    const DeliveredRow& mix = *set.mix_and_stems[0];
    SumProof out{mix.asked.version, mix.asked.target, channels_label(mix.asked), SumAgainst::Mix, {}};
    if (mix.limited_db < 0)
        out.against = set.limiter != nullptr ? SumAgainst::MixWithLimiterFile : SumAgainst::BeforeLimiter;
    std::vector<NextSound> parts;
    for (const auto* row : std::span(set.mix_and_stems).subspan(1)) {
        auto next = row->sample_rate == mix.sample_rate ? file_of(*row) : make_error(ErrorKind::Internal, "");
        if (!next) return {};
        parts.push_back(std::move(*next));
    }
    // Buses change a mix also where its limiter does not act.
    if (set.limiter != nullptr) {
        auto next = file_of(*set.limiter);
        if (!next || set.limiter->sample_rate != mix.sample_rate) return {};
        parts.push_back(std::move(*next));
        out.against = SumAgainst::MixWithLimiterFile;
    }
    std::shared_ptr<const ScratchSound> rendered;
    NextSound whole;
    if (out.against == SumAgainst::BeforeLimiter) {
        auto sound = before_limiter(mix.asked);
        if (!sound) return {};
        rendered = std::move(*sound);
        whole = next_of(*rendered);
    } else {
        auto file = file_of(mix);
        if (!file) return {};
        whole = std::move(*file);
    }
    const auto peak = peak_of_difference(whole, parts);
    if (!peak) return {};
    if (*peak > 0) out.peak_dbfs = db_of_amplitude(*peak);
    return out;
}

}  // namespace

std::vector<SumProof> add_up(const std::vector<DeliveredRow>& rows, const BeforeLimiter& before_limiter) {
    std::map<VersionKey, SumSet> sets;
    for (const auto& row : rows) {
        const auto& asked = row.asked;
        if (row.state != RowState::Done && row.state != RowState::Skipped) continue;
        if (!keeps_samples(asked.container) || asked.objects) continue;
        auto& set = sets[version_key(asked)];
        const auto content = static_cast<std::size_t>(asked.content);
        const DeliveredRow** place = asked.content == Content::Limiter ? &set.limiter
                                     : content <= kStems               ? &set.mix_and_stems[content]
                                                                       : nullptr;
        if (place != nullptr && *place == nullptr) *place = &row;
    }
    std::vector<SumProof> out;
    for (const auto& [key, set] : sets) {
        if (std::ranges::find(set.mix_and_stems, nullptr) != set.mix_and_stems.end()) continue;
        if (auto proof = proof_of(set, before_limiter)) out.push_back(std::move(*proof));
    }
    return out;
}

}  // namespace rivlen
