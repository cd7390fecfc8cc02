// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/corrections.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

#include "core/dsp/decibels.h"
#include "core/separation/band_powers.h"
#include "core/separation/sound_fill.h"

namespace rivlen {

namespace {

constexpr std::array<CorrectionActInfo, kCorrectionActs> kActs = {
    {{"give", "Give", "What is in the region goes to one stem."},
     {"take_down", "Take down", "All stems are turned down here; what goes is cut from the whole."},
     {"share_as_before", "As the model had it", "Corrections further up in the list do not hold here."},
     {"fill", "Fill",
      "The sound around it goes on here, as the stems share it there; what was here is cut."}}};

// A fill looks this far before and behind, and leaves this much out beside its region.
constexpr std::int64_t kLookFrames = 94;  // 1 s
constexpr std::int64_t kApartFrames = 3;  // 32 ms: what rings into the windows of the frames beside it
constexpr double kForEver = 1e9;
}  // namespace

const CorrectionActInfo& info(CorrectionAct act) {
    return kActs[static_cast<std::size_t>(act)];
}

void normalise(std::vector<Correction>& corrections) {
    std::erase_if(corrections, [](Correction& c) { return !normalise(c.region); });
    std::set<int> ids;
    for (auto& c : corrections) {
        const auto within = [](double x, double low, double high, double otherwise) {
            return std::isfinite(x) ? std::clamp(x, low, high) : otherwise;
        };
        c.take_down_db = within(c.take_down_db, 0, kMostTakeDownDb, 24);
        c.strength_percent = within(c.strength_percent, 0, 100, 100);
        while (c.id < 1 || ids.contains(c.id)) c.id = ids.empty() ? 1 : *ids.rbegin() + 1;
        ids.insert(c.id);
    }
}

int new_correction_id(std::span<const Correction> corrections) {
    int last = 0;
    for (const auto& c : corrections) last = std::max(last, c.id);
    return last + 1;
}

void append(std::vector<Correction>& corrections, std::span<const Correction> more) {
    for (Correction c : more) {
        c.id = new_correction_id(corrections);
        corrections.push_back(std::move(c));
    }
}

// What a fill puts in place of masks and sound.
struct PreparedCorrections::Filling {
    std::int64_t first = 0;  // frame of the map
    std::int64_t frames = 0;
    std::vector<std::array<std::vector<float>, 2>> ends;  // [group][before, behind]: masks, [stem][band]
    SoundFill sound;
    std::vector<Undoing> undone;  // what it was made without
};

struct PreparedCorrections::Entry {
    explicit Entry(const Correction& correction)
        : region(correction.region),
          reader(correction.region),
          act(correction.act),
          outside(correction.outside),
          to(static_cast<std::size_t>(correction.to)),
          from(correction.from),
          strength(static_cast<float>(correction.strength_percent / 100)),
          down(correction.take_down_db >= kMostTakeDownDb
                   ? 0.0F
                   : static_cast<float>(amplitude_of_db(-correction.take_down_db))) {}
    Region region;
    RegionReader reader;
    CorrectionAct act;
    bool outside;
    std::size_t to;
    std::array<bool, kStems> from;
    float strength, down;
    std::shared_ptr<const Filling> filling;  // of a fill

