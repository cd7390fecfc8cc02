// SPDX-License-Identifier: GPL-3.0-or-later
// The mask map: what the network said about a recording, one byte per stem, band and frame of the model's
// grid (band layout in bands.h, 93.75 frames a second). A safetensors file with one tensor "masks" [groups x
// frames, 4, 256] of U8: all frames of the first group of channels (channel_groups.h), then those of the
// next.
//
// Code 0 is a mask of nothing; code c > 0 is 10^((c - 255) / 4 / 20): steps of 0.25 dB from 0 to -63.5 dB.
// Reading divides by the sum over the stems, so that masks add up to one. A stem's mask is then wrong by at
// most 0.25 dB (measured in tests/core/separation/split_test.cpp), and the sum over stems by nothing.
#pragma once

#include <array>
#include <cstdint>
#include <filesystem>
#include <memory>
#include <span>
#include <string>

#include "core/base/output_file.h"
#include "core/base/result.h"
#include "core/base/safetensors.h"
#include "core/separation/bands.h"
#include "core/separation/music_parts.h"

namespace rivlen {

inline constexpr std::size_t kMaskRow = std::size_t{kStems} * kBands;
// With the parts of the music behind the stems (MaskMap::opened()).
inline constexpr std::size_t kOpenedRow = std::size_t{kSounds} * kBands;

[[nodiscard]] std::uint8_t encode_mask(float mask);
// One frame of codes to masks that add up to one over the stems. Both spans hold kMaskRow values, stem by
// stem.
void decode_masks(std::span<const std::uint8_t> codes, std::span<float> masks);

struct MaskMapFacts {
    std::string source_hash;
    std::string model;  // name and version of the model
    std::uint64_t frames = 0;
    int groups = 1;  // of channels
};

class MaskMap;
class PreparedCorrections;

// Written in any order of frames; appears whole on commit().
class MaskMapWriter {
  public:
    // Errors: Io, DiskFull.
    [[nodiscard]] static Result<MaskMapWriter> create(const std::filesystem::path& path,
                                                      const MaskMapFacts& facts);
    // masks: whole frames of a group from `first_frame` on, [frame][stem][band].
    [[nodiscard]] Status write(std::uint64_t first_frame, std::span<const float> masks, int group = 0);
    // A map of what is there now; frames that were not written yet share evenly, and what is written later
    // may show in it. Errors: Io, DiskFull.
    [[nodiscard]] Result<MaskMap> so_far();
    [[nodiscard]] Status commit() { return file_.commit(); }

  private:
    MaskMapWriter(OutputFile file, std::uint64_t body_offset, std::uint64_t frames)
        : file_(std::move(file)), body_offset_(body_offset), frames_(frames) {}
    OutputFile file_;
    std::uint64_t body_offset_, frames_;
};

// Cheap to copy: copies share the file.
class MaskMap {
  public:
    // Errors: NotFound, Io; BadInput (not a map); Mismatch when `source_hash` is not empty and is another
    // one.
    [[nodiscard]] static Result<MaskMap> open(const std::filesystem::path& path,
                                              const std::string& source_hash);

    [[nodiscard]] const MaskMapFacts& facts() const { return facts_; }
    [[nodiscard]] std::span<const std::uint8_t> codes(std::uint64_t frame, int group = 0) const {
        return codes_.subspan((static_cast<std::uint64_t>(group) * facts_.frames + frame) * kMaskRow,
                              kMaskRow);
    }
    // False for a frame that has not been split yet (see MaskMapWriter::so_far()): all its codes are 0 in one
    // of the groups.
    [[nodiscard]] bool has(std::uint64_t frame) const;
    // The same map, read with corrections from then on (corrections.h); null: as the model had it.
    [[nodiscard]] MaskMap corrected(std::shared_ptr<const PreparedCorrections> corrections) const;
    // The same map, whose music opens into parts from then on. parts: a map of the same frames and groups,
    // whose rows say how the music is shared out (MusicPart); null: it does not open. Errors: Mismatch.
    [[nodiscard]] Result<MaskMap> opened(std::shared_ptr<const MaskMap> parts) const;
    [[nodiscard]] bool opens_music() const { return parts_ != nullptr; }
    [[nodiscard]] const std::shared_ptr<const MaskMap>& parts() const { return parts_; }
    // Values of a row with all that there is: kMaskRow, or kOpenedRow.
    [[nodiscard]] std::size_t row_size() const { return parts_ ? kOpenedRow : kMaskRow; }
    // Whether a correction takes something out of the whole around a time: masks then add up to less than
    // one, or are of a sound that was filled.
    [[nodiscard]] bool cuts_around(double frame_position) const;
    [[nodiscard]] bool cuts() const;  // anywhere
    // Masks at a time given in map frames (may lie between frames or outside the recording: then the
    // nearest), with the corrections. This is the one way in which masks are read. masks: kMaskRow values, or
    // kOpenedRow of a map whose music opens; parts add up to the music.
    void read(double frame_position, std::span<float> masks, int group = 0) const;
    // What fills change of the sound that the masks are of (corrections.h): whoever reads the recording to
    // apply masks to it adds this. sound: a channel's, from a frame of the recording on.
    void add_fills(int channel, std::int64_t start_frame, std::span<float> sound) const;
    void drop_pages() const;  // see MappedFile
    // Errors: Io when the map was cut short while it was read. Any thread.
    [[nodiscard]] Status intact() const;

  private:
    MaskMapFacts facts_;
    std::shared_ptr<const safetensors::File> file_;
    std::span<const std::uint8_t> codes_;
    std::shared_ptr<const PreparedCorrections> corrections_;
    std::shared_ptr<const MaskMap> parts_;
};

}  // namespace rivlen
