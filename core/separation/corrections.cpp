// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/corrections.h"

#include <algorithm>
#include <cmath>
#include <functional>
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

std::size_t given_to(const Correction& correction) {
    return correction.to_part ? sound_of(*correction.to_part) : static_cast<std::size_t>(correction.to);
}

void give_to(Correction& correction, std::size_t sound) {
    correction.to = stem_of_sound(sound);
    correction.to_part.reset();
    if (is_music_part(sound)) correction.to_part = static_cast<MusicPart>(sound - kStems);
}

bool takes_from(const Correction& correction, std::size_t sound) {
    return is_music_part(sound) ? correction.from_parts[sound - kStems] : correction.from[sound];
}

void set_taken_from(Correction& correction, std::size_t sound, bool on) {
    (is_music_part(sound) ? correction.from_parts[sound - kStems] : correction.from[sound]) = on;
}

void normalise(std::vector<Correction>& corrections) {
    std::erase_if(corrections, [](Correction& c) { return !normalise(c.region); });
    for (auto& c : corrections) {
        if (c.to != Stem::Music) c.to_part.reset();
    }
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

namespace {

// One frame of masks. What adds up to one are its sounds: the stems, or with the music opened its parts in
// its place; the music's own row is their sum.
struct FrameShares {
    std::span<float> masks;
    std::span<const float> part_shares;
    [[nodiscard]] bool opened() const { return masks.size() >= kOpenedRow; }
    [[nodiscard]] std::span<const std::size_t> sounds() const {
        static constexpr std::array<std::size_t, kStems> kPlain = {0, 1, 2, 3};
        static constexpr std::array<std::size_t, kSounds - 1> kOpened = {0, 1, 3, 4, 5, 6, 7};
        return opened() ? std::span<const std::size_t>(kOpened) : std::span<const std::size_t>(kPlain);
    }
    void add_up_music() const {
        if (!opened()) return;
        for (std::size_t b = 0; b < kBands; ++b) {
            float sum = 0;
            for (std::size_t s = kStems; s < kSounds; ++s) sum += masks[s * kBands + b];
            masks[kMusicSound * kBands + b] = sum;
        }
    }
};

}  // namespace

struct PreparedCorrections::Entry {
    explicit Entry(const Correction& correction)
        : region(correction.region),
          reader(correction.region),
          act(correction.act),
          outside(correction.outside),
          to(static_cast<std::size_t>(correction.to)),
          to_part(correction.to_part),
          from(correction.from),
          from_parts(correction.from_parts),
          strength(static_cast<float>(correction.strength_percent / 100)),
          down(correction.take_down_db >= kMostTakeDownDb
                   ? 0.0F
                   : static_cast<float>(amplitude_of_db(-correction.take_down_db))) {}
    Region region;
    RegionReader reader;
    CorrectionAct act;
    bool outside;
    std::size_t to;
    std::optional<MusicPart> to_part;
    std::array<bool, kStems> from;
    std::array<bool, kMusicParts> from_parts;
    float strength, down;
    std::shared_ptr<const Filling> filling;  // of a fill

    void apply(double map_frame, int group, std::span<const float> strengths, std::span<const float> before,
               const FrameShares& row) const;
    // How strongly it holds in every band at a time; false where it does nowhere.
    bool read(double seconds, std::span<float> strengths) const;
    [[nodiscard]] double first_seconds() const { return outside ? 0.0 : reader.first_seconds(); }
    [[nodiscard]] double last_seconds() const { return outside ? kForEver : reader.last_seconds(); }
    // Where the music is opened (or not), by index of stems and parts.
    [[nodiscard]] bool takes_from(std::size_t sound, bool opened) const;
    [[nodiscard]] bool gives_to(std::size_t sound, bool opened) const;
    void give(std::size_t band, float part, const FrameShares& row) const;
    void fill(double map_frame, int group, std::size_t band, float part, const FrameShares& row) const;
};

bool PreparedCorrections::Entry::read(double seconds, std::span<float> strengths) const {
    const bool here = reader.read(seconds, strengths);
    if (!outside) return here;
    for (float& x : strengths) x = here ? 1 - x : 1;
    return true;
}

bool PreparedCorrections::Entry::takes_from(std::size_t sound, bool opened) const {
    if (is_music_part(sound)) return from[kMusicSound] && from_parts[sound - kStems];
    if (sound == kMusicSound && !opened && !std::ranges::all_of(from_parts, std::identity{})) return false;
    return from[sound];
}

bool PreparedCorrections::Entry::gives_to(std::size_t sound, bool opened) const {
    if (to != kMusicSound) return sound == to;
    if (to_part && opened) return sound == sound_of(*to_part);
    return sound == kMusicSound || is_music_part(sound);
}

void PreparedCorrections::Entry::give(std::size_t band, float part, const FrameShares& row) const {
    const bool opened = row.opened();
    float taken = 0;
    for (const std::size_t s : row.sounds()) {
        if (gives_to(s, opened) || !takes_from(s, opened)) continue;
        const float moved = part * row.masks[s * kBands + band];
        row.masks[s * kBands + band] -= moved;
        taken += moved;
    }
    if (!opened || to != kMusicSound) {
        row.masks[to * kBands + band] += taken;
    } else if (to_part) {
        row.masks[sound_of(*to_part) * kBands + band] += taken;
    } else {
        for (std::size_t i = band; i < row.part_shares.size(); i += kBands)
            row.masks[kMaskRow + i] += taken * row.part_shares[i];
    }
}

void PreparedCorrections::Entry::fill(double map_frame, int group, std::size_t band, float part,
                                      const FrameShares& row) const {
    if (!filling) return;
    const Filling& f = *filling;
    if (f.frames == 0) return;
    const double at =
        std::clamp(map_frame - static_cast<double>(f.first), 0.0, static_cast<double>(f.frames - 1));
    const auto along = static_cast<float>(at / static_cast<double>(std::max<std::int64_t>(1, f.frames - 1)));
    const auto& ends = f.ends[std::min(static_cast<std::size_t>(group), f.ends.size() - 1)];
    for (const std::size_t s : row.sounds()) {
        const std::size_t i = static_cast<std::size_t>(stem_of_sound(s)) * kBands + band;
        float share = ends[0][i] + along * (ends[1][i] - ends[0][i]);
        if (is_music_part(s)) share *= row.part_shares[(s - kStems) * kBands + band];
        float& mask = row.masks[s * kBands + band];
        mask += part * (share - mask);
    }
}

void PreparedCorrections::Entry::apply(double map_frame, int group, std::span<const float> strengths,
                                       std::span<const float> before, const FrameShares& row) const {
    for (std::size_t band = 0; band < kBands; ++band) {
        const float part = strength * strengths[band];
        if (part <= 0) continue;
        switch (act) {
            case CorrectionAct::Give:
                give(band, part, row);
                break;
            case CorrectionAct::TakeDown:
                for (const std::size_t s : row.sounds())
                    row.masks[s * kBands + band] *= 1 - part * (1 - down);
                break;
            case CorrectionAct::ShareAsBefore:
                for (std::size_t i = band; i < row.masks.size(); i += kBands)
                    row.masks[i] += part * (before[i] - row.masks[i]);
                break;
            case CorrectionAct::Fill:
                fill(map_frame, group, band, part, row);
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

void PreparedCorrections::apply(double map_frame, std::span<float> masks, std::span<const float> part_shares,
                                int group) const {
    const double seconds = map_frame / kMapFramesPerSecond;
    const auto second = static_cast<std::size_t>(std::max(0.0, seconds));
    if (second + 1 >= starts_.size()) return;
    const FrameShares row{masks, part_shares};
    std::array<float, kOpenedRow> before;
    std::array<float, kBands> strengths;
    bool kept = false;
    for (std::uint32_t k = starts_[second]; k < starts_[second + 1]; ++k) {
        const Entry& entry = entries_[by_second_[k]];
        if (!entry.read(seconds, strengths)) continue;
        if (!kept) std::ranges::copy(masks, before.begin());
        kept = true;
        entry.apply(map_frame, group, strengths, before, row);
    }
    if (kept) row.add_up_music();
}

Result<MaskMap> corrected(const MaskMap& map, std::span<const Correction> corrections, const Source& source,
                          const JobControl& job) {
    if (std::ranges::none_of(corrections, &Correction::on)) return map;
    auto prepared = PreparedCorrections::prepare(corrections, source, map, job);
    if (!prepared) return prepared.error();
    return map.corrected(std::move(*prepared));
}

}  // namespace rivlen