    void apply(double map_frame, int group, std::span<const float> strengths, std::span<const float> before,
               std::span<float> masks) const;
    // How strongly it holds in every band at a time; false where it does nowhere.
    bool read(double seconds, std::span<float> strengths) const;
    [[nodiscard]] double first_seconds() const { return outside ? 0.0 : reader.first_seconds(); }
    [[nodiscard]] double last_seconds() const { return outside ? kForEver : reader.last_seconds(); }
    void give(std::size_t band, float part, std::span<float> masks) const;
    void fill(double map_frame, int group, std::size_t band, float part, std::span<float> masks) const;
};

bool PreparedCorrections::Entry::read(double seconds, std::span<float> strengths) const {
    const bool here = reader.read(seconds, strengths);
    if (!outside) return here;
    for (float& x : strengths) x = here ? 1 - x : 1;
    return true;
}

void PreparedCorrections::Entry::give(std::size_t band, float part, std::span<float> masks) const {
    float taken = 0;
    for (std::size_t s = 0; s < kStems; ++s) {
        if (s == to || !from[s]) continue;
        const float moved = part * masks[s * kBands + band];
        masks[s * kBands + band] -= moved;
        taken += moved;
    }
    masks[to * kBands + band] += taken;
}

void PreparedCorrections::Entry::fill(double map_frame, int group, std::size_t band, float part,
                                      std::span<float> masks) const {
    if (!filling) return;
    const Filling& f = *filling;
    if (f.frames == 0) return;
    const double at =
        std::clamp(map_frame - static_cast<double>(f.first), 0.0, static_cast<double>(f.frames - 1));
    const auto along = static_cast<float>(at / static_cast<double>(std::max<std::int64_t>(1, f.frames - 1)));
    const auto& ends = f.ends[std::min(static_cast<std::size_t>(group), f.ends.size() - 1)];
    for (std::size_t s = 0; s < kStems; ++s) {
        const std::size_t i = s * kBands + band;
        const float share = ends[0][i] + along * (ends[1][i] - ends[0][i]);
        masks[i] += part * (share - masks[i]);
    }
}

void PreparedCorrections::Entry::apply(double map_frame, int group, std::span<const float> strengths,
                                       std::span<const float> before, std::span<float> masks) const {
    for (std::size_t band = 0; band < kBands; ++band) {
        const float part = strength * strengths[band];
        if (part <= 0) continue;
        switch (act) {
            case CorrectionAct::Give:
                give(band, part, masks);
                break;
            case CorrectionAct::TakeDown:
                for (std::size_t s = 0; s < kStems; ++s) masks[s * kBands + band] *= 1 - part * (1 - down);
                break;
            case CorrectionAct::ShareAsBefore:
                for (std::size_t i = band; i < kMaskRow; i += kBands)
                    masks[i] += part * (before[i] - masks[i]);
                break;
            case CorrectionAct::Fill:
                fill(map_frame, group, band, part, masks);
                break;
        }
    }
}

PreparedCorrections::PreparedCorrections() = default;
PreparedCorrections::~PreparedCorrections() = default;

// Shares are those around the region, from one side over to the other; the sound goes on into it from both.
PreparedCorrections::Filling PreparedCorrections::fill_of(const Entry& entry, const Source& source,
                                                          const MaskMap& map,
                                                          const std::vector<Undoing>& undone) {
    Filling out;
    out.undone = undone;
    const auto total = static_cast<std::int64_t>(map.facts().frames);
    out.first = std::clamp<std::int64_t>(
        static_cast<std::int64_t>(std::floor(entry.reader.first_seconds() * kMapFramesPerSecond)), 0, total);
    const std::int64_t last = std::clamp<std::int64_t>(
        static_cast<std::int64_t>(std::ceil(entry.reader.last_seconds() * kMapFramesPerSecond)) + 1,
        out.first, total);
    out.frames = last - out.first;
    const std::int64_t from = std::max<std::int64_t>(0, out.first - kApartFrames - kLookFrames);
    const std::int64_t before_end = std::max<std::int64_t>(0, out.first - kApartFrames);
    const std::int64_t behind = std::min(total, last + kApartFrames);
    const std::int64_t to = std::min(total, behind + kLookFrames);
    if (out.frames == 0 || (before_end <= from && to <= behind)) {
        out.frames = 0;  // nothing around it that it could follow
        return out;
    }
    std::vector<RegionReader> readers;
    for (const Undoing& u : undone) readers.emplace_back(u.region);
    std::vector<NotFilled> without;
    for (std::size_t i = 0; i < undone.size(); ++i) without.push_back({&readers[i], undone[i].strength});
    out.sound = fill_sound(source, entry.reader, without);
    const auto powers = band_powers(source, from, to);
    const auto power = [&](std::int64_t frame, std::size_t band) {
        return powers[static_cast<std::size_t>(frame - from) * kBands + band];
    };
    const auto mean_masks = [&](std::int64_t first, std::int64_t end, int group) {
        std::vector<float> sum(kMaskRow), row(kMaskRow);
        std::vector<float> weight(kBands, 1e-20F);
        for (std::int64_t f = first; f < end; ++f) {
            map.read(static_cast<double>(f), row, group);
            for (std::size_t b = 0; b < kBands; ++b) {
                const float p = power(f, b) + 1e-20F;
                weight[b] += p;
                for (std::size_t i = b; i < kMaskRow; i += kBands) sum[i] += p * row[i];
            }
        }
        for (std::size_t i = 0; i < kMaskRow; ++i) sum[i] /= weight[i % kBands];
        return sum;
    };
    for (int group = 0; group < map.facts().groups; ++group) {
        std::array<std::vector<float>, 2> ends;
        if (before_end > from) ends[0] = mean_masks(from, before_end, group);
        if (to > behind) ends[1] = mean_masks(behind, to, group);
        if (ends[0].empty()) ends[0] = ends[1];
        if (ends[1].empty()) ends[1] = ends[0];
        out.ends.push_back(std::move(ends));
    }
    return out;
}

Result<std::shared_ptr<const PreparedCorrections>> PreparedCorrections::prepare(
    std::span<const Correction> corrections, const Source& source, const MaskMap& map, const JobControl& job,
    const PreparedCorrections* earlier) {
    std::vector<Correction> sound(corrections.begin(), corrections.end());
    normalise(sound);
    std::shared_ptr<PreparedCorrections> out(new PreparedCorrections);
    for (const auto& c : sound) {
        if (job.cancelled()) return JobControl::cancelled_error();
        if (!c.on || c.strength_percent <= 0) continue;
        Entry entry(c);
        if (c.act == CorrectionAct::Fill && !c.outside) {
            const auto undone = undone_behind(c, sound);
            if (earlier != nullptr) entry.filling = earlier->filling_of(c.region, undone);
            if (!entry.filling)
                entry.filling = std::make_shared<const Filling>(fill_of(entry, source, map, undone));
            if (!entry.filling->sound.change.empty())
                out->sounds_.push_back(
                    {entry.filling->sound.first, entry.filling->sound.last(), entry.strength, entry.filling});
        }
        out->cuts_ = out->cuts_ || c.act == CorrectionAct::TakeDown || c.act == CorrectionAct::Fill;
        out->entries_.push_back(std::move(entry));
    }
    out->index_by_time(static_cast<double>(map.facts().frames) / kMapFramesPerSecond);
    std::ranges::sort(out->sounds_, {}, &Sounding::first);
    for (const Sounding& s : out->sounds_)
        out->longest_sound_ = std::max(out->longest_sound_, s.last - s.first);
    return std::shared_ptr<const PreparedCorrections>(std::move(out));
}

std::shared_ptr<const PreparedCorrections::Filling> PreparedCorrections::filling_of(
    const Region& region, const std::vector<Undoing>& undone) const {
    const auto found = std::ranges::find_if(entries_, [&](const Entry& e) {
        return e.filling && e.region == region && e.filling->undone == undone;
    });
    return found != entries_.end() ? found->filling : nullptr;
}

// What the list says further down is to be as the model had it.
std::vector<PreparedCorrections::Undoing> PreparedCorrections::undone_behind(
    const Correction& fill, std::span<const Correction> list) {
    std::vector<Undoing> out;
    const auto bounds = bounds_of(fill.region);
    auto at = std::ranges::find(list, fill.id, &Correction::id);
    for (; at != list.end(); ++at) {
        if (!at->on || at->act != CorrectionAct::ShareAsBefore || at->outside) continue;
        const auto there = bounds_of(at->region);
        constexpr double kBesideSeconds = 1.0;  // soft edges
        if (there.last_seconds < bounds.first_seconds - kBesideSeconds ||
            there.first_seconds > bounds.last_seconds + kBesideSeconds)
            continue;
        out.push_back({at->region, static_cast<float>(at->strength_percent / 100)});
    }
    return out;
}

std::size_t PreparedCorrections::new_fills(std::span<const Correction> corrections,
                                           const PreparedCorrections* earlier) {
    return static_cast<std::size_t>(std::ranges::count_if(corrections, [&](const Correction& c) {
        return c.on && c.act == CorrectionAct::Fill &&
               (earlier == nullptr || !earlier->filling_of(c.region, undone_behind(c, corrections)));
    }));
}

void PreparedCorrections::add_fills(int channel, std::int64_t start_frame, std::span<float> sound) const {
    if (sounds_.empty()) return;
    const std::int64_t end = start_frame + static_cast<std::int64_t>(sound.size());
    auto at = std::ranges::lower_bound(sounds_, start_frame - longest_sound_, {}, &Sounding::first);
    for (; at != sounds_.end() && at->first < end; ++at)
        at->filling->sound.add_to(channel, start_frame, at->strength, sound);
}

void PreparedCorrections::index_by_time(double recording_seconds) {
    std::size_t seconds = 0;
    const auto second_of = [recording_seconds](double x) {
        return static_cast<std::size_t>(std::clamp(x, 0.0, recording_seconds));
    };
    for (const auto& e : entries_) seconds = std::max(seconds, second_of(e.last_seconds()) + 1);
    starts_.assign(seconds + 1, 0);
    for (const auto& e : entries_) {
        for (std::size_t s = second_of(e.first_seconds()); s <= second_of(e.last_seconds()); ++s)
            ++starts_[s + 1];
    }
    for (std::size_t s = 1; s < starts_.size(); ++s) starts_[s] += starts_[s - 1];
    by_second_.resize(starts_.back());
    auto next = starts_;
    for (std::uint32_t i = 0; i < entries_.size(); ++i) {
        const Entry& e = entries_[i];
        for (std::size_t s = second_of(e.first_seconds()); s <= second_of(e.last_seconds()); ++s)
            by_second_[next[s]++] = i;
    }
}

bool PreparedCorrections::cuts_around(double map_frame) const {
    if (!cuts_) return false;
    const double seconds = map_frame / kMapFramesPerSecond;
    const auto from = static_cast<std::size_t>(std::max(0.0, seconds - 1));
    for (std::size_t s = from; s <= from + 2 && s + 1 < starts_.size(); ++s) {
        for (std::uint32_t k = starts_[s]; k < starts_[s + 1]; ++k) {
            const Entry& e = entries_[by_second_[k]];
            const bool cuts = e.act == CorrectionAct::TakeDown || e.act == CorrectionAct::Fill;
            if (cuts && seconds > e.first_seconds() - 1 && seconds < e.last_seconds() + 1) return true;
        }
    }
    return false;
}

void PreparedCorrections::apply(double map_frame, std::span<float> masks, int group) const {
    const double seconds = map_frame / kMapFramesPerSecond;
    const auto second = static_cast<std::size_t>(std::max(0.0, seconds));
    if (second + 1 >= starts_.size()) return;
    std::array<float, kMaskRow> before;
    std::array<float, kBands> strengths;
    bool kept = false;
    for (std::uint32_t k = starts_[second]; k < starts_[second + 1]; ++k) {
        const Entry& entry = entries_[by_second_[k]];
        if (!entry.read(seconds, strengths)) continue;
        if (!kept) std::ranges::copy(masks, before.begin());
        kept = true;
        entry.apply(map_frame, group, strengths, before, masks);
    }
}

Result<MaskMap> corrected(const MaskMap& map, std::span<const Correction> corrections, const Source& source,
                          const JobControl& job) {
    if (std::ranges::none_of(corrections, &Correction::on)) return map;
    auto prepared = PreparedCorrections::prepare(corrections, source, map, job);
    if (!prepared) return prepared.error();
    return map.corrected(std::move(*prepared));
}

}  // namespace rivlen
