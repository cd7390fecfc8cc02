// SPDX-License-Identifier: GPL-3.0-or-later
// What an engineer put right by hand: acts on the masks within regions of time and frequency. They lie over a
// mask map and are never written into it; MaskMap::corrected() makes a map that is read with them.
#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/media/source.h"
#include "core/separation/mask_map.h"
#include "core/separation/region.h"

namespace rivlen {

enum class CorrectionAct {
    Give,           // what is in the region goes to one stem, from all others or from chosen ones
    TakeDown,       // all stems are turned down; what goes is no stem's: it is cut
    ShareAsBefore,  // as the model has it: earlier corrections of the list do not hold here
    Fill            // sound and shares go on from the time before and behind; what was there is cut
};
inline constexpr std::size_t kCorrectionActs = 4;
struct CorrectionActInfo {
    const char* key;  // in files
    const char* label;
    const char* sentence;
};
[[nodiscard]] const CorrectionActInfo& info(CorrectionAct act);

inline constexpr double kMostTakeDownDb = 60;  // and that is silence

struct Correction {
    int id = 0;  // unique in its list
    std::string name;
    bool on = true;
    CorrectionAct act = CorrectionAct::Give;
    Region region;
    bool outside = false;                                      // acts everywhere but in the region
    Stem to = Stem::Dialogue;                                  // Give
    std::optional<MusicPart> to_part;                          // of the music: that part of it alone
    std::array<bool, kStems> from = {true, true, true, true};  // Give
    // Of the music, if it is taken from. Where the music is not opened, it gives only as a whole.
    std::array<bool, kMusicParts> from_parts = {true, true, true, true};
    double take_down_db = 24;       // TakeDown: 0 to kMostTakeDownDb
    double strength_percent = 100;  // 0 to 100: how far the act is taken
    bool operator==(const Correction&) const = default;
};
// The stem or part of the music that a region is given to, and the other way.
[[nodiscard]] std::size_t given_to(const Correction& correction);
void give_to(Correction& correction, std::size_t sound);
// Whether it takes from a stem or part, and whether it is to.
[[nodiscard]] bool takes_from(const Correction& correction, std::size_t sound);
void set_taken_from(Correction& correction, std::size_t sound, bool on);
// Brings values into their ranges, makes ids unique and leaves out what has no extent.
void normalise(std::vector<Correction>& corrections);
[[nodiscard]] int new_correction_id(std::span<const Correction> corrections);
// Behind those that are there, with ids of their own.
void append(std::vector<Correction>& corrections, std::span<const Correction> more);

// The map as it is read with corrections; without any that are on, the map itself. map: without corrections.
// Errors: Cancelled.
[[nodiscard]] Result<MaskMap> corrected(const MaskMap& map, std::span<const Correction> corrections,
                                        const Source& source, const JobControl& job = {});

// Corrections of one recording, ready to be applied in any order of time. Applying allocates nothing; any
// number of threads may apply.
class PreparedCorrections {
  public:
    // Those that are on, in the order of the list. Fills look at a second of sound and masks on either side
    // of their regions, unless `earlier`, made for the same recording and map, has them; `map` without
    // corrections. Errors: Cancelled.
    [[nodiscard]] static Result<std::shared_ptr<const PreparedCorrections>> prepare(
        std::span<const Correction> corrections, const Source& source, const MaskMap& map,
        const JobControl& job = {}, const PreparedCorrections* earlier = nullptr);
    // Fills among them that are not ready in `earlier` (may be null).
    [[nodiscard]] static std::size_t new_fills(std::span<const Correction> corrections,
                                               const PreparedCorrections* earlier);
    [[nodiscard]] bool empty() const { return entries_.empty(); }
    PreparedCorrections(const PreparedCorrections&) = delete;
    PreparedCorrections& operator=(const PreparedCorrections&) = delete;
    ~PreparedCorrections();

    // What the fills change of a channel's sound, which begins at a frame of the recording: added to it.
    void add_fills(int channel, std::int64_t start_frame, std::span<float> sound) const;
    // Changes the masks of a group at a time in map frames: kMaskRow values that add up to one in every band.
    // Afterwards they add up to at most one; what is missing is cut. With kOpenedRow values the parts add up
    // to the music, before and afterwards; part_shares: how the music is shared out in every band, part by
    // part.
    void apply(double map_frame, std::span<float> masks, std::span<const float> part_shares = {},
               int group = 0) const;
    // Whether anything may be cut: anywhere, or within a second of a time, so that what is smoothed over time
    // is counted, too.
    [[nodiscard]] bool cuts() const { return cuts_; }
    [[nodiscard]] bool cuts_around(double map_frame) const;

  private:
    struct Entry;
    struct Filling;
    PreparedCorrections();
    struct Undoing {  // of a fill, by what the list says behind it
        Region region;
        float strength = 0;
        bool operator==(const Undoing&) const = default;
    };
    struct Sounding {  // a fill's sound, in frames of the recording
        std::int64_t first = 0, last = 0;
        float strength = 0;
        std::shared_ptr<const Filling> filling;
    };
    [[nodiscard]] static std::vector<Undoing> undone_behind(const Correction& fill,
                                                            std::span<const Correction> list);
    [[nodiscard]] std::shared_ptr<const Filling> filling_of(const Region& region,
                                                            const std::vector<Undoing>& undone) const;
    static Filling fill_of(const Entry& entry, const Source& source, const MaskMap& map,
                           const std::vector<Undoing>& undone);
    void index_by_time(double recording_seconds);
    std::vector<Entry> entries_;
    // Entries that hold somewhere in a second: by_second_[starts_[s] to starts_[s + 1]).
    std::vector<std::uint32_t> starts_, by_second_;
    std::vector<Sounding> sounds_;  // by their first frames
    std::int64_t longest_sound_ = 0;
    bool cuts_ = false;
};

}  // namespace rivlen
